"""All figures of a layout in one go."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure.density import island_densities, set_density
from quilt_core.measure.gap import Gap, smallest_gap
from quilt_core.measure.overlap import Overlaps, find_overlaps
from quilt_core.scene.island_set import IslandSet

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]

EDGE_TOLERANCE_PX = 1e-3
"""An island may pass the tile's edge by this much, the rounding of 32-bit files, and still be inside."""


@dataclass(frozen=True, eq=False)
class Figures:
    """What a layout measures.

    Parameters
    ----------
    density : (I,) float64
        px per metre per island, NaN for collapsed ones.
    density_all : float
        px per metre over all islands together.
    coverage : float
        Sum of the areas of islands inside the tile / area of the tile, 0–1 and above where they overlap.
    mirrored, outside, collapsed : (I,) bool
    overlaps : Overlaps
    gap : Gap
        Among the islands inside the tile; 0 px when any of them overlap.
    margin_px : float
        Smallest distance from an inside island to the tile's edge.
    """

    density: FloatArray
    density_all: float
    coverage: float
    mirrored: BoolArray
    outside: BoolArray
    collapsed: BoolArray
    overlaps: Overlaps
    gap: Gap
    margin_px: float


def measure(
    islands: IslandSet, placements: FloatArray, width: int, height: int, padding: float = 8.0
) -> Figures:
    """Measure a layout on one tile.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    placements : (I, 2, 3) float64
    width, height : int
        Resolution of the tile in px.
    padding : float
        The gap that is expected, in px; it only steers the search.
    """
    placed = islands.placed(placements)
    size = np.array([width, height], np.float64)
    box = placed.bounds() * np.tile(size, 2)
    slack = EDGE_TOLERANCE_PX
    outside = np.asarray((box[:, :2] < -slack).any(axis=1) | (box[:, 2:] > size + slack).any(axis=1))
    densities = island_densities(islands, placements, width, height)
    inside = placed.select(~outside)
    overlaps = find_overlaps(placed, width, height)
    gap = smallest_gap(inside, width, height, padding)
    numbers = np.flatnonzero(~outside)
    if gap.islands[0] >= 0:
        gap = Gap(gap.pixels, (int(numbers[gap.islands[0]]), int(numbers[gap.islands[1]])), gap.spots)
    between = overlaps.pairs[overlaps.pairs[:, 0] != overlaps.pairs[:, 1]]
    touching = between[~outside[between].any(axis=1)] if len(between) else between
    if len(touching):
        gap = Gap(0.0, (int(touching[0, 0]), int(touching[0, 1])), gap.spots)
    edge = np.concatenate([box[~outside, :2], size - box[~outside, 2:]], axis=1)
    return Figures(
        densities,
        set_density(islands, placements, width, height),
        float(np.abs(inside.uv_area).sum()),
        placed.uv_area < 0,
        outside,
        ~np.isfinite(densities),
        overlaps,
        gap,
        float(edge.min()) if len(edge) else float("inf"),
    )
