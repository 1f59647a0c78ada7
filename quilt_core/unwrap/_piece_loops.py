"""Inner loops that find neighbours on surfaces that are no manifolds."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _outward(half, xyz):  # type: ignore[no-untyped-def]
    """Direction in the plane of a half-edge's triangle, away from the edge; and along the edge."""
    t, s = half // 3, half % 3
    a, b, c = xyz[3 * t + s], xyz[3 * t + (s + 1) % 3], xyz[3 * t + (s + 2) % 3]
    along = b - a
    along /= max(np.sqrt((along * along).sum()), 1e-300)
    away = c - a
    away = away - along * (away * along).sum()
    away /= max(np.sqrt((away * away).sum()), 1e-300)
    return away, along


@njit(cache=True, nogil=True)
def pair_many(order, begin, size, start, xyz, across):  # type: ignore[no-untyped-def]
    """Make neighbours of the half-edges of one edge that go on most evenly; fills `across`."""
    for g in range(len(begin)):
        n = min(size[g], 64)
        half = order[begin[g] : begin[g] + n]
        cost = np.empty((n, n))
        for i in range(n):
            away, _ = _outward(half[i], xyz)
            for j in range(n):
                other, _ = _outward(half[j], xyz)
                # Flat on: the one goes away where the other comes from.
                bend = (away * other).sum() + 1.0
                same = start[half[i]] == start[half[j]]
                cost[i, j] = bend + (0.5 if same else 0.0) if i != j else 9.0
        for _ in range(n // 2):
            best, bi, bj = 8.0, -1, -1
            for i in range(n):
                for j in range(i + 1, n):
                    if cost[i, j] < best:
                        best, bi, bj = cost[i, j], i, j
            if bi < 0:
                break
            across[half[bi]], across[half[bj]] = half[bj], half[bi]
            for k in range(n):
                cost[bi, k] = cost[k, bi] = cost[bj, k] = cost[k, bj] = 9.0


@njit(cache=True, nogil=True)
def match_winding(vertex, across):  # type: ignore[no-untyped-def]
    """(N,) triangles to turn over, so that neighbours are wound alike, and fewest of each piece;
    pairs that cannot agree are parted in `across`."""
    n = len(vertex)
    turned = np.zeros(n, np.bool_)
    seen = np.zeros(n, np.bool_)
    queue = np.empty(n, np.int64)
    later = np.empty(3 * n, np.int64)
    for seed in range(n):
        if seen[seed]:
            continue
        seen[seed] = True
        queue[0] = seed
        head, tail, many = 0, 1, 0
        first, last = 0, 0
        # Over sides where both are wound alike first: what cannot agree is parted elsewhere.
        while head < tail or first < last:
            if head == tail:
                h = later[first]
                first += 1
                u = across[h] // 3
                if seen[u]:
                    continue
                seen[u] = True
                turned[u] = not turned[h // 3]
                queue[tail] = u
                tail += 1
            t = queue[head]
            head += 1
            many += turned[t]
            for s in range(3):
                h = 3 * t + s
                o = across[h]
                if o < 0 or seen[o // 3]:
                    continue
                u = o // 3
                if vertex[t, s] == vertex[u, o % 3]:
                    later[last] = h
                    last += 1
                    continue
                seen[u] = True
                turned[u] = turned[t]
                queue[tail] = u
                tail += 1
        if 2 * many > tail:
            for k in range(tail):
                turned[queue[k]] = not turned[queue[k]]
    for h in range(3 * n):
        o = across[h]
        if o >= 0:
            same = vertex[h // 3, h % 3] == vertex[o // 3, o % 3]
            if turned[h // 3] != (turned[o // 3] != same):
                across[h] = -1
                across[o] = -1
    return turned
