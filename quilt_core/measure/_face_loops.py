"""Inner loop over triangles: areas, singular values and slimness."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _slimness(edges2, area):  # type: ignore[no-untyped-def]
    """Smallest height over longest edge, from squared edge lengths: 0.866 for an equilateral
    triangle."""
    longest2 = max(edges2[0], edges2[1], edges2[2])
    return 2.0 * area / longest2 if longest2 > 0 else 0.0


@njit(cache=True, nogil=True)
def triangle_figures(uv, points):  # type: ignore[no-untyped-def]
    """(N, 6): signed area in the layout, area in space, both singular values, both slimnesses.

    `uv` (N, 3, 2) and `points` (N, 3, 3). The singular values are those of the affine map from the
    layout to the surface, the larger first; NaN where the layout has no area.
    """
    out = np.empty((len(uv), 6))
    e2 = np.empty(3)
    f2 = np.empty(3)
    for n in range(len(uv)):
        s1, t1 = uv[n, 1, 0] - uv[n, 0, 0], uv[n, 1, 1] - uv[n, 0, 1]
        s2, t2 = uv[n, 2, 0] - uv[n, 0, 0], uv[n, 2, 1] - uv[n, 0, 1]
        twice = s1 * t2 - s2 * t1
        aa = bb = ab = 0.0
        cross = 0.0
        for k in range(3):
            p1 = points[n, 1, k] - points[n, 0, k]
            p2 = points[n, 2, k] - points[n, 0, k]
            ds = p1 * t2 - p2 * t1
            dt = p2 * s1 - p1 * s2
            aa += ds * ds
            bb += dt * dt
            ab += ds * dt
            i, j = (k + 1) % 3, (k + 2) % 3
            q = (points[n, 1, i] - points[n, 0, i]) * (points[n, 2, j] - points[n, 0, j])
            r = (points[n, 1, j] - points[n, 0, j]) * (points[n, 2, i] - points[n, 0, i])
            cross += (q - r) ** 2
        for k in range(3):
            j = (k + 1) % 3
            e2[k] = (uv[n, j, 0] - uv[n, k, 0]) ** 2 + (uv[n, j, 1] - uv[n, k, 1]) ** 2
            f2[k] = 0.0
            for d in range(3):
                f2[k] += (points[n, j, d] - points[n, k, d]) ** 2
        area = 0.5 * np.sqrt(cross)
        high = low = np.nan
        if twice != 0:
            high = np.sqrt(0.5 * (aa + bb + np.sqrt((aa - bb) ** 2 + 4 * ab * ab))) / abs(twice)
            # The product of both is the ratio of the areas.
            low = area / (0.5 * abs(twice)) / high if high > 0 else 0.0
        out[n, 0], out[n, 1], out[n, 2], out[n, 3] = 0.5 * twice, area, high, low
        out[n, 4], out[n, 5] = _slimness(e2, 0.5 * abs(twice)), _slimness(f2, area)
    return out
