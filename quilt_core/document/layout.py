"""A layout: the state of an atlas with the objects and base layouts that it is about."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Protocol, Self

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.base import Base, in_proportion
from quilt_core.document.state import MemberRow, State, TileRow, spans
from quilt_core.scene.island_set import IslandSet, concatenate
from quilt_core.scene.model import SceneObject
from quilt_core.scene.naming import unique_names
from quilt_core.scene.parts import part_of_islands, part_of_surface
from quilt_core.scene.surface import Surface, join_surfaces
from quilt_core.scene.tiles import pixel_sizes
from quilt_core.scene.types import BoolArray, FloatArray, IntArray


@dataclass(frozen=True, eq=False)
class Made:
    """A base layout that was made here.

    Parameters
    ----------
    base : Base
    obj : SceneObject
        The object with these UVs, and those of its vertices as one that count as one.
    how : str
        What made it, in a word.
    weld : float
    """

    base: Base
    obj: SceneObject
    how: str
    weld: float


class Member(Protocol):
    """An object's part in a layout."""

    @property
    def row(self) -> MemberRow:
        """What the atlas's state says of it."""

    @property
    def name(self) -> str:
        """Of the object; need not be its alone."""

    @property
    def file(self) -> str:
        """Path of its source."""

    @property
    def source(self) -> int:
        """Key of its source in the document."""

    @property
    def number(self) -> int:
        """Place of the object among the objects of its source."""

    @property
    def colour(self) -> int:
        """Number of its colour, from 0: the object keeps it, whatever comes and goes."""

    @property
    def channel(self) -> int:
        """UV channel, from 0, that its base layout is of."""

    @property
    def made(self) -> bool:
        """Whether its base layout was made here, and is not the file's."""

    @property
    def weld(self) -> float:
        """Part of the object's size within which vertices count as one in its base layout."""

    @property
    def useless(self) -> bool:
        """Whether it has no UVs, or such as are of no use."""

    def base_layout(self) -> Base:
        """Its base layout."""

    def with_base(self, made: Made) -> Self:
        """The member with another base layout, of all its islands; the row's `base` is a new one."""


@dataclass(frozen=True, eq=False)
class Layout:
    """State of an atlas with its members.

    Parameters
    ----------
    state : State
    members : sequence of Member
        In the order of `state.members`.
    """

    state: State
    members: Sequence[Member]

    @cached_property
    def islands(self) -> IslandSet:
        """All islands, as their base layouts have them."""
        return concatenate([member_islands(m.base_layout().islands, m.row) for m in self.members])

    @cached_property
    def surface(self) -> Surface:
        """The surface behind the islands."""
        return member_surfaces([(m.base_layout(), m.row.part) for m in self.members])

    @cached_property
    def placements(self) -> FloatArray:
        """(I, 2, 3) from base UVs to the tiles' plane."""
        return self.state.placements

    @cached_property
    def unplaced(self) -> BoolArray:
        """(I,) islands on the side table."""
        return self.state.unplaced

    @cached_property
    def controls(self) -> NDArray[Any]:
        """(I,) records of `CONTROL_FIELDS`."""
        return self.state.controls

    @property
    def stack(self) -> IntArray:
        """(I,) stack of each island, -1 for none."""
        return self.controls["stack"].astype(np.int64)

    @property
    def tiles(self) -> list[TileRow]:
        """Tiles in the order of their numbers."""
        return list(self.state.tiles)

    @property
    def pixels(self) -> FloatArray:
        """(I, 2) px per UV of each island's tile."""
        return pixel_sizes(self.islands, self.placements, [tile.size for tile in self.tiles])

    @property
    def weights(self) -> FloatArray:
        """(I,) weight of each island: its own times its object's."""
        each = np.array([member.row.weight for member in self.members])
        counts = [member.row.islands for member in self.members]
        return np.asarray(np.repeat(each, counts) * self.controls["weight"], np.float64)

    def object_names(self) -> list[str]:
        """What to call each object; no two are called the same."""
        return unique_names([m.name for m in self.members], [m.file for m in self.members])

    @property
    def colours(self) -> list[int]:
        """Number of each object's colour."""
        return [member.colour for member in self.members]

    @property
    def numbers(self) -> IntArray:
        """(I,) number of each island in its object, from 1, wherever the others lie."""
        parts = [np.zeros(0, np.int64), *(member.row.numbers + 1 for member in self.members)]
        return np.concatenate(parts)

    def names(self) -> list[str]:
        """What to call each island: its object and its number there."""
        return [
            f"{name} island {number}"
            for name, member in zip(self.object_names(), self.members, strict=True)
            for number in (member.row.numbers + 1).tolist()
        ]

    def having(self, state: State) -> Layout:
        """The same members in another state, in which they are in the same order."""
        return replace(self, state=state)


def member_islands(islands: IslandSet, row: MemberRow) -> IslandSet:
    """Islands of a member among those of its base layout."""
    own = islands if row.part is None else part_of_islands(islands, np.array(row.part))
    return own if row.proportion is None else in_proportion(own, row.proportion)


def member_faces(layout: Layout) -> list[IntArray]:
    """For each member (F,) the island of each face of its object, through the whole layout; -1 for none."""
    out = []
    for member, (first, _) in zip(layout.members, spans(layout.state.members), strict=True):
        of_face = member.base_layout().face_island
        here = np.full(int(of_face.max(initial=-1)) + 2, -1, np.int64)
        here[member.row.numbers] = first + np.arange(len(member.row.numbers))
        out.append(here[of_face])
    return out


def member_surfaces(parts: Sequence[tuple[Base, tuple[int, ...] | None]]) -> Surface:
    """Surfaces of members, each of the islands that its part names, as one."""
    surfaces, counts = [], []
    for base, part in parts:
        counts.append(base.islands.count if part is None else len(part))
        surfaces.append(
            base.surface
            if part is None
            else part_of_surface(base.surface, base.islands, np.array(part))
        )
    return join_surfaces(surfaces, counts)
