"""The smallest Euclidean gap between islands, in pixels, on their exact outlines.

Nothing here is shared with the packer: this is the judge of what it does.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure._gap_loops import nearest_pair
from quilt_core.measure._grid import fill_grid, grid_size
from quilt_core.scene.island_set import IslandSet

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Gap:
    """Distance of the two nearest islands.

    Parameters
    ----------
    pixels : float
        0 where outlines cross; infinite with fewer than two islands.
    islands : (int, int)
    spots : ((float, float), (float, float))
        The two nearest points in px of the tile.
    """

    pixels: float
    islands: tuple[int, int]
    spots: tuple[tuple[float, float], tuple[float, float]]


NO_GAP = Gap(float("inf"), (-1, -1), ((0.0, 0.0), (0.0, 0.0)))


def smallest_gap(islands: IslandSet, width: int, height: int, expected: float = 16.0) -> Gap:
    """Find the smallest gap between the outlines of any two placed islands.

    An island that lies wholly inside the area of another is found by `find_overlaps`, not here.

    Parameters
    ----------
    islands : IslandSet
        Already placed: its coordinates are tile UVs.
    width, height : int
        Resolution of the tile in px.
    expected : float
        Guess in px; the search starts with twice this reach and doubles it.
    """
    pixels = islands.edges * np.array([width, height], np.float64)
    segments = np.ascontiguousarray(pixels.reshape(-1, 4))
    owner = islands.edge_island
    usable = np.isfinite(segments).all(axis=1)
    segments, owner = segments[usable], owner[usable]
    if len(np.unique(owner)) < 2:
        return NO_GAP
    low = np.minimum(segments[:, :2], segments[:, 2:])
    high = np.maximum(segments[:, :2], segments[:, 2:])
    span = float((high.max(axis=0) - low.min(axis=0)).max())
    reach = max(2.0 * expected, 1.0)
    while True:
        half = 0.5 * reach
        boxes = np.concatenate([low - half, high + half], axis=1)
        cell, mask = grid_size(boxes, reach)
        offsets, items = fill_grid(boxes, cell, mask)
        pixels_apart, a, b, spots = nearest_pair(segments, owner, offsets, items, reach)
        if np.isfinite(pixels_apart):
            return Gap(
                float(pixels_apart),
                (int(owner[a]), int(owner[b])),
                ((float(spots[0]), float(spots[1])), (float(spots[2]), float(spots[3]))),
            )
        if reach > 4 * span + 1:
            return NO_GAP
        reach *= 2
