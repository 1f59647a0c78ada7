"""Inner loops of the exact overlap of triangles."""

from __future__ import annotations

import numpy as np
from numba import njit

from quilt_core.measure.grid import meeting

MOST_FOUND = 3_000_000
"""Pairs of triangles that are listed by one lane at most."""


@njit(cache=True, nogil=True)
def apart(a, b):  # type: ignore[no-untyped-def]
    """Whether an edge of triangle a (3, 2) has all of triangle b on its far side or on itself.

    Cheap, and exact for neighbours: corners that both have lie at zero distance.
    """
    turn = (a[1, 0] - a[0, 0]) * (a[2, 1] - a[0, 1]) - (a[1, 1] - a[0, 1]) * (a[2, 0] - a[0, 0])
    sign = -1.0 if turn < 0 else 1.0
    for e in range(3):
        f = e + 1 if e < 2 else 0
        ex, ey = (a[f, 0] - a[e, 0]) * sign, (a[f, 1] - a[e, 1]) * sign
        if (
            ex * (b[0, 1] - a[e, 1]) - ey * (b[0, 0] - a[e, 0]) <= 0
            and ex * (b[1, 1] - a[e, 1]) - ey * (b[1, 0] - a[e, 0]) <= 0
            and ex * (b[2, 1] - a[e, 1]) - ey * (b[2, 0] - a[e, 0]) <= 0
        ):
            return True
    return False


@njit(cache=True, nogil=True)
def shared(a, b):  # type: ignore[no-untyped-def]
    """Area shared by two triangles (3, 2), the middle of the corners of the shared piece, and its
    extent."""
    ox, oy = a[0, 0], a[0, 1]
    px = np.empty(12)
    py = np.empty(12)
    qx = np.empty(12)
    qy = np.empty(12)
    n = 3
    for i in range(3):
        px[i] = b[i, 0] - ox
        py[i] = b[i, 1] - oy
    sign = 1.0
    if (a[1, 0] - ox) * (a[2, 1] - oy) - (a[1, 1] - oy) * (a[2, 0] - ox) < 0:
        sign = -1.0
    for e in range(3):
        x0, y0 = a[e, 0] - ox, a[e, 1] - oy
        f = (e + 1) % 3
        ex, ey = (a[f, 0] - ox - x0) * sign, (a[f, 1] - oy - y0) * sign
        m = 0
        for i in range(n):
            j = i + 1 if i + 1 < n else 0
            di = ex * (py[i] - y0) - ey * (px[i] - x0)
            dj = ex * (py[j] - y0) - ey * (px[j] - x0)
            if di >= 0:
                qx[m] = px[i]
                qy[m] = py[i]
                m += 1
            if (di > 0 and dj < 0) or (di < 0 and dj > 0):
                t = di / (di - dj)
                qx[m] = px[i] + t * (px[j] - px[i])
                qy[m] = py[i] + t * (py[j] - py[i])
                m += 1
        n = m
        if n < 3:
            return 0.0, 0.0, 0.0, 0.0
        for i in range(n):
            px[i] = qx[i]
            py[i] = qy[i]
    area = 0.0
    for i in range(1, n - 1):
        area += (px[i] - px[0]) * (py[i + 1] - py[0]) - (py[i] - py[0]) * (px[i + 1] - px[0])
    extent = max(px[:n].max() - px[:n].min(), py[:n].max() - py[:n].min())
    return abs(area) * 0.5, ox + px[:n].mean(), oy + py[:n].mean(), extent


@njit(cache=True, nogil=True)
def overlapping_pairs(triangles, noise, lead, grid, first, last, least, most, limit):  # type: ignore[no-untyped-def]
    """Pairs of triangles, one of them leading, that share more than `least` area.

    `lead` (N,) says which lead; at most `most` others of a cell are compared. Returns (n, 2)
    indices, the lower first; (n, 4) areas, spots, and 1 where the shared piece is wider than the
    `noise` (N,) of both triangles, so that it cannot be rounding; the number of such pairs whose
    boxes meet, more than `limit` when it was given up; and whether the list became too long. What
    is found of a pair does not depend on what else there is.
    """
    capacity = 1024
    pairs = np.empty((capacity, 2), np.int64)
    areas = np.empty((capacity, 4))
    n, meets = 0, 0
    for one, two in meeting(grid, first, last, most):
        if not (lead[one] or lead[two]):
            continue
        meets += 1
        if n >= MOST_FOUND or meets > limit:
            return pairs[:n], areas[:n], meets, True
        i, j = (one, two) if one < two else (two, one)
        if apart(triangles[i], triangles[j]) or apart(triangles[j], triangles[i]):
            continue
        area, x, y, extent = shared(triangles[i], triangles[j])
        if area <= least:
            continue
        if n == capacity:
            capacity *= 2
            bigger = np.empty((capacity, 2), np.int64)
            bigger[:n] = pairs
            pairs = bigger
            wider = np.empty((capacity, 4))
            wider[:n] = areas
            areas = wider
        pairs[n, 0], pairs[n, 1] = i, j
        areas[n, 0], areas[n, 1], areas[n, 2] = area, x, y
        areas[n, 3] = area > max(noise[i], noise[j]) * extent
        n += 1
    return pairs[:n], areas[:n], meets, False
