"""Inner loops that flatten one island: its vertices, an as-rigid-as-possible solve, its figures.

References: Liu, Zhang, Xu, Gotsman, Gortler 2008, A Local/Global Approach to Mesh Parameterization;
George and Liu 1981, Computer Solution of Large Sparse Positive Definite Systems (envelopes).
"""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _root(up, i):  # type: ignore[no-untyped-def]
    while up[i] != i:
        up[i] = up[up[i]]
        i = up[i]
    return i


@njit(cache=True, nogil=True)
def island_vertices(tris, across, joined, place):  # type: ignore[no-untyped-def]
    """(m, 3) vertices of an island's triangles, which are one where edges are joined; and how many.

    `place` (N,) is scratch: -1 everywhere, and so it is left.
    """
    m = len(tris)
    for i in range(m):
        place[tris[i]] = i
    up = np.arange(3 * m)
    for i in range(m):
        for s in range(3):
            h = 3 * tris[i] + s
            if not joined[h]:
                continue
            o = across[h]
            j = place[o // 3]
            if j < 0 or j < i:
                continue
            a, b = _root(up, 3 * i + s), _root(up, 3 * j + (o % 3 + 1) % 3)
            if a != b:
                up[max(a, b)] = min(a, b)
            a, b = _root(up, 3 * i + (s + 1) % 3), _root(up, 3 * j + o % 3)
            if a != b:
                up[max(a, b)] = min(a, b)
    number = np.full(3 * m, -1, np.int64)
    out = np.empty((m, 3), np.int64)
    n = 0
    for c in range(3 * m):
        r = _root(up, c)
        if number[r] < 0:
            number[r] = n
            n += 1
        out[c // 3, c % 3] = number[r]
    for i in range(m):
        place[tris[i]] = -1
    return out, n


@njit(cache=True, nogil=True)
def _links(faces, n):  # type: ignore[no-untyped-def]
    """Neighbours of vertices in rows (CSR), each edge once or twice."""
    start = np.zeros(n + 1, np.int64)
    m = len(faces)
    for i in range(m):
        for s in range(3):
            start[faces[i, s] + 1] += 2
    for v in range(n):
        start[v + 1] += start[v]
    fill = start[:-1].copy()
    link = np.empty(6 * m, np.int64)
    for i in range(m):
        for s in range(3):
            v = faces[i, s]
            link[fill[v]] = faces[i, (s + 1) % 3]
            link[fill[v] + 1] = faces[i, (s + 2) % 3]
            fill[v] += 2
    return start, link


@njit(cache=True, nogil=True)
def _flood(seed, start, link, order, seen, mark):  # type: ignore[no-untyped-def]
    """Vertices linked to a seed in the order in which they are met; how many."""
    order[0] = seed
    seen[seed] = mark
    head, tail = 0, 1
    while head < tail:
        v = order[head]
        head += 1
        for k in range(start[v], start[v + 1]):
            w = link[k]
            if seen[w] != mark:
                seen[w] = mark
                order[tail] = w
                tail += 1
    return tail


@njit(cache=True, nogil=True)
def banded_order(faces, n):  # type: ignore[no-untyped-def]
    """(n,) rank of each vertex so that neighbours have near ranks (Cuthill and McKee)."""
    start, link = _links(faces, n)
    seen = np.zeros(n, np.int64)
    order = np.empty(n, np.int64)
    rank = np.full(n, -1, np.int64)
    used, mark = 0, 0
    for v in range(n):
        if rank[v] >= 0:
            continue
        seed = v
        for _ in range(2):
            mark += 1
            tail = _flood(seed, start, link, order, seen, mark)
            seed = order[tail - 1]
        mark += 1
        tail = _flood(seed, start, link, order, seen, mark)
        for k in range(tail):
            rank[order[k]] = used + k
        used += tail
    return rank


@njit(cache=True, nogil=True)
def cotangents(rest):  # type: ignore[no-untyped-def]
    """(m, 3) half the cotangent of the angle opposite to each side."""
    m = len(rest)
    out = np.empty((m, 3))
    for i in range(m):
        two = (rest[i, 1, 0] - rest[i, 0, 0]) * (rest[i, 2, 1] - rest[i, 0, 1]) - (
            rest[i, 1, 1] - rest[i, 0, 1]
        ) * (rest[i, 2, 0] - rest[i, 0, 0])
        for s in range(3):
            c, a, b = (s + 2) % 3, s, (s + 1) % 3
            dot = (rest[i, a, 0] - rest[i, c, 0]) * (rest[i, b, 0] - rest[i, c, 0]) + (
                rest[i, a, 1] - rest[i, c, 1]
            ) * (rest[i, b, 1] - rest[i, c, 1])
            out[i, s] = 0.5 * dot / two
    return out


@njit(cache=True, nogil=True)
def envelope_size(faces, rank, n):  # type: ignore[no-untyped-def]
    """First column and end of each row of the lower triangle, in ranks."""
    first = np.arange(n)
    for i in range(len(faces)):
        low = min(rank[faces[i, 0]], rank[faces[i, 1]], rank[faces[i, 2]])
        for s in range(3):
            r = rank[faces[i, s]]
            if low < first[r]:
                first[r] = low
    end = np.empty(n + 1, np.int64)
    end[0] = 0
    for r in range(n):
        end[r + 1] = end[r] + r - first[r] + 1
    return first, end


@njit(cache=True, nogil=True, fastmath=True)
def _dot(a, i, b, j, n):  # type: ignore[no-untyped-def]
    total = 0.0
    for k in range(n):
        total += a[i + k] * b[j + k]
    return total


@njit(cache=True, nogil=True)
def factor(first, end, value):  # type: ignore[no-untyped-def]
    """Cholesky factor in place, row by row within the envelope; False when not positive."""
    n = len(first)
    for i in range(n):
        fi = first[i]
        bi = end[i] - fi
        for j in range(fi, i):
            fj = first[j]
            bj = end[j] - fj
            low = max(fi, fj)
            value[bi + j] -= _dot(value, bi + low, value, bj + low, j - low)
            value[bi + j] /= value[bj + j]
        left = value[bi + i] - _dot(value, bi + fi, value, bi + fi, i - fi)
        if not left > 0.0:
            return False
        value[bi + i] = np.sqrt(left)
    return True


@njit(cache=True, nogil=True)
def solve(first, end, value, x):  # type: ignore[no-untyped-def]
    """Solve for the right sides x (2, n), in place."""
    n = len(first)
    for d in range(2):
        for i in range(n):
            fi = first[i]
            bi = end[i] - fi
            x[d, i] = (x[d, i] - _dot(value, bi + fi, x[d], fi, i - fi)) / value[bi + i]
        for i in range(n - 1, -1, -1):
            fi = first[i]
            bi = end[i] - fi
            x[d, i] /= value[bi + i]
            here = x[d, i]
            for k in range(fi, i):
                x[d, k] -= value[bi + k] * here


@njit(cache=True, nogil=True)
def assemble(faces, cot, rank, n, first, end):  # type: ignore[no-untyped-def]
    """The Laplacian within its envelope, a little above singular."""
    value = np.zeros(end[n])
    for i in range(len(faces)):
        for s in range(3):
            w = cot[i, s]
            a, b = rank[faces[i, s]], rank[faces[i, (s + 1) % 3]]
            value[end[a + 1] - 1] += w
            value[end[b + 1] - 1] += w
            r, c = (a, b) if a > b else (b, a)
            value[end[r] - first[r] + c] -= w
    mean = 0.0
    for r in range(n):
        mean += value[end[r + 1] - 1]
    mean /= max(n, 1)
    for r in range(n):
        value[end[r + 1] - 1] += 1e-10 * mean
    return value


@njit(cache=True, nogil=True)
def right_side(faces, cot, rest, uv, rank, x):  # type: ignore[no-untyped-def]
    """Local step: the rotation nearest to each triangle's present map, summed up in x (2, n)."""
    x[:] = 0.0
    for i in range(len(faces)):
        c, s = 0.0, 0.0
        for k in range(3):
            j = (k + 1) % 3
            ux, uy = uv[i, k, 0] - uv[i, j, 0], uv[i, k, 1] - uv[i, j, 1]
            rx, ry = rest[i, k, 0] - rest[i, j, 0], rest[i, k, 1] - rest[i, j, 1]
            c += cot[i, k] * (ux * rx + uy * ry)
            s += cot[i, k] * (uy * rx - ux * ry)
        size = np.sqrt(c * c + s * s)
        if size > 0.0:
            c /= size
            s /= size
        else:
            c, s = 1.0, 0.0
        for k in range(3):
            j = (k + 1) % 3
            rx, ry = rest[i, k, 0] - rest[i, j, 0], rest[i, k, 1] - rest[i, j, 1]
            px, py = cot[i, k] * (c * rx - s * ry), cot[i, k] * (s * rx + c * ry)
            a, b = rank[faces[i, k]], rank[faces[i, j]]
            x[0, a] += px
            x[1, a] += py
            x[0, b] -= px
            x[1, b] -= py


@njit(cache=True, nogil=True)
def write_corners(faces, rank, x, uv):  # type: ignore[no-untyped-def]
    """Coordinates of the vertices to the corners; returns the largest move."""
    most = 0.0
    for i in range(len(faces)):
        for k in range(3):
            r = rank[faces[i, k]]
            most = max(most, abs(uv[i, k, 0] - x[0, r]), abs(uv[i, k, 1] - x[1, r]))
            uv[i, k, 0] = x[0, r]
            uv[i, k, 1] = x[1, r]
    return most


@njit(cache=True, nogil=True)
def relax(faces, n, rest, uv, steps, settled, most, held):  # type: ignore[no-untyped-def]
    """As-rigid-as-possible from the present corners uv (m, 3, 2), in place; False when it has no
    solution, or when it will hardly come below an energy of `most`. Ends when no corner moves by
    `settled` of the island's size. Vertices that are `held` (n,) stay."""
    rank = banded_order(faces, n)
    first, end = envelope_size(faces, rank, n)
    cot = cotangents(rest)
    value = assemble(faces, cot, rank, n, first, end)
    pull = np.zeros((3, n))
    if len(held) == n:
        for i in range(len(faces)):
            for k in range(3):
                v = faces[i, k]
                if held[v]:
                    r = rank[v]
                    pull[2, r] = 1e7 * value[end[r + 1] - 1]
                    pull[0, r] = pull[2, r] * uv[i, k, 0]
                    pull[1, r] = pull[2, r] * uv[i, k, 1]
        for r in range(n):
            value[end[r + 1] - 1] += pull[2, r]
    if not factor(first, end, value):
        return False
    x = np.empty((2, n))
    area = 0.0
    for i in range(len(faces)):
        area += 0.5 * rest[i, 1, 0] * rest[i, 2, 1]
    size = np.sqrt(area)
    for step in range(steps):
        right_side(faces, cot, rest, uv, rank, x)
        for r in range(n):
            x[0, r] += pull[0, r]
            x[1, r] += pull[1, r]
        solve(first, end, value, x)
        if write_corners(faces, rank, x, uv) < settled * size:
            break
        if step == 2 or step == 6:
            allowed = (4.0 if step == 2 else 1.5) * (most - 4.0)
            if figures(rest, uv)[0] - 4.0 > allowed:
                return False
    return True


@njit(cache=True, nogil=True)
def near_chain(chain, across, joined, most, seen):  # type: ignore[no-untyped-def]
    """Up to about `most` triangles nearest to a chain of half-edges, over joined sides; and whether
    there are more. `seen` (N,) is scratch: False everywhere, and so it is left."""
    out = np.empty(most + 4 * len(chain) + 8, np.int64)
    tail = 0
    for h in chain:
        for g in (h, across[h]):
            t = g // 3
            if not seen[t]:
                seen[t] = True
                out[tail] = t
                tail += 1
    head, more = 0, False
    while head < tail:
        t = out[head]
        head += 1
        for s in range(3):
            h = 3 * t + s
            if not joined[h]:
                continue
            u = across[h] // 3
            if seen[u]:
                continue
            if tail >= most:
                more = True
                continue
            seen[u] = True
            out[tail] = u
            tail += 1
    for k in range(tail):
        seen[out[k]] = False
    return out[:tail], more


@njit(cache=True, nogil=True)
def rim(tris, faces, n, across, joined, place):  # type: ignore[no-untyped-def]
    """(n,) vertices of some triangles that others of their island share."""
    for i in range(len(tris)):
        place[tris[i]] = i
    held = np.zeros(n, np.bool_)
    for i in range(len(tris)):
        for s in range(3):
            h = 3 * tris[i] + s
            if joined[h] and place[across[h] // 3] < 0:
                held[faces[i, s]] = True
                held[faces[i, (s + 1) % 3]] = True
    for i in range(len(tris)):
        place[tris[i]] = -1
    return held


@njit(cache=True, nogil=True)
def covered_share(uv, area, onto):  # type: ignore[no-untyped-def]
    """Share of the area of triangles uv (m, 3, 2) whose middles lie on the triangles `onto`, by a
    raster of about 64 cells across uv."""
    low_x, low_y = uv[:, :, 0].min(), uv[:, :, 1].min()
    wide = max(uv[:, :, 0].max() - low_x, uv[:, :, 1].max() - low_y, 1e-300)
    cells = 64
    cell = wide / cells
    full = np.zeros((cells, cells), np.bool_)
    for i in range(len(onto)):
        t = onto[i]
        x0 = int(np.floor((min(t[0, 0], t[1, 0], t[2, 0]) - low_x) / cell - 0.5)) + 1
        x1 = int(np.floor((max(t[0, 0], t[1, 0], t[2, 0]) - low_x) / cell - 0.5))
        y0 = int(np.floor((min(t[0, 1], t[1, 1], t[2, 1]) - low_y) / cell - 0.5)) + 1
        y1 = int(np.floor((max(t[0, 1], t[1, 1], t[2, 1]) - low_y) / cell - 0.5))
        for y in range(max(y0, 0), min(y1, cells - 1) + 1):
            for x in range(max(x0, 0), min(x1, cells - 1) + 1):
                px, py = low_x + (x + 0.5) * cell, low_y + (y + 0.5) * cell
                inside = True
                for k in range(3):
                    j = (k + 1) % 3
                    if (t[j, 0] - t[k, 0]) * (py - t[k, 1]) < (t[j, 1] - t[k, 1]) * (px - t[k, 0]):
                        inside = False
                if inside:
                    full[y, x] = True
    total, on = 0.0, 0.0
    for i in range(len(uv)):
        mx = (uv[i, 0, 0] + uv[i, 1, 0] + uv[i, 2, 0]) / 3
        my = (uv[i, 0, 1] + uv[i, 1, 1] + uv[i, 2, 1]) / 3
        x = min(int((mx - low_x) / cell), cells - 1)
        y = min(int((my - low_y) / cell), cells - 1)
        total += area[i]
        if full[y, x]:
            on += area[i]
    return on / max(total, 1e-300)


@njit(cache=True, nogil=True)
def figures(rest, uv):  # type: ignore[no-untyped-def]
    """Mean symmetric Dirichlet energy (4 is isometric), L2 stretch squared, flipped triangles and
    the area of the map over that of the surface.

    At the size that it has; singular values are held to [0.01, 100].
    """
    flipped, flat, full, energy, stretch = 0, 0.0, 0.0, 0.0, 0.0
    for i in range(len(rest)):
        area = 0.5 * rest[i, 1, 0] * rest[i, 2, 1]
        one, two = singular(rest[i], uv[i])
        if not two > 0.0:
            flipped += 1
        flat += area * one * abs(two)
        full += area
        one = min(max(one, 0.01), 100.0)
        two = min(max(abs(two), 0.01), 100.0)
        energy += area * (one * one + two * two + 1 / (one * one) + 1 / (two * two))
        stretch += area * 0.5 * (1 / (one * one) + 1 / (two * two))
    return energy / full, stretch / full * flat / full, flipped, flat / full


@njit(cache=True, nogil=True)
def singular(rest, uv):  # type: ignore[no-untyped-def]
    """Singular values of the map from a triangle's surface to the plane, the second signed."""
    width, x, y = rest[1, 0], rest[2, 0], rest[2, 1]
    ax, ay = (uv[1, 0] - uv[0, 0]) / width, (uv[1, 1] - uv[0, 1]) / width
    bx = ((uv[2, 0] - uv[0, 0]) - ax * x) / y
    by = ((uv[2, 1] - uv[0, 1]) - ay * x) / y
    e, f, g, h = 0.5 * (ax + by), 0.5 * (ax - by), 0.5 * (ay + bx), 0.5 * (ay - bx)
    q, r = np.sqrt(e * e + h * h), np.sqrt(f * f + g * g)
    return q + r, q - r


@njit(cache=True, nogil=True)
def singular_values(rest, uv):  # type: ignore[no-untyped-def]
    """(m,) larger and (m,) smaller singular value of each triangle's map, the second signed."""
    m = len(rest)
    one, two = np.empty(m), np.empty(m)
    for i in range(m):
        one[i], two[i] = singular(rest[i], uv[i])
    return one, two
