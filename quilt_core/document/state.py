"""The state of an atlas: its objects, tiles, distances, and where its islands lie."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.islands import ISLAND, fresh_islands
from quilt_core.scene.tiles import TileSize
from quilt_core.scene.types import FloatArray, IntArray

PADDING, MARGIN = 8.0, 4.0
"""px of a layout that nobody has packed yet."""


@dataclass(frozen=True)
class TileRow:
    """A tile of an atlas."""

    number: int
    width: int
    height: int
    label: str = ""
    frozen: bool = False

    @property
    def size(self) -> TileSize:
        """As the core takes it."""
        return TileSize(self.number, self.width, self.height)

    def row(self) -> list[Any]:
        """As a revision keeps it."""
        return [self.number, self.width, self.height, self.label, self.frozen]


@dataclass(frozen=True)
class MemberRow:
    """An object's part in an atlas: its base layout, and what was said about it."""

    object: int
    base: int
    islands: int
    """How many islands it has here."""
    target: int = 0
    """UV channel, from 0, that its layout is written to."""
    weight: float = 1.0
    proportion: float | None = None
    """Width / height of its image, said by the user instead of what the files say."""
    part: tuple[int, ...] | None = None
    """Which islands of the base layout, ascending, where these are not all."""
    whole: int = 0
    """How many the base layout has, where this is a part of it."""

    @property
    def numbers(self) -> IntArray:
        """(islands,) numbers of its islands in the base layout."""
        return np.arange(self.islands) if self.part is None else np.array(self.part, np.int64)

    @property
    def layout_key(self) -> tuple[int, int, int]:
        """What parts of one layout of an object have in common."""
        return self.object, self.base, self.target

    def only(self, numbers: IntArray) -> MemberRow:
        """The same with these islands of the base layout alone, which are some or all of them."""
        whole = self.islands if self.part is None else self.whole
        if len(numbers) == whole:
            return replace(self, islands=whole, part=None, whole=0)
        part = tuple(int(n) for n in numbers)
        return replace(self, islands=len(part), part=part, whole=whole)

    def row(self) -> dict[str, Any]:
        """As a revision keeps it."""
        out = asdict(self)
        if self.part is None:
            del out["part"], out["whole"]
        else:
            out["part"] = list(self.part)
        return out


@dataclass(frozen=True, eq=False)
class State:
    """All that a revision says of an atlas; islands are numbered through its members."""

    name: str
    members: tuple[MemberRow, ...]
    tiles: tuple[TileRow, ...]
    padding: float = PADDING
    margin: float = MARGIN
    islands: NDArray[Any] = field(default_factory=lambda: np.zeros(0, ISLAND))

    @property
    def placements(self) -> FloatArray:
        """(I, 2, 3) from base UVs to the tiles' plane."""
        return np.array(self.islands["placement"])

    @property
    def unplaced(self) -> NDArray[np.bool_]:
        """(I,) islands on the side table."""
        return np.asarray(self.islands["unplaced"] > 0)

    @property
    def controls(self) -> NDArray[Any]:
        """(I,) records of `CONTROL_FIELDS`."""
        return np.array(self.islands["control"])

    def having(
        self,
        *,
        placements: FloatArray | None = None,
        unplaced: NDArray[np.bool_] | None = None,
        controls: NDArray[Any] | None = None,
        **other: Any,
    ) -> State:
        """The state with some things changed."""
        islands = self.islands.copy()
        for name, value in (
            ("placement", placements),
            ("unplaced", unplaced),
            ("control", controls),
        ):
            if value is not None:
                islands[name] = value
        return replace(self, islands=islands, **other)

    def with_member(self, row: MemberRow) -> State:
        """The state with one more object, its islands placed as its base layout has them."""
        islands = np.concatenate([self.islands, fresh_islands(row.islands)])
        return replace(self, members=(*self.members, row), islands=islands)


def spans(members: Sequence[MemberRow]) -> list[tuple[int, int]]:
    """First and past-last island of each member."""
    ends = np.cumsum([0, *(row.islands for row in members)]).tolist()
    return list(zip(ends[:-1], ends[1:], strict=True))


