"""Inner loops about the border of a flat island: whether it runs into itself, and what lies across."""

from __future__ import annotations

import numpy as np
from numba import njit

FULL_TURN = 2.0 * np.pi - 0.02
"""Angle that an island may have at most at a vertex of its border: beyond it, it closes on itself."""


@njit(cache=True, nogil=True)
def _side(ax, ay, bx, by, px, py):  # type: ignore[no-untyped-def]
    return (bx - ax) * (py - ay) - (by - ay) * (px - ax)


@njit(cache=True, nogil=True)
def _meet(p, q, r, s):  # type: ignore[no-untyped-def]
    """Whether the segments p q and r s cross or touch."""
    a, b = _side(p[0], p[1], q[0], q[1], r[0], r[1]), _side(p[0], p[1], q[0], q[1], s[0], s[1])
    c, d = _side(r[0], r[1], s[0], s[1], p[0], p[1]), _side(r[0], r[1], s[0], s[1], q[0], q[1])
    if (a > 0 and b > 0) or (a < 0 and b < 0):
        return False
    return not ((c > 0 and d > 0) or (c < 0 and d < 0))


@njit(cache=True, nogil=True)
def fits(tris, faces, n, joined, uv, sharp, held):  # type: ignore[no-untyped-def]
    """Whether the triangles about each vertex have room around it, and no vertex that is `sharp`
    (N, 3) is inside; those that are `held` (n,) count as on the border."""
    angle = np.zeros(n)
    on_border = np.zeros(n, np.bool_)
    for i in range(len(faces)):
        for s in range(3):
            a, b, c = uv[i, s], uv[i, (s + 1) % 3], uv[i, (s + 2) % 3]
            x, y, z, w = b[0] - a[0], b[1] - a[1], c[0] - a[0], c[1] - a[1]
            angle[faces[i, s]] += abs(np.arctan2(x * w - y * z, x * z + y * w))
            if not joined[3 * tris[i] + s]:
                on_border[faces[i, s]] = True
                on_border[faces[i, (s + 1) % 3]] = True
    for i in range(len(faces)):
        for s in range(3):
            v = faces[i, s]
            if sharp[tris[i], s] and not on_border[v] and not (len(held) == n and held[v]):
                return False
    room = np.where(on_border, FULL_TURN, 9.0)
    return bool(np.all(angle <= room))


@njit(cache=True, nogil=True)
def crosses(tris, joined, uv, moved):  # type: ignore[no-untyped-def]
    """Whether the border of an island crosses or touches itself where triangles have `moved` (m,).

    An island without flips whose border neither crosses itself nor turns full circle at a vertex
    covers nothing twice (the turning of its loops adds up to its Euler number). Sides that follow
    one another have an end with the very same numbers.
    """
    m = len(tris)
    count = 0
    for i in range(m):
        for s in range(3):
            if not joined[3 * tris[i] + s]:
                count += 1
    seg = np.empty((count, 4))
    fresh = np.empty(count, np.bool_)
    k = 0
    for i in range(m):
        for s in range(3):
            if not joined[3 * tris[i] + s]:
                j = (s + 1) % 3
                seg[k, 0], seg[k, 1] = uv[i, s, 0], uv[i, s, 1]
                seg[k, 2], seg[k, 3] = uv[i, j, 0], uv[i, j, 1]
                fresh[k] = moved[i]
                k += 1
    low = np.minimum(seg[:, 0], seg[:, 2])
    order = np.argsort(low)
    seg, fresh, low = seg[order], fresh[order], low[order]
    high = np.maximum(seg[:, 0], seg[:, 2])
    for p in range(count):
        below, above = min(seg[p, 1], seg[p, 3]), max(seg[p, 1], seg[p, 3])
        for q in range(p + 1, count):
            if low[q] > high[p]:
                break
            if not (fresh[p] or fresh[q]):
                continue
            if min(seg[q, 1], seg[q, 3]) > above or max(seg[q, 1], seg[q, 3]) < below:
                continue
            if (
                (seg[p, 0] == seg[q, 0] and seg[p, 1] == seg[q, 1])
                or (seg[p, 0] == seg[q, 2] and seg[p, 1] == seg[q, 3])
                or (seg[p, 2] == seg[q, 0] and seg[p, 3] == seg[q, 1])
                or (seg[p, 2] == seg[q, 2] and seg[p, 3] == seg[q, 3])
            ):
                continue
            if _meet(seg[p, :2], seg[p, 2:], seg[q, :2], seg[q, 2:]):
                return True
    return False


