"""Overlap of islands, exact on their triangles."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure._grid import EVERYONE, Grid, make_grid, meetings, slot_shares
from quilt_core.measure._overlap_loops import overlapping_pairs
from quilt_core.scene.island_set import IslandSet, sums
from quilt_core.scene.islands import triangle_areas

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

LEAST_TEXELS = 1e-12
"""Shared areas below this many texels are left out of all sums."""
MOST_PAIRS = 2_500_000
"""With more pairs of triangles whose boxes meet, each triangle is compared with a few others
only."""
FEW = 20
LANES = 2


@dataclass(frozen=True, eq=False)
class Overlaps:
    """Pairs of islands that share area.

    Parameters
    ----------
    pairs : (P, 2) int64
        Island numbers, the lower first; equal numbers for an island that folds over itself.
    texels : (P,) float64
        Shared area in texels; areas covered by several pairs of faces count once per pair.
    spots : (P, 2) float64
        A point in px inside the largest shared piece of each pair.
    triangle_pairs : (T, 2) int64
        Triangles of the set that share area.
    triangle_texels : (T,) float64
    complete : bool
        False where so many faces lie on one spot that not every pair was compared. Where there are
        many copies of a face, they are compared with the first of them, and only that one with the
        others.
    """

    pairs: IntArray
    texels: FloatArray
    spots: FloatArray
    triangle_pairs: IntArray
    triangle_texels: FloatArray
    complete: bool = True

    @property
    def islands(self) -> IntArray:
        """Sorted numbers of all islands involved."""
        return np.unique(self.pairs)

    def select(self, keep: NDArray[np.bool_]) -> Overlaps:
        """Only some pairs of islands; the triangles stay."""
        return Overlaps(
            self.pairs[keep],
            self.texels[keep],
            self.spots[keep],
            self.triangle_pairs,
            self.triangle_texels,
            self.complete,
        )


def find_overlaps(
    islands: IslandSet, width: int, height: int, noise: FloatArray | None = None
) -> Overlaps:
    """Find all overlaps of placed islands, within and between them.

    Parameters
    ----------
    islands : IslandSet
        Already placed: its coordinates are tile UVs.
    width, height : int
        Resolution of the tile in px.
    noise : (I,) float64, optional
        px by which outlines may be off; shared pieces that are not wider are no overlap. Without it
        the rounding of float64 at a few texels.
    """
    triangles = np.ascontiguousarray(islands.triangles * np.array([width, height], np.float64))
    own_noise = np.full(islands.count, 1e-9) if noise is None else noise
    usable = np.flatnonzero(np.isfinite(triangles).all(axis=(1, 2)))
    triangles = triangles[usable]
    grid = _grid(triangles)
    copies = np.empty((0, 2), np.int64)
    most, complete = EVERYONE, True
    many = max(MOST_PAIRS, 24 * len(triangles))
    count = meetings(grid, many)
    if count > MOST_PAIRS // 4:
        copies, kept = _copies(triangles)
        if len(copies):
            copies, triangles, usable = usable[copies], triangles[kept], usable[kept]
            grid = _grid(triangles)
            count = meetings(grid, many)
        if count > many:
            most, complete = FEW, False
    triangle_noise = own_noise[islands.triangle_island[usable]]
    with ThreadPoolExecutor(LANES) as pool:
        parts = list(
            pool.map(
                lambda share: overlapping_pairs(
                    triangles, triangle_noise, grid, share[0], share[1], LEAST_TEXELS, most
                ),
                slot_shares(grid, LANES),
            )
        )
    found = np.concatenate([usable[part[0]] for part in parts] + [copies])
    own = _own_areas(islands, copies, width, height)
    areas = np.concatenate([*(part[1] for part in parts), own])
    owner = islands.triangle_island
    between = np.sort(owner[found], axis=1)
    count = max(islands.count, 1)
    key = between[:, 0] * count + between[:, 1]
    # Slight shares of two islands count with those that are no rounding, and not by themselves.
    sure = areas[:, 3] > 0
    real = np.isin(key, key[sure])
    found, areas, sure = found[real], areas[real], sure[real]
    keys, inverse = np.unique(key[real], return_inverse=True)
    pairs = np.stack([keys // count, keys % count], axis=1)
    # The largest shared piece of each pair: the last one when sorted by area.
    order = np.argsort(areas[:, 0], kind="stable")
    largest = np.zeros(len(keys), np.int64)
    largest[inverse[order]] = order
    return Overlaps(
        pairs,
        sums(inverse, areas[:, 0], len(keys)),
        areas[largest, 1:3],
        found[sure],
        areas[sure, 0],
        complete and not any(part[2] for part in parts),
    )


def _grid(triangles: FloatArray) -> Grid:
    a, b, c = triangles.transpose(1, 0, 2)
    low, high = np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)
    return make_grid(np.concatenate([low, high], axis=1))


def _copies(triangles: FloatArray) -> tuple[IntArray, IntArray]:
    """Triangles that are equal to an earlier one, as (first, copy), and those that are not."""
    corner = np.lexsort((triangles[:, :, 1], triangles[:, :, 0]), axis=1)
    rows = np.ascontiguousarray(
        np.take_along_axis(triangles, corner[:, :, None], axis=1).reshape(-1, 6)
    )
    _, first, inverse = np.unique(
        rows.view(np.dtype((np.void, 48))).ravel(), return_index=True, return_inverse=True
    )
    of = first[inverse]
    again = np.flatnonzero(of != np.arange(len(of)))
    return np.stack([of[again], again], axis=1), np.sort(first)


def _own_areas(islands: IslandSet, copies: IntArray, width: int, height: int) -> FloatArray:
    """(n, 4) area and middle of the triangles of which there are copies, and 1 where they have an
    area."""
    corners = islands.triangles[copies[:, 0]] * np.array([width, height], np.float64)
    area = np.abs(triangle_areas(corners))
    return np.column_stack([area, corners.mean(axis=1), area > LEAST_TEXELS])