def split(state: State, taken: Collection[int]) -> tuple[State, State]:
    """The state without some of its members (by their places in it), and one with those alone."""
    all_spans = spans(state.members)
    islands = np.concatenate(
        [np.zeros(0, np.int64), *(np.arange(*all_spans[k]) for k in sorted(taken))]
    )
    rest, some = split_islands(state, islands)
    # A member without islands has none to tell it by.
    bare = {k for k in taken if not state.members[k].islands}
    if bare:
        moved = tuple(state.members[k] for k in sorted(bare))
        rest = replace(rest, members=tuple(row for row in rest.members if row not in moved))
        some = replace(some, members=(*some.members, *moved))
    return rest, some


def split_islands(state: State, taken: IntArray) -> tuple[State, State]:
    """The state without some of its islands, and one with those alone; objects are parted where
    needed."""
    mine = np.zeros(len(state.islands), bool)
    mine[taken] = True
    sides: tuple[list[MemberRow], list[MemberRow]] = ([], [])
    for row, (first, last) in zip(state.members, spans(state.members), strict=True):
        own = mine[first:last]
        for side, use in zip(sides, (~own, own), strict=True):
            if use.all() and (row.islands or side is sides[0]):
                side.append(row)
            elif use.any():
                side.append(row.only(row.numbers[use]))
    return (
        replace(state, members=tuple(sides[0]), islands=state.islands[~mine]),
        replace(state, members=tuple(sides[1]), islands=state.islands[mine]),
    )


def _pulled_together(state: State) -> State:
    """The state with parts of one layout of an object joined, where there are several."""
    first: dict[tuple[int, int, int], int] = {}
    again = [k for k, row in enumerate(state.members) if first.setdefault(row.layout_key, k) != k]
    if not again:
        return state
    rows = {k: row for k, row in enumerate(state.members) if k not in again}
    all_spans = spans(state.members)
    order = {k: np.arange(*all_spans[k]) for k in range(len(state.members))}
    for k in again:
        at, more = first[state.members[k].layout_key], state.members[k]
        numbers = np.concatenate([rows[at].numbers, more.numbers])
        sort = np.argsort(numbers, kind="stable")
        rows[at] = rows[at].only(numbers[sort])
        order[at] = np.concatenate([order[at], order[k]])[sort]
    islands = np.concatenate([np.zeros(0, np.int64), *(order[k] for k in rows)])
    return replace(state, members=tuple(rows.values()), islands=state.islands[islands])


def joined(state: State, more: State) -> State:
    """The state with the members of another one behind its own, with what was said of their
    islands; parts of one object come together.

    Bundles and stacks stay apart from those that are there, and no island asks for a tile that is
    not.
    """
    islands = more.islands.copy()
    for name in ("bundle", "stack"):
        column = islands["control"][name]
        first = int(state.islands["control"][name].max(initial=-1)) + 1
        islands["control"][name] = np.where(column >= 0, column + first, -1)
    numbers = [0, *(tile.number for tile in state.tiles)]
    asked = islands["control"]["tile"]
    islands["control"]["tile"] = np.where(np.isin(asked, numbers), asked, 0)
    return _pulled_together(
        replace(
            state,
            members=(*state.members, *more.members),
            islands=np.concatenate([state.islands, islands]),
        )
    )


def changed_islands(before: State, after: State) -> IntArray | None:
    """Islands that differ, bit by bit; None when they are not the same islands."""
    if len(before.islands) != len(after.islands) or _bases(before) != _bases(after):
        return None
    size = ISLAND.itemsize
    one = np.ascontiguousarray(before.islands).view(np.uint8).reshape(-1, size)
    two = np.ascontiguousarray(after.islands).view(np.uint8).reshape(-1, size)
    return np.flatnonzero((one != two).any(axis=1)).astype(np.int64)


def _bases(state: State) -> list[tuple[int, tuple[int, ...] | None]]:
    return [(row.base, row.part) for row in state.members]
