"""Inner loop that counts layers of a layout."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def layers_at(points, uv):  # type: ignore[no-untyped-def]
    """(P,) how many triangles (N, 3, 2) hold each point."""
    out = np.zeros(len(points), np.int64)
    for i in range(len(uv)):
        ax, ay = uv[i, 0, 0], uv[i, 0, 1]
        bx, by = uv[i, 1, 0] - ax, uv[i, 1, 1] - ay
        cx, cy = uv[i, 2, 0] - ax, uv[i, 2, 1] - ay
        det = bx * cy - by * cx
        if det == 0.0:
            continue
        for p in range(len(points)):
            x, y = points[p, 0] - ax, points[p, 1] - ay
            s = (x * cy - y * cx) / det
            t = (bx * y - by * x) / det
            if s >= 0.0 and t >= 0.0 and s + t <= 1.0:
                out[p] += 1
    return out
