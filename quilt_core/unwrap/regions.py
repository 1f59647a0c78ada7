"""The first islands: regions around seeds, halved until each lies flat."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap._join_loops import FINE, flatten_island
from quilt_core.unwrap._region_loops import grow, spread_seeds
from quilt_core.unwrap._unfold_loops import unfold_tree
from quilt_core.unwrap.pieces import Pieces
from quilt_core.unwrap.surface_islands import Limits, SurfaceIslands

CREASE = 12.0
"""How much longer the way over a radian of turn is."""


def step_costs(pieces: Pieces) -> FloatArray:
    """(3 N,) length of the way from each triangle over its sides to the next: between their
    middles, longer over creases; free within a polygon."""
    middle = pieces.points.mean(axis=1)
    has = pieces.across >= 0
    cost = np.zeros(3 * pieces.count)
    half = np.flatnonzero(has)
    way = np.linalg.norm(middle[half // 3] - middle[pieces.across[half] // 3], axis=1)
    typical = float(np.sqrt(pieces.area.mean())) if pieces.count else 1.0
    cost[half] = way * 0.5 + typical * CREASE * np.abs(pieces.turn[half])
    cost[pieces.inner] = 0.0
    return cost


def start_islands(pieces: Pieces, limits: Limits, regions: int) -> SurfaceIslands:
    """Cut a surface into about so many regions that lie flat, more where it must be."""
    n = pieces.count
    work = SurfaceIslands(
        pieces, np.full(n, -1, np.int64), np.zeros(3 * n, bool), np.zeros((n, 3, 2))
    )
    cost = step_costs(pieces)
    inside = np.zeros(n, bool)
    shut = np.zeros(3 * n, bool)
    place, region, far = np.full(n, -1, np.int64), np.full(n, -1, np.int64), np.zeros(n)
    half = np.flatnonzero(pieces.across >= 0)
    group = groups(np.stack([half // 3, pieces.across[half] // 3], axis=1), n)
    order = np.argsort(group, kind="stable")
    parts = np.split(order, np.cumsum(np.bincount(group))[:-1]) if n else []
    total = max(float(pieces.area.sum()), 1e-300)
    queue: list[tuple[IntArray, int]] = []
    for part in parts:
        share = regions * (0.5 * len(part) / n + 0.5 * float(pieces.area[part].sum()) / total)
        queue.append((part, max(1, min(round(share), len(part)))))
    islands = 0
    while queue:
        tris, wanted = queue.pop()
        if wanted == 1:
            _join_inside(work, tris, inside, place)
            state, _, uv = flatten_island(
                tris, pieces.across, work.joined, pieces.rest, pieces.sharp, work.uv, place,
                limits.energy, limits.stretch, 10,
            )  # fmt: skip
            if state == FINE or (pieces.face[tris] == pieces.face[tris[0]]).all():
                work.label[tris], work.uv[tris] = islands, uv
                islands += 1
                continue
            work.joined[(3 * tris[:, None] + np.arange(3)).ravel()] = False
            wanted = 2
        inside[tris] = True
        seeds = spread_seeds(tris, wanted, tris[0], pieces.across, cost, inside, shut, far)
        if wanted == 2 and len(seeds) == 2:
            # The far end of the far end.
            seeds = spread_seeds(tris, 2, seeds[1], pieces.across, cost, inside, shut, far)
        grow(tris, seeds, pieces.across, cost, inside, shut, region, far)
        inside[tris] = False
        own = region[tris]
        ranked = np.argsort(own, kind="stable")
        for piece in np.split(tris[ranked], np.flatnonzero(np.diff(own[ranked])) + 1):
            queue.append((piece, 1))
    return work


def _join_inside(
    work: SurfaceIslands, tris: IntArray, inside: NDArray[np.bool_], place: IntArray
) -> None:
    """Sew all edges between some triangles, and lay them out one by one."""
    pieces = work.pieces
    inside[tris] = True
    half = (3 * tris[:, None] + np.arange(3)).ravel()
    across = pieces.across[half]
    work.joined[half] = (across >= 0) & inside[across // 3]
    inside[tris] = False
    work.uv[tris] = unfold_tree(
        tris, pieces.across, work.joined, pieces.rest, np.abs(pieces.turn[half]), place
    )
