"""Overlap of islands, exact on their triangles."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure._grid import fill_grid, grid_size
from quilt_core.measure._overlap_loops import overlapping_pairs
from quilt_core.scene.island_set import IslandSet, sums

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

NOISE_TEXELS = 1e-6
"""Shared area in texels below which two triangles only touch."""


@dataclass(frozen=True, eq=False)
class Overlaps:
    """Pairs of islands that share area.

    Parameters
    ----------
    pairs : (P, 2) int64
        Island numbers, the lower first; equal numbers for an island that folds over itself.
    texels : (P,) float64
        Shared area in texels; areas covered by several pairs of faces count once per pair.
    """

    pairs: IntArray
    texels: FloatArray

    @property
    def islands(self) -> IntArray:
        """Sorted numbers of all islands involved."""
        return np.unique(self.pairs)


def find_overlaps(islands: IslandSet, width: int, height: int) -> Overlaps:
    """Find all overlaps of placed islands, within and between them.

    Parameters
    ----------
    islands : IslandSet
        Already placed: its coordinates are tile UVs.
    width, height : int
        Resolution of the tile in px.
    """
    triangles = np.ascontiguousarray(islands.triangles * np.array([width, height], np.float64))
    usable = np.isfinite(triangles).all(axis=(1, 2))
    triangles, owner = triangles[usable], islands.triangle_island[usable]
    if len(triangles) < 2:
        return Overlaps(np.empty((0, 2), np.int64), np.empty(0))
    boxes = np.concatenate([triangles.min(axis=1), triangles.max(axis=1)], axis=1)
    cell, mask = grid_size(boxes, 0.0)
    offsets, items = fill_grid(boxes, cell, mask)
    found, areas = overlapping_pairs(triangles, boxes, cell, mask, offsets, items, NOISE_TEXELS)
    between = np.sort(owner[found], axis=1)
    keys, inverse = np.unique(between[:, 0] * islands.count + between[:, 1], return_inverse=True)
    pairs = np.stack([keys // max(islands.count, 1), keys % max(islands.count, 1)], axis=1)
    return Overlaps(pairs, sums(inverse, areas, len(keys)))
