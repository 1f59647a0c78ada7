"""Inner loops of the smallest distance between outlines."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def _point_segment(px, py, ax, ay, bx, by):  # type: ignore[no-untyped-def]
    dx, dy = bx - ax, by - ay
    length = dx * dx + dy * dy
    t = 0.0
    if length > 0:
        t = min(1.0, max(0.0, ((px - ax) * dx + (py - ay) * dy) / length))
    qx, qy = ax + t * dx, ay + t * dy
    return (px - qx) ** 2 + (py - qy) ** 2, qx, qy


@njit(cache=True)
def _crosses(a, b):  # type: ignore[no-untyped-def]
    """Whether two segments (4,) have a point in common, other than at grazing ends."""
    d1 = (b[2] - b[0]) * (a[1] - b[1]) - (b[3] - b[1]) * (a[0] - b[0])
    d2 = (b[2] - b[0]) * (a[3] - b[1]) - (b[3] - b[1]) * (a[2] - b[0])
    d3 = (a[2] - a[0]) * (b[1] - a[1]) - (a[3] - a[1]) * (b[0] - a[0])
    d4 = (a[2] - a[0]) * (b[3] - a[1]) - (a[3] - a[1]) * (b[2] - a[0])
    return d1 * d2 < 0 and d3 * d4 < 0


@njit(cache=True)
def nearest_pair(segments, owner, offsets, items, reach):  # type: ignore[no-untyped-def]
    """Smallest distance below `reach` between segments (N, 4) of different owners.

    Returns the distance (inf when there is none), the two segments and the two spots (4,).
    """
    best = reach * reach
    first, second = -1, -1
    spots = np.zeros(4)
    for s in range(len(offsets) - 1):
        for u in range(offsets[s], offsets[s + 1]):
            i = items[u, 0]
            a = segments[i]
            for v in range(u + 1, offsets[s + 1]):
                j = items[v, 0]
                if owner[i] == owner[j]:
                    continue
                b = segments[j]
                gx = max(min(a[0], a[2]) - max(b[0], b[2]), min(b[0], b[2]) - max(a[0], a[2]))
                gy = max(min(a[1], a[3]) - max(b[1], b[3]), min(b[1], b[3]) - max(a[1], a[3]))
                gx, gy = max(gx, 0.0), max(gy, 0.0)
                if gx * gx + gy * gy >= best:
                    continue
                if _crosses(a, b):
                    best = 0.0
                    first, second = i, j
                    spots[:] = np.array([a[0], a[1], a[0], a[1]])
                    return best, first, second, spots
                for k in range(2):
                    d, qx, qy = _point_segment(a[2 * k], a[2 * k + 1], b[0], b[1], b[2], b[3])
                    if d < best:
                        best, first, second = d, i, j
                        spots[:] = np.array([a[2 * k], a[2 * k + 1], qx, qy])
                    d, qx, qy = _point_segment(b[2 * k], b[2 * k + 1], a[0], a[1], a[2], a[3])
                    if d < best:
                        best, first, second = d, i, j
                        spots[:] = np.array([qx, qy, b[2 * k], b[2 * k + 1]])
    return (np.sqrt(best) if first >= 0 else np.inf), first, second, spots
