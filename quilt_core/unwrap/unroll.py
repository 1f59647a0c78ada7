"""Sheets unrolled as they are: planes, the sides of cylinders, cones and prisms, and whatever else lies flat without any stretch
once it is cut along a few straight lines."""

from __future__ import annotations

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import dijkstra

from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap._border_loops import crosses
from quilt_core.unwrap._island_loops import figures, island_vertices
from quilt_core.unwrap._unfold_loops import unfold_tree
from quilt_core.unwrap.features import FLAT, HOLE, Region, sides_of
from quilt_core.unwrap.pieces import Pieces

MOST_TIPS = 4
"""Tips of cones in a region that cuts lead to."""
EXACT = 1e-4
"""How far apart the sides of a joined edge may be laid, as a part of the island's size."""
ALONG_RIM = 1e-3
"""What an edge of the border costs on the way of a cut, in its lengths: a cut that follows a border is none."""


def ways_to_cut(pieces: Pieces, region: Region, tips: bool = True) -> BoolArray | None:
    """(K, 3) sides along which a region is cut so that it can lie flat; None where no cut would do.

    Borders that are no rim of a sheet and no hole in one, and inner vertices that are tips, are linked by the shortest ways.
    """
    pointed = np.flatnonzero(np.abs(region.bend) > FLAT) if tips else np.empty(0, np.int64)
    if len(pointed) > MOST_TIPS:
        return None
    ends = [loop for loop, turn in zip(region.loops, region.loop_turn, strict=True)
            if abs(turn + 2 * np.pi) > HOLE]  # fmt: skip
    ends += [np.array([v]) for v in pointed]
    cut = np.zeros((len(region.tris), 3), bool)
    if not ends or (not region.loops and len(ends) < 2):
        return None if not region.loops else cut
    if len(ends) == 1:
        return cut
    start, end = region.faces, np.roll(region.faces, -1, axis=1)
    half = 3 * region.tris[:, None] + np.arange(3)
    usable = ~pieces.inner[half]
    cost = np.where(region.joined, pieces.length[half], ALONG_RIM * pieces.length[half])
    a, b, w = start[usable], end[usable], np.maximum(cost[usable], 1e-300)
    graph = sparse.coo_matrix(
        (np.concatenate([w, w]), (np.concatenate([a, b]), np.concatenate([b, a]))),
        (region.count, region.count),
    ).tocsr()
    # An edge with two triangles is given twice: its cost is what it is, not the sum.
    graph.data /= np.maximum(
        sparse.coo_matrix(
            (np.ones(2 * len(w)), (np.concatenate([a, b]), np.concatenate([b, a]))), graph.shape
        ).tocsr().data,
        1.0,
    )  # fmt: skip
    tree, left = ends[0], ends[1:]
    steps: set[tuple[int, int]] = set()
    while left:
        far, before, _ = dijkstra(
            graph, indices=np.unique(tree), min_only=True, return_predecessors=True
        )
        nearest = [int(e[np.argmin(far[e])]) for e in left]
        k = int(np.argmin([far[v] for v in nearest]))
        if not np.isfinite(far[nearest[k]]):
            return None
        way = [nearest[k]]
        while before[way[-1]] >= 0:
            way.append(int(before[way[-1]]))
        steps.update(zip(way[1:], way[:-1], strict=True))
        tree = np.concatenate([tree, left.pop(k), np.array(way)])
    for i, s in zip(*np.nonzero(region.joined & usable), strict=True):
        x, y = int(start[i, s]), int(end[i, s])
        cut[i, s] = (x, y) in steps or (y, x) in steps
    return cut


def unrolled(
    pieces: Pieces, tris: IntArray, joined: BoolArray, place: IntArray
) -> FloatArray | None:
    """(K, 3, 2) triangles laid flat as they are; None where that has stretch, falls apart or lies on itself.

    Parameters
    ----------
    pieces : Pieces
    tris : (K,) int64
    joined : (3 N,) bool
    place : (N,) int64
        Scratch: -1 everywhere, and so it is left.
    """
    half = sides_of(tris)
    if not _connected(pieces, tris, joined, place):
        return None
    flat = unfold_tree(tris, pieces.across, joined, pieces.rest, np.abs(pieces.turn[half]), place)
    even = with_common_vertices(pieces, tris, joined, flat, place)
    size = float(np.ptp(even.reshape(-1, 2), axis=0).max())
    if np.abs(even - flat).max() > EXACT * size or figures(pieces.rest[tris], even)[2]:
        return None
    return None if crosses(tris, joined, even, np.ones(len(tris), bool)) else even


def with_common_vertices(
    pieces: Pieces, tris: IntArray, joined: BoolArray, uv: FloatArray, place: IntArray
) -> FloatArray:
    """UVs (K, 3, 2) of an island whose corners at one vertex have the very same numbers: their mean."""
    faces, count = island_vertices(tris, pieces.across, joined, place)
    many = np.bincount(faces.ravel(), minlength=count)
    x = [np.bincount(faces.ravel(), uv[..., i].ravel(), count) / many for i in (0, 1)]
    return np.asarray(np.stack(x, axis=1)[faces])


def _connected(pieces: Pieces, tris: IntArray, joined: BoolArray, place: IntArray) -> bool:
    place[tris] = np.arange(len(tris))
    half = sides_of(tris)
    inside = half[joined[half]]
    pairs = np.stack([place[inside // 3], place[pieces.across[inside] // 3]], axis=1)
    place[tris] = -1
    return len(tris) == 1 or int(groups(pairs, len(tris)).max(initial=0)) == 0
