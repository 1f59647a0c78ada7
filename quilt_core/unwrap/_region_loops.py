"""Inner loop that grows regions from seeds over a surface."""

from __future__ import annotations

import heapq

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def grow(tris, seeds, across, cost, inside, open_, region, far):  # type: ignore[no-untyped-def]
    """Give each triangle of `tris` the number of the seed that it is nearest to.

    `cost` (3 N,) is the length of the step over each half-edge, 0 within a polygon; only triangles with `inside` (N,)
    are entered, and no half-edge with `open_`. `region` (N,) and `far` (N,) are filled for these
    triangles; -1 and inf where no seed reaches.
    """
    for t in tris:
        region[t] = -1
        far[t] = np.inf
    heap = [(0.0, np.int64(seeds[k]), np.int64(k)) for k in range(len(seeds))]
    for seed in seeds:
        far[seed] = 0.0
    heapq.heapify(heap)
    stack = [np.int64(0)]
    while len(heap):
        d, first, k = heapq.heappop(heap)
        if region[first] >= 0:
            continue
        region[first] = k
        stack.append(first)
        # Steps that cost nothing lead through one polygon, which is never parted.
        while len(stack) > 1:
            t = stack.pop()
            for s in range(3):
                h = 3 * t + s
                o = across[h]
                if o < 0 or open_[h]:
                    continue
                u = o // 3
                if not inside[u] or region[u] >= 0:
                    continue
                e = d + cost[h]
                if cost[h] == 0.0:
                    region[u] = k
                    stack.append(u)
                elif e < far[u]:
                    far[u] = e
                    heapq.heappush(heap, (e, u, k))


@njit(cache=True, nogil=True)
def spread_seeds(tris, count, first, across, cost, inside, open_, far):  # type: ignore[no-untyped-def]
    """Up to `count` seeds, each as far as can be from those before it; `first` is the first."""
    for t in tris:
        far[t] = np.inf
    seeds = np.empty(count, np.int64)
    n = 0
    here = first
    while n < count:
        seeds[n] = here
        n += 1
        far[here] = 0.0
        heap = [(0.0, np.int64(here))]
        while len(heap):
            d, t = heapq.heappop(heap)
            if d > far[t]:
                continue
            for s in range(3):
                h = 3 * t + s
                o = across[h]
                if o < 0 or open_[h]:
                    continue
                u = o // 3
                if not inside[u]:
                    continue
                e = d + cost[h]
                if e < far[u]:
                    far[u] = e
                    heapq.heappush(heap, (e, u))
        here = tris[0]
        most = -1.0
        for t in tris:
            if far[t] > most:
                most = far[t]
                here = t
        if most <= 0.0:
            break
    return seeds[:n]
