"""Inner loops of straightening a seam: the shortest way between its ends, and what changes sides.

Reference: Dijkstra 1959, A Note on Two Problems in Connexion with Graphs.
"""

from __future__ import annotations

import heapq

import numpy as np
from numba import njit

from quilt_core.unwrap._island_loops import _root


@njit(cache=True, nogil=True)
def near_both(chain, across, joined, most, seen):  # type: ignore[no-untyped-def]
    """Triangles nearest to a seam on both of its sides, about `most` of them. `seen` (N,) is
    scratch: False everywhere, and so it is left."""
    out = np.empty(most + 8 * len(chain) + 8, np.int64)
    tail = 0
    for h in chain:
        for g in (h, across[h]):
            if not seen[g // 3]:
                seen[g // 3] = True
                out[tail] = g // 3
                tail += 1
    head = 0
    while head < tail and tail < most:
        t = out[head]
        head += 1
        for s in range(3):
            h = 3 * t + s
            if joined[h] and not seen[across[h] // 3]:
                seen[across[h] // 3] = True
                out[tail] = across[h] // 3
                tail += 1
    for k in range(tail):
        seen[out[k]] = False
    return out[:tail]


@njit(cache=True, nogil=True)
def _two_sides(tris, chain, vertex, joined, in_chain, up):  # type: ignore[no-untyped-def]
    """Roots of the seams that hang on the start and on the end of a chain within one island, without
    the chain; `up` (vertices,) is scratch."""
    for t in tris:
        for s in range(3):
            h = 3 * t + s
            if joined[h] or in_chain[h]:
                continue
            a, b = _root(up, vertex[t, s]), _root(up, vertex[t, (s + 1) % 3])
            if a != b:
                up[max(a, b)] = min(a, b)
    first, last = chain[0], chain[len(chain) - 1]
    return (
        _root(up, vertex[first // 3, first % 3]),
        _root(up, vertex[last // 3, (last % 3 + 1) % 3]),
    )


@njit(cache=True, nogil=True)
def shortest_way(  # type: ignore[no-untyped-def]
    band, tris, chain, same, vertex, across, joined, inner, length, in_chain, number, up
):  # type: ignore[no-untyped-def]
    """Half-edges of the shortest way that can take a chain's place, and how much shorter it is; none
    when it is not.

    It leads from end to end over edges of the triangles `band` and meets no other seam. Within one
    island (`same`) it may begin and end anywhere on the seams that hang on these ends, when nothing
    else connects them. `in_chain` (3 N,), `number` and `up` (vertices,) are scratch: False, -1, each
    its own.
    """
    for h in chain:
        in_chain[h] = True
        in_chain[across[h]] = True
    n = 0
    for t in band:
        for s in range(3):
            if number[vertex[t, s]] < 0:
                number[vertex[t, s]] = n
                n += 1
    degree = np.zeros(n + 1, np.int64)
    # 0: free, 1 and 2: where it may begin and end, 3: on another seam.
    side = np.zeros(n, np.int8)
    old = 0.0
    for h in chain:
        old += length[h]
    for t in band:
        for s in range(3):
            h = 3 * t + s
            a, b = number[vertex[t, s]], number[vertex[t, (s + 1) % 3]]
            if not joined[h] and not in_chain[h]:
                side[a] = 3
                side[b] = 3
            if not inner[h]:
                degree[a + 1] += 1
                degree[b + 1] += 1
    first, last = chain[0], chain[len(chain) - 1]
    start = number[vertex[first // 3, first % 3]]
    goal = number[vertex[last // 3, (last % 3 + 1) % 3]]
    if same:
        one, two = _two_sides(tris, chain, vertex, joined, in_chain, up)
        if one != two:
            for t in band:
                for s in range(3):
                    v = number[vertex[t, s]]
                    if side[v] == 3:
                        root = _root(up, vertex[t, s])
                        if root == one:
                            side[v] = 1
                        elif root == two:
                            side[v] = 2
        for t in tris:
            for s in range(3):
                up[vertex[t, s]] = vertex[t, s]
    side[start], side[goal] = 1, 2
    for v in range(n):
        degree[v + 1] += degree[v]
    fill = degree[:-1].copy()
    to, by = np.empty(degree[n], np.int64), np.empty(degree[n], np.int64)
    for t in band:
        for s in range(3):
            h = 3 * t + s
            if inner[h]:
                continue
            a, b = number[vertex[t, s]], number[vertex[t, (s + 1) % 3]]
            to[fill[a]], by[fill[a]] = b, h
            to[fill[b]], by[fill[b]] = a, h
            fill[a] += 1
            fill[b] += 1
    far = np.full(n, np.inf)
    came = np.full(n, -1, np.int64)
    before = np.full(n, -1, np.int64)
    heap = [(0.0, np.int64(0))]
    heapq.heappop(heap)
    for v in range(n):
        if side[v] == 1:
            far[v] = 0.0
            heapq.heappush(heap, (0.0, np.int64(v)))
    end = np.int64(-1)
    while len(heap):
        so, v = heapq.heappop(heap)
        if so > far[v]:
            continue
        if so >= old:
            break
        if side[v] == 2:
            end = v
            break
        for k in range(degree[v], degree[v + 1]):
            w = to[k]
            if side[w] == 3 or side[w] == 1:
                continue
            # Along another seam it would meet that.
            if not joined[by[k]] and not in_chain[by[k]]:
                continue
            if so + length[by[k]] < far[w]:
                far[w] = so + length[by[k]]
                came[w], before[w] = by[k], v
                heapq.heappush(heap, (far[w], w))
    way = np.empty(n, np.int64)
    long, gain = 0, 0.0
    if end >= 0 and far[end] < 0.999 * old:
        gain = old - far[end]
        v = end
        while side[v] != 1:
            way[long] = came[v]
            long += 1
            v = before[v]
    for h in chain:
        in_chain[h] = False
        in_chain[across[h]] = False
    for t in band:
        for s in range(3):
            number[vertex[t, s]] = -1
    return way[:long], gain


@njit(cache=True, nogil=True)
def open_parts(tris, across, open_, row):  # type: ignore[no-untyped-def]
    """(m,) part of each triangle over open sides; how many. `row` (N,) says where each stands."""
    m = len(tris)
    part = np.full(m, -1, np.int64)
    stack = np.empty(m, np.int64)
    count = 0
    for i in range(m):
        if part[i] >= 0:
            continue
        part[i] = count
        stack[0] = i
        top = 1
        while top:
            top -= 1
            j = stack[top]
            for s in range(3):
                h = 3 * tris[j] + s
                if not open_[h]:
                    continue
                k = row[across[h] // 3]
                if k >= 0 and part[k] < 0:
                    part[k] = count
                    stack[top] = k
                    top += 1
        count += 1
    return part, count


@njit(cache=True, nogil=True)
def unfold_onto(tris, laid, across, joined, rest, uv, row):  # type: ignore[no-untyped-def]
    """Lay triangles that are not `laid` (m,) beside those that are, one by one; says whether all
    could be. `row` (N,) says where each stands, -1 for none."""
    m = len(tris)
    queue = np.empty(m, np.int64)
    tail = 0
    for i in range(m):
        if laid[i]:
            queue[tail] = i
            tail += 1
    head = 0
    while head < tail:
        i = queue[head]
        head += 1
        for s in range(3):
            h = 3 * tris[i] + s
            if not joined[h]:
                continue
            o = across[h]
            j = row[o // 3]
            if j < 0 or laid[j]:
                continue
            u, r = o // 3, o % 3
            # Side r of u runs from the end of side s to its start.
            ax, ay = uv[tris[i], (s + 1) % 3, 0], uv[tris[i], (s + 1) % 3, 1]
            bx, by = uv[tris[i], s, 0], uv[tris[i], s, 1]
            px, py = (
                rest[u, (r + 1) % 3, 0] - rest[u, r, 0],
                rest[u, (r + 1) % 3, 1] - rest[u, r, 1],
            )
            qx, qy = (
                rest[u, (r + 2) % 3, 0] - rest[u, r, 0],
                rest[u, (r + 2) % 3, 1] - rest[u, r, 1],
            )
            size = max(px * px + py * py, 1e-300)
            c = ((bx - ax) * px + (by - ay) * py) / size
            d = ((by - ay) * px - (bx - ax) * py) / size
            uv[u, r, 0], uv[u, r, 1] = ax, ay
            uv[u, (r + 1) % 3, 0], uv[u, (r + 1) % 3, 1] = bx, by
            uv[u, (r + 2) % 3, 0] = ax + c * qx - d * qy
            uv[u, (r + 2) % 3, 1] = ay + d * qx + c * qy
            laid[j] = True
            queue[tail] = j
            tail += 1
    return tail == m


@njit(cache=True, nogil=True)
def about(mine, chain, way, across, joined, row, most, seen):  # type: ignore[no-untyped-def]
    """Up to about `most` triangles of an island (`row` says of which islands) nearest to two ways."""
    out = np.empty(most + 4 * (len(chain) + len(way)) + 8, np.int64)
    inside = np.zeros(len(seen), np.bool_)
    for t in mine:
        inside[row[t]] = True
    tail = 0
    for h in np.concatenate((chain, way)):
        for g in (h, across[h]):
            k = row[g // 3]
            if k >= 0 and inside[k] and not seen[k]:
                seen[k] = True
                out[tail] = g // 3
                tail += 1
    head = 0
    while head < tail and tail < most:
        t = out[head]
        head += 1
        for s in range(3):
            h = 3 * t + s
            if joined[h] and not seen[row[across[h] // 3]]:
                seen[row[across[h] // 3]] = True
                out[tail] = across[h] // 3
                tail += 1
    return out[:tail]
