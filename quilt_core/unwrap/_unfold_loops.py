"""Inner loop that unfolds triangles into the plane."""

from __future__ import annotations

import heapq

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def unfold_tree(tris, across, joined, rest, turn, place):  # type: ignore[no-untyped-def]
    """Lay triangles down one by one, over the flattest joined edges first; (m, 3, 2) corners.

    `turn` (3 m,) is the angle at each of their sides; `place` (N,) is scratch: -1 everywhere, and
    so it is left.
    """
    m = len(tris)
    for i in range(m):
        place[tris[i]] = i
    out = np.empty((m, 3, 2))
    done = np.zeros(m, np.bool_)
    for i in range(m):
        if done[i]:
            continue
        out[i] = rest[tris[i]]
        done[i] = True
        heap = [(0.0, np.int64(-1))]
        heapq.heappop(heap)
        for s in range(3):
            start = 3 * tris[i] + s
            if joined[start]:
                heapq.heappush(heap, (turn[3 * i + s], np.int64(start)))
        while len(heap):
            _, h = heapq.heappop(heap)
            o = across[h]
            j = place[o // 3]
            if done[j]:
                continue
            k = place[h // 3]
            e, r = h % 3, o % 3
            # Corner r of the new triangle lies where corner s + 1 of the old one does.
            ax, ay = out[k, (e + 1) % 3, 0], out[k, (e + 1) % 3, 1]
            bx, by = out[k, e, 0], out[k, e, 1]
            new = rest[o // 3]
            px, py = new[r, 0], new[r, 1]
            qx, qy = new[(r + 1) % 3, 0], new[(r + 1) % 3, 1]
            c = (bx - ax) * (qx - px) + (by - ay) * (qy - py)
            z = (by - ay) * (qx - px) - (bx - ax) * (qy - py)
            size = np.sqrt(c * c + z * z)
            if size > 0:
                c /= size
                z /= size
            else:
                c, z = 1.0, 0.0
            for v in range(3):
                x, y = new[v, 0] - px, new[v, 1] - py
                out[j, v, 0] = ax + c * x - z * y
                out[j, v, 1] = ay + z * x + c * y
            done[j] = True
            for v in range(3):
                g = 3 * (o // 3) + v
                if joined[g]:
                    heapq.heappush(heap, (turn[3 * j + v], np.int64(g)))
    for i in range(m):
        place[tris[i]] = -1
    return out
