"""Islands that an action by hand is about."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.state import State
from quilt_core.pack.controls import LOCK_PLACE
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.tiles import TileSize, home_tiles
from studio.actions.errors import Refused
from studio.arrays import Layout


def picked(layout: Layout, islands: Sequence[int]) -> NDArray[np.int64]:
    """Numbers of some islands, each once; refuses what is not there."""
    chosen = np.unique(np.array(islands, np.int64))
    if not len(chosen) or chosen[0] < 0 or chosen[-1] >= layout.islands.count:
        raise Refused("There is no such island.", "islands", "Pick some on the table.")
    return chosen


def free_to_move(layout: Layout, islands: Sequence[int]) -> NDArray[np.int64]:
    """Those of some islands whose place is not locked; refuses when there are none."""
    chosen = picked(layout, islands)
    free = chosen[(layout.controls["flags"][chosen] & LOCK_PLACE) == 0]
    if not len(free):
        raise Refused(
            f"All {len(chosen)} picked islands keep their place.",
            "locks",
            "Unlock the place first.",
        )
    return np.asarray(free)


def open_tile(layout: Layout, number: int) -> TileSize:
    """A tile of the layout that is not frozen."""
    for tile in layout.tiles:
        if tile.number == number:
            if tile.frozen:
                raise Refused(f"Tile {number} is frozen.", "tile", "Thaw it, or take another.")
            return tile.size
    raise Refused(f"There is no tile {number}.", "tile", "Add it, or take another.")


def placed_state(
    layout: Layout,
    placements: NDArray[np.float64],
    chosen: NDArray[np.int64],
    placed: NDArray[np.bool_],
    tile: TileSize,
    settings: PackSettings,
) -> State:
    """A state after some of the chosen islands came to lie in a tile, `placed` (I,) bool.

    The others lie where they were; those that lay in this tile go to the side table, as their
    place may be taken now.
    """
    from quilt_core.pack.layout import lay_aside

    left = np.zeros(layout.islands.count, bool)
    left[chosen] = True
    left &= ~placed & (home_tiles(layout.islands, layout.placements, [tile]) == 0)
    unplaced = (layout.unplaced | left) & ~placed
    whole = replace(settings, tiles=tuple(t.size for t in layout.tiles))
    found = lay_aside(layout.islands, placements, left, whole, layout.pixels)
    return layout.state.having(placements=found, unplaced=unplaced)
