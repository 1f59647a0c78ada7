"""Inner loops of the smallest distance between outlines."""

from __future__ import annotations

import numpy as np
from numba import njit

from quilt_core.measure.grid import meeting


@njit(cache=True, nogil=True)
def _point_segment(px, py, ax, ay, bx, by):  # type: ignore[no-untyped-def]
    dx, dy = bx - ax, by - ay
    length = dx * dx + dy * dy
    t = 0.0
    if length > 0:
        t = min(1.0, max(0.0, ((px - ax) * dx + (py - ay) * dy) / length))
    qx, qy = ax + t * dx, ay + t * dy
    return (px - qx) ** 2 + (py - qy) ** 2, qx, qy


@njit(cache=True, nogil=True)
def _crosses(a, b):  # type: ignore[no-untyped-def]
    """Whether two segments (4,) have a point in common, other than at grazing ends."""
    d1 = (b[2] - b[0]) * (a[1] - b[1]) - (b[3] - b[1]) * (a[0] - b[0])
    d2 = (b[2] - b[0]) * (a[3] - b[1]) - (b[3] - b[1]) * (a[2] - b[0])
    d3 = (a[2] - a[0]) * (b[1] - a[1]) - (a[3] - a[1]) * (b[0] - a[0])
    d4 = (a[2] - a[0]) * (b[3] - a[1]) - (a[3] - a[1]) * (b[2] - a[0])
    return d1 * d2 < 0 and d3 * d4 < 0


@njit(cache=True, nogil=True)
def distance2(a, b, best, spots):  # type: ignore[no-untyped-def]
    """Squared distance of two segments (4,) when below `best`, else `best`; `spots` (4,) gets the
    points."""
    gx = max(min(a[0], a[2]) - max(b[0], b[2]), min(b[0], b[2]) - max(a[0], a[2]))
    gy = max(min(a[1], a[3]) - max(b[1], b[3]), min(b[1], b[3]) - max(a[1], a[3]))
    gx, gy = max(gx, 0.0), max(gy, 0.0)
    if gx * gx + gy * gy >= best:
        return best
    if _crosses(a, b):
        rx, ry, sx, sy = a[2] - a[0], a[3] - a[1], b[2] - b[0], b[3] - b[1]
        t = ((b[0] - a[0]) * sy - (b[1] - a[1]) * sx) / (rx * sy - ry * sx)
        spots[0] = spots[2] = a[0] + t * rx
        spots[1] = spots[3] = a[1] + t * ry
        return 0.0
    for k in range(2):
        d, qx, qy = _point_segment(a[2 * k], a[2 * k + 1], b[0], b[1], b[2], b[3])
        if d < best:
            best = d
            spots[0], spots[1], spots[2], spots[3] = a[2 * k], a[2 * k + 1], qx, qy
        d, qx, qy = _point_segment(b[2 * k], b[2 * k + 1], a[0], a[1], a[2], a[3])
        if d < best:
            best = d
            spots[0], spots[1], spots[2], spots[3] = qx, qy, b[2 * k], b[2 * k + 1]
    return best


@njit(cache=True, nogil=True)
def _row_of(key, keys):  # type: ignore[no-untyped-def]
    """Row of a key in an open hash table (a power of two long), or of the free place for it."""
    row = np.int64((np.uint64(key) * np.uint64(0x9E3779B97F4A7C15)) >> np.uint64(20)) & (
        len(keys) - 1
    )
    while keys[row] != -1 and keys[row] != key:
        row = (row + 1) & (len(keys) - 1)
    return row


@njit(cache=True, nogil=True)
def _boxes_apart2(a, b):  # type: ignore[no-untyped-def]
    """Squared distance of the boxes of two segments (4,)."""
    gx = max(min(a[0], a[2]) - max(b[0], b[2]), min(b[0], b[2]) - max(a[0], a[2]))
    gy = max(min(a[1], a[3]) - max(b[1], b[3]), min(b[1], b[3]) - max(a[1], a[3]))
    gx, gy = max(gx, 0.0), max(gy, 0.0)
    return gx * gx + gy * gy


@njit(cache=True, nogil=True)
def close_segments(  # type: ignore[no-untyped-def]
    segments, owner, kind, group, lead, count, grid, first, last, reach, most, limit
):
    """The nearest two spots of every pair of owners, one of them leading, nearer than `reach`.

    Only segments of different owners and, where they are not negative, of different kinds (N,) and
    groups (N,) count; `lead` (N,) says which lead; at most `most` others of a cell are compared.
    Returns (n,) keys (lower owner x count + higher owner), (n,) distances, (n, 2) segments, (n, 4)
    spots on the lower and on the higher owner, and the number of pairs whose boxes meet, more than
    `limit` when it was given up. Of equally near spots those of the lowest segments are told: what
    is found of a pair of owners does not depend on what else there is.
    """
    size, used, meets = 1024, 0, 0
    keys = np.full(size, -1, np.int64)
    near = np.empty(size)
    where = np.empty((size, 4))
    which = np.empty((size, 2), np.int64)
    spots = np.zeros(4)
    for i, j in meeting(grid, first, last, most):
        if not (lead[i] or lead[j]):
            continue
        meets += 1
        if meets > limit:
            break
        if owner[i] == owner[j] or (kind[i] >= 0 and kind[i] == kind[j]):
            continue
        if group[i] >= 0 and group[i] == group[j]:
            continue
        a, b = (i, j) if owner[i] < owner[j] else (j, i)
        key = owner[a] * count + owner[b]
        row = _row_of(key, keys)
        known = keys[row] == key
        best = near[row] if known else reach * reach
        if _boxes_apart2(segments[a], segments[b]) > best:
            continue
        d = distance2(segments[a], segments[b], np.inf, spots)
        if d > best or (d == best and not known):
            continue
        if known and d == best and (which[row, 0], which[row, 1]) < (a, b):
            continue
        keys[row] = key
        near[row] = d
        where[row] = spots
        which[row, 0], which[row, 1] = a, b
        used += 0 if known else 1
        if 2 * used > size:
            old_keys, old_near, old_where, old_which = keys, near, where, which
            size *= 2
            keys, near, where = np.full(size, -1, np.int64), np.empty(size), np.empty((size, 4))
            which = np.empty((size, 2), np.int64)
            for k in range(len(old_keys)):
                if old_keys[k] >= 0:
                    row = _row_of(old_keys[k], keys)
                    keys[row], near[row], where[row] = old_keys[k], old_near[k], old_where[k]
                    which[row] = old_which[k]
    full = np.flatnonzero(keys >= 0)
    return keys[full], np.sqrt(near[full]), which[full], where[full], meets
