"""The first charts: regions around seeds, halved until each lies flat."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap._region_loops import grow, spread_seeds
from quilt_core.unwrap._sew_loops import FINE, flatten_chart
from quilt_core.unwrap._unfold_loops import unfold_tree
from quilt_core.unwrap.patchwork import Limits, Patchwork
from quilt_core.unwrap.shells import Shells

CREASE = 12.0
"""How much longer the way over a radian of turn is."""


def step_costs(shells: Shells) -> FloatArray:
    """(3 N,) length of the way from each triangle over its sides to the next: between their
    middles, longer over creases; free within a polygon."""
    middle = shells.points.mean(axis=1)
    has = shells.across >= 0
    cost = np.zeros(3 * shells.count)
    half = np.flatnonzero(has)
    way = np.linalg.norm(middle[half // 3] - middle[shells.across[half] // 3], axis=1)
    typical = float(np.sqrt(shells.area.mean())) if shells.count else 1.0
    cost[half] = way * 0.5 + typical * CREASE * np.abs(shells.turn[half])
    cost[shells.inner] = 0.0
    return cost


def start_patchwork(shells: Shells, limits: Limits, regions: int) -> Patchwork:
    """Cut a surface into about so many regions that lie flat, more where it must be."""
    n = shells.count
    work = Patchwork(shells, np.full(n, -1, np.int64), np.zeros(3 * n, bool), np.zeros((n, 3, 2)))
    cost = step_costs(shells)
    inside = np.zeros(n, bool)
    shut = np.zeros(3 * n, bool)
    place, region, far = np.full(n, -1, np.int64), np.full(n, -1, np.int64), np.zeros(n)
    half = np.flatnonzero(shells.across >= 0)
    shell = groups(np.stack([half // 3, shells.across[half] // 3], axis=1), n)
    order = np.argsort(shell, kind="stable")
    parts = np.split(order, np.cumsum(np.bincount(shell))[:-1]) if n else []
    total = max(float(shells.area.sum()), 1e-300)
    queue: list[tuple[IntArray, int]] = []
    for part in parts:
        share = regions * (0.5 * len(part) / n + 0.5 * float(shells.area[part].sum()) / total)
        queue.append((part, max(1, min(round(share), len(part)))))
    charts = 0
    while queue:
        tris, wanted = queue.pop()
        if wanted == 1:
            _sew_inside(work, tris, inside, place)
            state, _, uv = flatten_chart(
                tris, shells.across, work.sewn, shells.rest, shells.sharp, work.uv, place,
                limits.energy, limits.stretch, 10,
            )  # fmt: skip
            if state == FINE or (shells.face[tris] == shells.face[tris[0]]).all():
                work.label[tris], work.uv[tris] = charts, uv
                charts += 1
                continue
            work.sewn[(3 * tris[:, None] + np.arange(3)).ravel()] = False
            wanted = 2
        inside[tris] = True
        seeds = spread_seeds(tris, wanted, tris[0], shells.across, cost, inside, shut, far)
        if wanted == 2 and len(seeds) == 2:
            # The far end of the far end.
            seeds = spread_seeds(tris, 2, seeds[1], shells.across, cost, inside, shut, far)
        grow(tris, seeds, shells.across, cost, inside, shut, region, far)
        inside[tris] = False
        own = region[tris]
        ranked = np.argsort(own, kind="stable")
        for piece in np.split(tris[ranked], np.flatnonzero(np.diff(own[ranked])) + 1):
            queue.append((piece, 1))
    return work


def _sew_inside(
    work: Patchwork, tris: IntArray, inside: NDArray[np.bool_], place: IntArray
) -> None:
    """Sew all edges between some triangles, and lay them out one by one."""
    shells = work.shells
    inside[tris] = True
    half = (3 * tris[:, None] + np.arange(3)).ravel()
    across = shells.across[half]
    work.sewn[half] = (across >= 0) & inside[across // 3]
    inside[tris] = False
    work.uv[tris] = unfold_tree(
        tris, shells.across, work.sewn, shells.rest, np.abs(shells.turn[half]), place
    )