@njit(cache=True, nogil=True)
def next_border(h, across, joined):  # type: ignore[no-untyped-def]
    """The half-edge that follows h along the border of its island."""
    g = 3 * (h // 3) + (h % 3 + 1) % 3
    turns = 0
    while joined[g] and turns < 100000:
        o = across[g]
        g = 3 * (o // 3) + (o % 3 + 1) % 3
        turns += 1
    return g


@njit(cache=True, nogil=True)
def find_chains(tris, label, across, joined, length, mark):  # type: ignore[no-untyped-def]
    """Stretches of an island's border with one other island, or itself, on the other side.

    A stretch ends where either side's border turns to a third. Returns the half-edges in a row, and
    where each stretch ends. Of a stretch between two sides of the same island one is given. `mark`
    (3 N,) is scratch: 0 everywhere, and so it is left.
    """
    m = len(tris)
    total = 0
    for i in range(m):
        for s in range(3):
            h = 3 * tris[i] + s
            if not joined[h]:
                total += 1
    border = np.empty(total, np.int64)
    k = 0
    for i in range(m):
        for s in range(3):
            h = 3 * tris[i] + s
            if not joined[h]:
                border[k] = h
                k += 1
    out = np.empty(total, np.int64)
    end = np.empty(total, np.int64)
    used, chains = 0, 0
    back = np.full(total, -1, np.int64)
    follow = np.empty(total, np.int64)
    for k in range(total):
        mark[border[k]] = k + 1
    for k in range(total):
        g = next_border(border[k], across, joined)
        follow[k] = mark[g] - 1
        if follow[k] >= 0:
            back[follow[k]] = k
    goes_on = np.zeros(total, np.bool_)
    for k in range(total):
        j = follow[k]
        if j < 0:
            continue
        h, g = border[k], border[j]
        if across[h] < 0 or across[g] < 0 or h == g:
            continue
        if label[across[h] // 3] != label[across[g] // 3]:
            continue
        goes_on[k] = next_border(across[g], across, joined) == across[h]
    done = np.zeros(total, np.bool_)
    for k in range(total):
        if done[k] or across[border[k]] < 0:
            continue
        first = k
        steps = 0
        while back[first] >= 0 and goes_on[back[first]] and steps <= total:
            first = back[first]
            steps += 1
            if first == k:
                break
        begin = used
        here = first
        while not done[here]:
            done[here] = True
            out[used] = border[here]
            used += 1
            other = mark[across[border[here]]] - 1
            if other >= 0:
                done[other] = True
            if not goes_on[here]:
                break
            here = follow[here]
        if used > begin:
            end[chains] = used
            chains += 1
    for k in range(total):
        mark[border[k]] = 0
    return out[:used], end[:chains]


@njit(cache=True, nogil=True)
def fit_chain(chain, across, length, uv, same):  # type: ignore[no-untyped-def]
    """The rigid motion (cos, sin, dx, dy) that lays the far side of a chain of half-edges on the
    near one; what is left (root of the mean square); and the length of the chain.

    `same` keeps the far side where it is.
    """
    n = len(chain)
    weight, ax, ay, bx, by = 0.0, 0.0, 0.0, 0.0, 0.0
    p = np.empty((2 * n, 2))
    q = np.empty((2 * n, 2))
    w = np.empty(2 * n)
    for k in range(n):
        h = chain[k]
        o = across[h]
        t, s, u, r = h // 3, h % 3, o // 3, o % 3
        for d in range(2):
            i = 2 * k + d
            p[i] = uv[t, (s + d) % 3]
            q[i] = uv[u, (r + 1 - d) % 3]
            w[i] = 0.5 * length[h]
            weight += w[i]
            ax += w[i] * p[i, 0]
            ay += w[i] * p[i, 1]
            bx += w[i] * q[i, 0]
            by += w[i] * q[i, 1]
    weight = max(weight, 1e-300)
    ax, ay, bx, by = ax / weight, ay / weight, bx / weight, by / weight
    c, s = 0.0, 0.0
    for i in range(2 * n):
        px, py, qx, qy = p[i, 0] - ax, p[i, 1] - ay, q[i, 0] - bx, q[i, 1] - by
        c += w[i] * (px * qx + py * qy)
        s += w[i] * (py * qx - px * qy)
    size = np.sqrt(c * c + s * s)
    c, s = (c / size, s / size) if size > 0 else (1.0, 0.0)
    dx, dy = ax - (c * bx - s * by), ay - (s * bx + c * by)
    if same:
        c, s, dx, dy = 1.0, 0.0, 0.0, 0.0
    left = 0.0
    for i in range(2 * n):
        ex = p[i, 0] - (c * q[i, 0] - s * q[i, 1] + dx)
        ey = p[i, 1] - (s * q[i, 0] + c * q[i, 1] + dy)
        left += w[i] * (ex * ex + ey * ey)
    return c, s, dx, dy, np.sqrt(left / weight), weight
