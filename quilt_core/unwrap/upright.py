"""Islands turned upright: most of their straight borders along the axes."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.tightest_turn import tightest_turn
from quilt_core.scene.types import FloatArray

LEAST_SHARE = 0.1
"""Of the border that straight stretches of one direction have at least; an island with less stands by its box alone."""
ALIKE = np.radians(0.05)


def upright_turn(points: FloatArray, start: FloatArray, end: FloatArray) -> FloatArray:
    """(2, 2) turn that puts an island upright, wider than high, for ``points @ turn``.

    Its straight borders decide, square and upright ones together, the longest first; where there are none the box of least area does.

    Parameters
    ----------
    points : (N, 2) float64
        Of the island, at least one.
    start, end : (B, 2) float64
        Edges of its border, in any order.

    Examples
    --------
    >>> tilted = np.array([[0.0, 0.0], [2.0, 2.0], [1.0, 3.0], [-1.0, 1.0]])
    >>> box = np.ptp(tilted @ upright_turn(tilted, tilted, np.roll(tilted, -1, axis=0)), axis=0)
    >>> np.round(box, 6).tolist()
    [2.828427, 1.414214]
    """
    angle = _of_borders(start, end)
    if angle is None:
        angle = -tightest_turn(points)
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[c, -s], [s, c]])
    wide, high = np.ptp(points @ turn, axis=0)
    return turn if wide >= high * (1 - 1e-9) else np.array([[-s, -c], [c, -s]])


def border_of(triangles: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Edges of triangles (K, 3, 2) that no other one has, with the same numbers at its ends: their starts and ends, (B, 2) each."""
    start = triangles.reshape(-1, 2)
    end = np.roll(triangles, -1, axis=1).reshape(-1, 2)
    name = np.unique(np.concatenate([start, end]), axis=0, return_inverse=True)[1].reshape(2, -1)
    low, high = name.min(axis=0), name.max(axis=0)
    _, which, many = np.unique(
        low * (int(high.max()) + 1) + high, return_inverse=True, return_counts=True
    )
    alone = many[which] == 1
    return start[alone], end[alone]


def _of_borders(start: FloatArray, end: FloatArray) -> float | None:
    """Direction modulo a quarter turn that most of the border has."""
    step = end - start
    length = np.linalg.norm(step, axis=1)
    kept = length > 1e-12 * max(float(length.sum()), 1e-300)
    step, length = step[kept], length[kept]
    if not len(step):
        return None
    angle = np.mod(np.arctan2(step[:, 1], step[:, 0]), np.pi / 2)
    order = np.argsort(angle)
    angle, length = angle[order], length[order]
    # The circle of directions is walked once and a bit more, so that those about 0 are together.
    twice = np.concatenate([angle, angle + np.pi / 2])
    weight = np.concatenate([length, length])
    held = np.r_[0.0, np.cumsum(weight)]
    last = np.searchsorted(twice, twice + ALIKE, side="right")
    sums = held[last] - held[np.arange(len(twice))]
    # Of directions that are as good, that of the earliest edge: copies stand alike however they were rounded.
    good = np.flatnonzero(sums[: len(angle)] >= (1 - ALIKE) * sums.max())
    k = int(good[np.argmin([order[np.arange(i, last[i]) % len(angle)].min() for i in good])])
    if sums[k] < LEAST_SHARE * length.sum():
        return None
    part = slice(k, int(last[k]))
    return float(np.average(twice[part], weights=weight[part]))
