"""The smallest Euclidean gap between islands, in pixels, on their exact outlines.

Nothing here is shared with the packer: this is the judge of what it does.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure._gap_loops import close_segments, nearest_pair
from quilt_core.measure._grid import EVERYONE, Grid, make_grid, meetings, slot_shares
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.weld import weld_ids

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

LANES = 2
MOST_PAIRS = 2_500_000
"""With more pairs of edges whose boxes meet, each edge is compared with a few others only."""
FEW = 24


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


@dataclass(frozen=True, eq=False)
class ClosePairs:
    """Pairs of islands nearer than some reach, nearest first.

    Parameters
    ----------
    pairs : (P, 2) int64
        Island numbers, the lower first.
    pixels : (P,) float64
    spots : (P, 2, 2) float64
        Nearest point on the one and on the other, in px.
    complete : bool
        False where so many edges lie on one spot that not all were compared.
    """

    pairs: IntArray
    pixels: FloatArray
    spots: FloatArray
    complete: bool


def smallest_gap(
    islands: IslandSet,
    width: int,
    height: int,
    expected: float = 16.0,
    group: IntArray | None = None,
) -> Gap:
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
    group : (I,) int64, optional
        Islands with the same number are not compared with each other; -1 for none.
    """
    segments, edge = _segments(islands, width, height)
    owner = islands.edge_island[edge]
    if len(np.unique(owner)) < 2:
        return NO_GAP
    groups = np.full(len(edge), -1) if group is None else group[owner]
    ends = segments.reshape(-1, 2)
    span = float((ends.max(axis=0) - ends.min(axis=0)).max())
    reach = max(2.0 * expected, 1.0)
    while True:
        grid = _grid(segments, reach)
        pixels_apart, a, b, spots = nearest_pair(segments, owner, groups, grid, reach, EVERYONE)
        if np.isfinite(pixels_apart):
            return Gap(
                float(pixels_apart),
                (int(owner[a]), int(owner[b])),
                ((float(spots[0]), float(spots[1])), (float(spots[2]), float(spots[3]))),
            )
        if reach > 4 * span + 1 or len(np.unique(groups)) + (groups < 0).sum() < 2:
            return NO_GAP
        reach *= 2


def close_pairs(
    islands: IslandSet, width: int, height: int, reach: float, kind: IntArray | None = None,
    group: IntArray | None = None,
) -> ClosePairs:  # fmt: skip
    """Find every pair of islands whose outlines are nearer than a reach.

    Parameters
    ----------
    islands : IslandSet
        Already placed: its coordinates are tile UVs.
    width, height : int
        Resolution of the tile in px.
    reach : float
        In px; pairs at just this distance do not count.
    kind : (E,) int64, optional
        Edges of the same kind do not count; -1 counts with all.
    group : (I,) int64, optional
        Islands with the same number are not compared with each other; -1 for none.
    """
    segments, edge = _segments(islands, width, height)
    nothing = ClosePairs(np.empty((0, 2), np.int64), np.empty(0), np.empty((0, 2, 2)), True)
    if len(edge) < 2 or reach <= 0:
        return nothing
    kinds = np.full(len(edge), -1) if kind is None else kind[edge]
    groups = np.full(len(edge), -1) if group is None else group[islands.edge_island[edge]]
    grid, most = _grid(segments, reach), EVERYONE
    many = max(MOST_PAIRS, 40 * len(edge))
    count = meetings(grid, many)
    if count > MOST_PAIRS // 4 and (groups >= 0).any():
        # Of equal edges of one group one speaks for all.
        kept = np.unique(weld_ids(*segments.T, groups, kinds), return_index=True)[1]
        kept = np.sort(np.concatenate([kept[groups[kept] >= 0], np.flatnonzero(groups < 0)]))
        if len(kept) < len(edge):
            segments = np.ascontiguousarray(segments[kept])
            edge, kinds, groups = edge[kept], kinds[kept], groups[kept]
            grid = _grid(segments, reach)
            count = meetings(grid, many)
    most = FEW if count > many else EVERYONE
    owner, count = islands.edge_island[edge], islands.count
    with ThreadPoolExecutor(LANES) as pool:
        parts = list(
            pool.map(
                lambda share: close_segments(
                    segments, owner, kinds, groups, count, grid, share[0], share[1], reach, most
                ),
                slot_shares(grid, LANES),
            )
        )
    keys, pixels, spots = (np.concatenate([part[k] for part in parts]) for k in range(3))
    order = np.lexsort((keys, pixels))
    # Both lanes may know a pair: its first mention is the nearest.
    first = np.sort(np.unique(keys[order], return_index=True)[1])
    order = order[first]
    pairs = np.stack([keys[order] // count, keys[order] % count], axis=1)
    return ClosePairs(pairs, pixels[order], spots[order].reshape(-1, 2, 2), most == EVERYONE)


def _segments(islands: IslandSet, width: int, height: int) -> tuple[FloatArray, IntArray]:
    """Outline edges in px, (N, 4), and their numbers; edges that are not numbers are left out."""
    pixels = islands.edges * np.array([width, height], np.float64)
    segments = np.ascontiguousarray(pixels.reshape(-1, 4))
    usable = np.flatnonzero(np.isfinite(segments).all(axis=1))
    return segments[usable], usable


def _grid(segments: FloatArray, reach: float) -> Grid:
    low = np.minimum(segments[:, :2], segments[:, 2:]) - 0.5 * reach
    high = np.maximum(segments[:, :2], segments[:, 2:]) + 0.5 * reach
    return make_grid(np.concatenate([low, high], axis=1), reach)
