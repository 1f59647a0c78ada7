"""Take in: shrink the islands of tiles together until padding and margin are kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.measure import measure_tiles
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import compose
from quilt_core.scene.tiles import TileSize, home_tiles
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

LEAST = 0.5
"""Smaller than this part of their size islands are not made."""
CLOSE = 2e-5
"""The factor is found as exactly as this."""
ROUNDING = 1e-6
"""px by which a distance may be missed."""


def take_in(
    islands: IslandSet,
    placements: FloatArray,
    tiles: Sequence[TileSize],
    chosen: BoolArray,
    padding: float,
    margin: float,
    stack: IntArray | None = None,
    report: Callable[[float], None] = lambda share: None,
) -> tuple[FloatArray, float]:
    """Shrink islands by one factor, each about its own middle, just until the gaps are right.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    placements : (I, 2, 3) float64
    tiles : sequence of TileSize
    chosen : (I,) bool
        Islands that shrink; only those in a tile do. The others stay, and count as neighbours.
    padding, margin : float
        px to keep between islands, and to the edges of the tile.
    stack : (I,) int64, optional
        Islands of one number may lie on one another, and shrink about a common middle; -1 for none.
    report : callable
        Told from 0 to 1 how far it is; may raise to stop.

    Returns
    -------
    placements : (I, 2, 3) float64
    factor : float
        1 where the gaps are right already.

    Raises
    ------
    LayoutError
        When they are not right even at half the size.
    """
    stack = np.full(islands.count, -1) if stack is None else stack
    home = home_tiles(islands, placements, tiles)
    mine = chosen & (home >= 0)
    middle = _middles(islands.placed(placements).bounds(), np.where(mine, stack, -1))

    def at(factor: float) -> FloatArray:
        out = placements.copy()
        row = np.zeros((int(mine.sum()), 2, 3))
        row[:, 0, 0] = row[:, 1, 1] = factor
        row[:, :, 2] = (1 - factor) * middle[mine]
        out[mine] = compose(row, placements[mine])
        return out

    def right(factor: float) -> bool:
        found = measure_tiles(islands, at(factor), tiles, padding, stack)
        pairs = found.overlaps.pairs
        touching = mine[pairs].any(axis=1) & (home[pairs] >= 0).all(axis=1)
        touching &= pairs[:, 0] != pairs[:, 1]
        near = mine[found.close.pairs].any(axis=1) & (found.close.pixels < padding - ROUNDING)
        over = mine & (found.edge_px < margin - ROUNDING)
        return not (touching.any() or near.any() or over.any())

    if not mine.any():
        raise LayoutError("None of these islands lies in a tile.", "islands", "Select others.")
    if right(1.0):
        return placements, 1.0
    low, high = LEAST, 1.0
    if not right(low):
        raise LayoutError(
            "Even at half their size the islands are too near to one another or to the edge.",
            "gaps",
            "Move what overlaps apart first, or pack.",
        )
    steps = int(np.ceil(np.log2((high - low) / CLOSE)))
    for step in range(steps):
        report(step / steps)
        half = 0.5 * (low + high)
        low, high = (half, high) if right(half) else (low, half)
    return at(low), low


def _middles(box: FloatArray, stack: IntArray) -> FloatArray:
    """(I, 2) middle of the box of each island, of its whole stack where it is in one."""
    low, high = box[:, :2].copy(), box[:, 2:].copy()
    for number in np.unique(stack[stack >= 0]):
        own = stack == number
        low[own], high[own] = low[own].min(axis=0), high[own].max(axis=0)
    return np.asarray(0.5 * (low + high))
