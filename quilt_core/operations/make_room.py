"""Make room: the neighbours of islands step aside, just enough."""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError
from quilt_core.operations.by_hand import ISLANDS, chosen_islands, counted
from quilt_core.operations.layouts import Selector
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.side_table import lay_aside
from quilt_core.place import make_room
from quilt_core.scene.flags import LOCK_PLACE
from quilt_core.scene.types import BoolArray

MOST_NAMES = 5


@dataclass(frozen=True)
class MakeRoom:
    """Settings of making room."""

    islands: tuple[Selector, ...] = option(help="islands that stay where they are", **ISLANDS)
    aside: bool = option(False, "islands that find no place go to the side table")
    seconds: float = option(5.0, "after which it is given up", unit="s", low=0.1, high=600)

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True, eq=False)
class RoomMade:
    """What making room made."""

    document: Document
    islands: int = figure("how many stepped aside")
    stuck: int = figure("how many found no place: they stayed, or lie on the side table")
    aside: bool = figure("whether those lie on the side table")

    @property
    def ok(self) -> bool:
        """Whether nobody is in the way any more."""
        return self.aside or not self.stuck


def run(document: Document, settings: MakeRoom, progress: Progress) -> RoomMade:
    """Let neighbours step aside; locked islands and those of frozen tiles do not move.

    Raises
    ------
    LayoutError
        When nobody can, or need.
    """
    layout = document.layout
    until = time.monotonic() + settings.seconds
    chosen = chosen_islands(layout, settings.islands)
    placements, stuck = make_room(
        layout.islands, layout.placements, [tile.size for tile in layout.tiles if not tile.frozen], chosen,
        layout.state.padding, layout.state.margin, (layout.controls["flags"] & LOCK_PLACE) > 0, layout.stack,
        lambda: time.monotonic() > until or bool(progress.stop()),
    )  # fmt: skip
    moved = int((placements != layout.placements).any(axis=(1, 2)).sum())
    if not moved and stuck.any() and not settings.aside:
        raise LayoutError(
            f"{counted(int(stuck.sum()))} would have to step aside and cannot: {_named(layout, stuck)}.",
            "the tile's edge, locks or other islands are in the way",
            "Make room with the rest aside, which sends them to the side table, or shrink all islands a little.",
        )
    if not moved and not stuck.any():
        raise LayoutError(
            "Nobody has to step aside.", f"no neighbour is nearer than {layout.state.padding:g} px",
            "Put the islands where they shall lie first.",
        )  # fmt: skip
    unplaced = layout.unplaced
    if settings.aside and stuck.any():
        rules = PackSettings(
            padding=layout.state.padding,
            margin=layout.state.margin,
            tiles=tuple(tile.size for tile in layout.tiles),
        )
        placements = lay_aside(
            layout.islands, placements, stuck, rules, layout.pixels, layout.unplaced
        )
        unplaced = unplaced | stuck
    state = layout.state.having(placements=np.asarray(placements), unplaced=unplaced)
    return RoomMade(document.having([state]), moved, int(stuck.sum()), settings.aside)


def _named(layout: Layout, which: BoolArray) -> str:
    """Names of a few islands."""
    every = layout.names()
    names = [every[k] for k in np.flatnonzero(which)[:MOST_NAMES]]
    more = int(which.sum()) - len(names)
    return ", ".join(names) + (f" and {more} more" if more else "")


def tell(result: RoomMade) -> list[str]:
    """The result in words."""
    where = " and lie on the side table" if result.aside else ""
    left = f", {result.stuck} found no place{where}" if result.stuck else ""
    return [f"{counted(result.islands)} stepped aside{left}"]


def what(settings: MakeRoom, result: RoomMade) -> str:
    """What was done, in a few words."""
    return tell(result)[0]
