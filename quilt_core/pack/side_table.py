"""The side table: to the left of the tiles lies what has no place yet. NumPy only: the web process answers it at once."""

from __future__ import annotations

import numpy as np

from quilt_core.pack.settings import PackSettings
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.types import BoolArray, FloatArray

SIDE_TABLE_LEFT, SIDE_TABLE_RIGHT = -0.7, -0.06
"""The side table lies to the left of the tiles, in UVs of the first tile, where no tile number
reaches."""


def packable(islands: IslandSet) -> BoolArray:
    """(I,) islands that can be packed: those with finite coordinates, be they only lines or
    points."""
    return np.asarray(np.isfinite(islands.bounds()).all(axis=1))


def lay_aside(
    islands: IslandSet,
    placements: FloatArray,
    which: BoolArray,
    settings: PackSettings,
    pixels: FloatArray,
    there: BoolArray | None = None,
) -> FloatArray:
    """New placements with some islands on the side table, above what lies there.

    Parameters
    ----------
    islands : IslandSet
    placements : (I, 2, 3) float64
    which : (I,) bool
    settings : PackSettings
        With all tiles; the side table lies beside the first.
    pixels : (I, 2) float64
        px per UV of the tiles that the islands lie in now.
    there : (I,) bool, optional
        Islands that lie on the side table; without it all that lie where it is.
    """
    out = placements.copy()
    if which.any():
        stays = packable(islands) & ~which
        stays = stays if there is None else stays & there
        top = side_table_top(islands, placements, stays, pixels)
        upright = placements[:, :, :2] * pixels[:, :, None]
        out[which] = lay_beside(islands.select(which), upright[which], settings, top)
    return out


def side_table_top(
    islands: IslandSet, placements: FloatArray, stays: BoolArray, pixels: FloatArray
) -> float:
    """Height in px up to which islands that stay lie on the side table already."""
    box = islands.placed(placements).bounds()
    there = stays & (box[:, 2] < 0) & (box[:, 3] > 0)
    return float((box[there, 3] * pixels[there, 1]).max(initial=0.0))


def lay_beside(
    islands: IslandSet, linear: FloatArray, settings: PackSettings, top: float
) -> FloatArray:
    """UV placements of islands on the side table: rows to the left of the tiles, above `top` in px.

    `linear` (I, 2, 2) is in px; islands wider than the side table make it wider to the left.
    """
    tile = settings.bins[0]
    size = np.array([tile.width, tile.height], np.float64)
    out = np.concatenate([linear, np.zeros((len(linear), 2, 1))], axis=2)
    box = islands.placed(out).bounds()
    gap = max(settings.padding, 0.01 * tile.width)
    right, left = SIDE_TABLE_RIGHT * tile.width, SIDE_TABLE_LEFT * tile.width
    x, y, row = right, top + gap if top > 0 else 0.0, 0.0
    for i in np.argsort(-(box[:, 3] - box[:, 1]), kind="stable"):
        width, height = box[i, 2] - box[i, 0], box[i, 3] - box[i, 1]
        if x < right and x - width < left:
            x, y, row = right, y + row + gap, 0.0
        out[i, :, 2] = (x - width - box[i, 0], y - box[i, 1])
        x, row = x - width - gap, max(row, height)
    return np.asarray(out / size[None, :, None])
