"""Inner loops of the exact overlap of triangles."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def shared_area(a, b):  # type: ignore[no-untyped-def]
    """Area shared by two triangles (3, 2), by clipping one with the other (Sutherland-Hodgman)."""
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
            return 0.0
        for i in range(n):
            px[i] = qx[i]
            py[i] = qy[i]
    area = 0.0
    for i in range(1, n - 1):
        area += (px[i] - px[0]) * (py[i + 1] - py[0]) - (py[i] - py[0]) * (px[i + 1] - px[0])
    return abs(area) * 0.5


@njit(cache=True)
def overlapping_pairs(triangles, boxes, cell, mask, offsets, items, least):  # type: ignore[no-untyped-def]
    """All pairs of triangles that share more than `least` area: (n, 2) indices and (n,) areas."""
    capacity = 1024
    pairs = np.empty((capacity, 2), np.int64)
    areas = np.empty(capacity)
    n = 0
    for s in range(mask + 1):
        for u in range(offsets[s], offsets[s + 1]):
            i, ix, iy = items[u, 0], items[u, 1], items[u, 2]
            for v in range(u + 1, offsets[s + 1]):
                j = items[v, 0]
                if items[v, 1] != ix or items[v, 2] != iy:
                    continue
                if (
                    boxes[i, 0] >= boxes[j, 2]
                    or boxes[j, 0] >= boxes[i, 2]
                    or boxes[i, 1] >= boxes[j, 3]
                    or boxes[j, 1] >= boxes[i, 3]
                ):
                    continue
                # Two boxes can meet in many cells; the cell of the lower corner of their meeting counts.
                if ix != int(np.floor(max(boxes[i, 0], boxes[j, 0]) / cell)):
                    continue
                if iy != int(np.floor(max(boxes[i, 1], boxes[j, 1]) / cell)):
                    continue
                area = shared_area(triangles[i], triangles[j])
                if area <= least:
                    continue
                if n == capacity:
                    capacity *= 2
                    bigger = np.empty((capacity, 2), np.int64)
                    bigger[:n] = pairs
                    pairs = bigger
                    wider = np.empty(capacity)
                    wider[:n] = areas
                    areas = wider
                pairs[n, 0] = i
                pairs[n, 1] = j
                areas[n] = area
                n += 1
    return pairs[:n], areas[:n]
