"""Clusters: pieces that stay together are packed among themselves first, then moved as one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.pack.placer import Placer
from quilt_core.pack.problem import PackProblem, no_obstacles
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.types import FloatArray, IntArray

ASPECTS = (0.55, 0.75, 1.0, 1.35, 1.8)
"""Widths that are tried, over the square root of the area."""


def pack_cluster(problem: PackProblem, settings: PackSettings, scale: float) -> FloatArray:
    """Lay pieces close together in a block that is as compact as can be found quickly.

    Parameters
    ----------
    problem : PackProblem
        The pieces of one cluster.
    settings : PackSettings
        Padding in px holds at `scale`, and at all larger ones.
    scale : float

    Returns
    -------
    (P, 2, 3) float64
        Pieces at scale 1 to the cluster at scale 1.
    """
    points = problem.edges.reshape(-1, 2)
    piece = np.repeat(np.arange(problem.count), np.diff(problem.starts) * 2)
    reach = np.zeros(problem.count)
    sums = [np.bincount(piece, points[:, k], problem.count) for k in (0, 1)]
    centre = np.stack(sums, 1) / np.bincount(piece, minlength=problem.count)[:, None]
    np.maximum.at(reach, piece, np.linalg.norm(points - centre[piece], axis=1))
    longest = 2 * float(reach.max()) * scale + settings.padding
    side = float(
        np.sqrt(problem.areas.sum() * scale**2 * 1.25 + settings.padding**2 * problem.count)
    )
    alone = replace(
        problem,
        grows=np.ones(problem.count, bool),
        tile=np.full(problem.count, -1),
        obstacles=no_obstacles(),
        region=None,
    )
    order = np.argsort(-reach, kind="stable")
    best: tuple[float, FloatArray] | None = None
    for aspect in ASPECTS:
        # Lengths are brought to a raster of their own; a tile must have whole px within limits.
        wide = max(side * aspect, longest / 1.6, 2.2 * settings.padding)
        tall = max(3 * side * side / wide + 2 * longest, 2.2 * settings.padding)
        unit = 4096 / max(wide, tall)
        room = replace(
            settings,
            width=max(16, int(wide * unit)),
            height=max(16, int(tall * unit)),
            tiles=(),
            margin=0.0,
            padding=settings.padding * unit,
            tidy=0.0,
            order="in order",
        )
        scaled = replace(alone, edges=problem.edges * unit, areas=problem.areas * unit**2)
        cells = int(np.clip(20 * np.sqrt(problem.count) * max(wide, tall) / side, 128, 1024))
        found, left = Placer(scaled, room, cells).place(order, scale, lambda: None)
        if left > 0:
            continue
        linear = found.turn.matrices()
        shift = found.shift / unit / scale
        moved = np.einsum("nij,nj->ni", linear[piece], points) + shift[piece]
        size = np.ptp(moved, axis=0)
        cost = float(size.prod() * (1 + 0.15 * abs(np.log(size[0] / size[1]))))
        if best is None or cost < best[0]:
            rows = np.concatenate([linear, shift[:, :, None]], axis=2)
            best = (cost, rows)
    if best is None:  # pieces of very different size: side by side is always possible
        return _in_a_row(points, piece, problem.count, settings.padding / scale)
    return best[1]


def _in_a_row(points: FloatArray, piece: IntArray, count: int, gap: float) -> FloatArray:
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(low, piece, points)
    np.maximum.at(high, piece, points)
    x = np.concatenate([[0.0], np.cumsum(high[:, 0] - low[:, 0] + gap * 1.001)[:-1]])
    out = np.zeros((count, 2, 3))
    out[:, 0, 0] = out[:, 1, 1] = 1.0
    out[:, :, 2] = np.stack([x, np.zeros(count)], axis=1) - low
    return out
