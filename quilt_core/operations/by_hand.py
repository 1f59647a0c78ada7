"""What tools by hand share: which islands are meant, where they may lie, and what is told."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.document.state import State
from quilt_core.errors import LayoutError
from quilt_core.operations.layouts import SELECTORS, Selector, select
from quilt_core.operations.operation import figure
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.flags import LOCK_PLACE
from quilt_core.scene.tiles import LAST_TILE, TileSize, home_tiles
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

ISLANDS: dict[str, Any] = {**SELECTORS, "kept": False}
TILE: dict[str, Any] = {"low": 1001, "high": LAST_TILE}
"""What is special about options that name selected islands, and a tile."""


@dataclass(frozen=True, eq=False)
class Moved:
    """What a tool made."""

    document: Document
    islands: int = figure("how many were laid or moved")
    of: int = figure("how many were meant")

    @property
    def ok(self) -> bool:
        """Whether all of them were."""
        return self.islands == self.of


def counted(islands: int) -> str:
    """How many, in words."""
    return f"{islands:,} {'island' if islands == 1 else 'islands'}"


def tell_moved(result: Moved) -> list[str]:
    """The result in words."""
    return [f"{result.islands:,} of {counted(result.of)}"]


def chosen_islands(layout: Layout, islands: Sequence[Selector]) -> IntArray:
    """Numbers of the islands that are meant, ascending.

    Raises
    ------
    LayoutError
        When there are none.
    """
    if not islands:
        raise LayoutError("No islands are selected.", "islands", "Select some on the table.")
    return np.flatnonzero(select(layout, islands, "islands"))


def free_to_move(layout: Layout, islands: Sequence[Selector]) -> IntArray:
    """Those of some islands whose place is not locked.

    Raises
    ------
    LayoutError
        When there are none.
    """
    chosen = chosen_islands(layout, islands)
    free = chosen[(layout.controls["flags"][chosen] & LOCK_PLACE) == 0]
    if not len(free):
        raise LayoutError(
            f"All {len(chosen)} selected islands keep their place.", "locks", "Unlock the place first."
        )  # fmt: skip
    return np.asarray(free)


def open_tile(layout: Layout, number: int | None) -> TileSize:
    """A tile of the layout that is not frozen; the first such one where none is named.

    Raises
    ------
    LayoutError
        When there is none.
    """
    for tile in layout.tiles:
        if tile.number == number and tile.frozen:
            raise LayoutError(f"Tile {number} is frozen.", "tile", "Thaw it, or take another.")
        if not tile.frozen and number in (None, tile.number):
            return tile.size
    raise LayoutError(
        f"There is no tile {number}." if number else "All tiles are frozen.", "tile", "Add it, or take another."
    )  # fmt: skip


def placed_state(
    layout: Layout,
    placements: FloatArray,
    chosen: IntArray,
    placed: BoolArray,
    tile: TileSize,
    settings: PackSettings,
) -> State:
    """A state after some of the chosen islands came to lie in a tile, `placed` (I,) bool.

    The others lie where they were; those that lay in this tile go to the side table, as their
    place may be taken now.
    """
    from quilt_core.pack.side_table import lay_aside

    left = np.zeros(layout.islands.count, bool)
    left[chosen] = True
    left &= ~placed & (home_tiles(layout.islands, layout.placements, [tile]) == 0)
    unplaced = (layout.unplaced | left) & ~placed
    whole = replace(settings, tiles=tuple(t.size for t in layout.tiles))
    found = lay_aside(layout.islands, placements, left, whole, layout.pixels)
    return layout.state.having(placements=found, unplaced=unplaced)
