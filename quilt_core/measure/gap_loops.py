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
    segments, owner, kind, group, lead, few, grid, first, last, reach, most, limit
):
    """The nearest two spots of every pair of owners, one of them leading, nearer than `reach`.

    Only segments of different owners and, where they are not negative, of different kinds (N,) and
    groups (I,) count; `lead` (I,) says which lead; at most `most` others of a cell are compared.
    Pairs of owners that are both `few` (I,) are left out: `close_islands` compares them.
    Returns (n,) keys (lower owner x count + higher owner), (n,) distances, (n, 2) segments, (n, 4)
    spots on the lower and on the higher owner, and the number of pairs whose boxes meet, more than
    `limit` when it was given up. Of equally near spots those of the lowest segments are told: what
    is found of a pair of owners does not depend on what else there is.
    """
    size, used, meets, count = 1024, 0, 0, len(few)
    keys = np.full(size, -1, np.int64)
    near = np.empty(size)
    where = np.empty((size, 4))
    which = np.empty((size, 2), np.int64)
    spots = np.zeros(4)
    for i, j in meeting(grid, first, last, most):
        one, other = owner[i], owner[j]
        if not (lead[one] or lead[other]) or (few[one] and few[other]):
            continue
        meets += 1
        if meets > limit:
            break
        if one == other or (kind[i] >= 0 and kind[i] == kind[j]):
            continue
        if group[one] >= 0 and group[one] == group[other]:
            continue
        a, b = (i, j) if one < other else (j, i)
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


@njit(cache=True, nogil=True)
def close_islands(  # type: ignore[no-untyped-def]
    segments, order, start, box, ids, kind, group, lead, grid, first, last, reach, most, limit
):
    """What `close_segments` returns, of islands with few segments: each pair of islands whose boxes
    in the grid meet is compared at once.

    `order` and `start` (I + 1,) are the segments of each island, `box` (I, 4) the boxes round them,
    `ids` (B,) the islands of the grid's boxes, ascending; `group` and `lead` are theirs, (I,). The
    number returned is that of pairs of islands.
    """
    size, used, meets = 1024, 0, 0
    keys, near = np.empty(size, np.int64), np.empty(size)
    where, which = np.empty((size, 4)), np.empty((size, 2), np.int64)
    spots, best_spots = np.zeros(4), np.zeros(4)
    for u, v in meeting(grid, first, last, most):
        a, b = ids[min(u, v)], ids[max(u, v)]
        if not (lead[a] or lead[b]):
            continue
        meets += 1
        if meets > limit:
            break
        if group[a] >= 0 and group[a] == group[b]:
            continue
        best, one, other = reach * reach, -1, -1
        for k in range(start[a], start[a + 1]):
            i = order[k]
            if _from_box2(segments[i], box[b]) > best:
                continue
            for m in range(start[b], start[b + 1]):
                j = order[m]
                if kind[i] >= 0 and kind[i] == kind[j]:
                    continue
                if _boxes_apart2(segments[i], segments[j]) > best:
                    continue
                d = distance2(segments[i], segments[j], np.inf, spots)
                if d > best or (d == best and (one < 0 or (one, other) < (i, j))):
                    continue
                best, one, other = d, i, j
                best_spots[:] = spots
        if one < 0:
            continue
        if used == size:
            size *= 2
            keys, near = _longer(keys, size), _longer(near, size)
            where, which = _longer(where, size), _longer(which, size)
        keys[used], near[used], where[used] = a * (len(start) - 1) + b, best, best_spots
        which[used, 0], which[used, 1] = one, other
        used += 1
    return keys[:used], np.sqrt(near[:used]), which[:used], where[:used], meets


@njit(cache=True, nogil=True)
def _longer(values, size):  # type: ignore[no-untyped-def]
    out = np.empty((size, *values.shape[1:]), values.dtype)
    out[: len(values)] = values
    return out


@njit(cache=True, nogil=True)
def _from_box2(a, box):  # type: ignore[no-untyped-def]
    """Squared distance of the box of a segment (4,) from a box."""
    gx = max(min(a[0], a[2]) - box[2], box[0] - max(a[0], a[2]))
    gy = max(min(a[1], a[3]) - box[3], box[1] - max(a[1], a[3]))
    gx, gy = max(gx, 0.0), max(gy, 0.0)
    return gx * gx + gy * gy


@njit(cache=True, nogil=True)
def count_meeting(boxes, few, lead):  # type: ignore[no-untyped-def]
    """Pairs of few islands, one of them leading, whose boxes (I, 4) meet."""
    count = 0
    for a in np.flatnonzero(few & lead):
        for b in range(len(boxes)):
            if not few[b] or (lead[b] and b <= a):
                continue
            apart = boxes[a, 0] > boxes[b, 2] or boxes[b, 0] > boxes[a, 2]
            if not (apart or boxes[a, 1] > boxes[b, 3] or boxes[b, 1] > boxes[a, 3]):
                count += 1
    return count
