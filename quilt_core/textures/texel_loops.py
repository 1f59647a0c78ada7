"""Inner loops of texels: which triangle each one lies on, and where its texture is read.

Pixels are counted from the top left; the centre of the first one is at (0.5, 0.5).
"""

from __future__ import annotations

import numpy as np
from numba import njit

REACH = 0.75
"""Texels whose centre is that near to an island, px, are baked too: those at its border."""


@njit(cache=True, nogil=True)
def nearest_on_triangle(px, py, t, out):  # type: ignore[no-untyped-def]
    """Barycentric coordinates, into `out` (3,), of the point of a triangle (3, 2) that is nearest to
    a point; returns its squared distance, 0 inside."""
    ax, ay, bx, by, cx, cy = t[0, 0], t[0, 1], t[1, 0], t[1, 1], t[2, 0], t[2, 1]
    det = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if det != 0.0:
        b = ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) / det
        c = ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / det
        if b >= 0.0 and c >= 0.0 and b + c <= 1.0:
            out[0], out[1], out[2] = 1.0 - b - c, b, c
            return 0.0
    best = np.inf
    for k in range(3):
        m = (k + 1) % 3
        dx, dy = t[m, 0] - t[k, 0], t[m, 1] - t[k, 1]
        long = dx * dx + dy * dy
        f = 0.0
        if long > 0.0:
            f = ((px - t[k, 0]) * dx + (py - t[k, 1]) * dy) / long
            f = min(max(f, 0.0), 1.0)
        x, y = t[k, 0] + f * dx - px, t[k, 1] + f * dy - py
        far = x * x + y * y
        if far < best:
            best = far
            out[0] = out[1] = out[2] = 0.0
            out[k], out[m] = 1.0 - f, f
    return best


@njit(cache=True, nogil=True)
def mark_texels(triangles, first_row, owner, far):  # type: ignore[no-untyped-def]
    """Note for each texel of a band of rows the triangle (N, 3, 2) that it lies on, or is nearest to
    within `REACH`.

    `owner` (R, W) int32 was -1, `far` (R, W) float32 inf; the first row of the band is `first_row`.
    """
    rows, width = owner.shape
    bary = np.zeros(3)
    for n in range(len(triangles)):
        t = triangles[n]
        low = min(t[0, 1], t[1, 1], t[2, 1]) - REACH - 0.5 - first_row
        high = max(t[0, 1], t[1, 1], t[2, 1]) + REACH - 0.5 - first_row
        if not (high >= 0.0 and low <= rows):
            continue
        left = min(t[0, 0], t[1, 0], t[2, 0]) - REACH - 0.5
        right = max(t[0, 0], t[1, 0], t[2, 0]) + REACH - 0.5
        if not (right >= 0.0 and left <= width):
            continue
        y0, y1 = max(int(np.ceil(low)), 0), min(int(np.floor(high)), rows - 1)
        x0, x1 = max(int(np.ceil(left)), 0), min(int(np.floor(right)), width - 1)
        abx, aby = t[1, 0] - t[0, 0], t[1, 1] - t[0, 1]
        acx, acy = t[2, 0] - t[0, 0], t[2, 1] - t[0, 1]
        det = abx * acy - aby * acx
        side = -1.0 if det < 0.0 else 1.0
        det *= side
        # Twice the area of a triangle over an edge with the height that is out of reach.
        out_b = -REACH * 1.001 * np.hypot(acx, acy) - 1e-9
        out_c = -REACH * 1.001 * np.hypot(abx, aby) - 1e-9
        out_a = -REACH * 1.001 * np.hypot(acx - abx, acy - aby) - 1e-9
        for y in range(y0, y1 + 1):
            py = first_row + y + 0.5 - t[0, 1]
            for x in range(x0, x1 + 1):
                if far[y, x] == 0.0:
                    continue
                px = x + 0.5 - t[0, 0]
                b = (px * acy - py * acx) * side
                c = (abx * py - aby * px) * side
                if det > 0.0 and b >= 0.0 and c >= 0.0 and b + c <= det:
                    far[y, x] = 0.0
                    owner[y, x] = n
                    continue
                if b < out_b or c < out_c or det - b - c < out_a:
                    continue
                d = nearest_on_triangle(x + 0.5, first_row + y + 0.5, t, bary)
                if d <= REACH * REACH and d < far[y, x]:
                    far[y, x] = d
                    owner[y, x] = n


@njit(cache=True, nogil=True)
def on_texel(part):  # type: ignore[no-untyped-def]
    """A part of a texel, 0 or 1 where it is off that by the rounding of coordinates only."""
    if part < 1e-5:
        return 0.0
    return 1.0 if part > 1.0 - 1e-5 else part


@njit(cache=True, nogil=True)
def folded(x, n, mode):  # type: ignore[no-untyped-def]
    """A place in texels, whole numbers at centres, brought to 0 to n as the mode says; on to n the
    texture begins again."""
    if mode == 1:
        return min(max(x, 0.0), n - 1.0)
    if mode == 2:
        m = (x + 0.5) % (2.0 * n)
        m = m if m < n else 2.0 * n - m
        return min(max(m - 0.5, 0.0), n - 1.0)
    m = x % n
    return m if m < n else 0.0


@njit(cache=True, nogil=True)
def mark_places(owner, first_row, rim, triangles, chosen, old, straight, size, wrap, place, plain):  # type: ignore[no-untyped-def]
    """Note where one place of a texture is read for each texel of a band whose triangle is chosen.

    Parameters
    ----------
    owner : (R, W) int32
    first_row : int
    rim : (R, W) bool
        Texels at the border of an island: nothing is read beyond it.
    triangles : (N, 3, 2) float64
        Where they lie now, px.
    chosen : (N,) bool
    old : (N, 3, 2) float64
        Where the texture is read at their corners, px of it.
    straight : (N, 6) float64
        The same as a map, a x + b y + c and d x + e y + f; NaN for triangles without an area.
    size, wrap : (2,) int
        Of the texture.
    place : (R, W, 2) float32
        Is written: texels, whole numbers at their centres.
    plain : (R, W) bool
        Is set where a place was written.
    """
    rows, width = owner.shape
    bary = np.zeros(3)
    for y in range(rows):
        for x in range(width):
            n = owner[y, x]
            if n < 0 or not chosen[n]:
                continue
            px, py = x + 0.5, first_row + y + 0.5
            u = straight[n, 0] * px + straight[n, 1] * py + straight[n, 2]
            v = straight[n, 3] * px + straight[n, 4] * py + straight[n, 5]
            if (
                u != u
                or v != v
                or (rim[y, x] and nearest_on_triangle(px, py, triangles[n], bary) > 0.0)
            ):
                nearest_on_triangle(px, py, triangles[n], bary)
                u = bary[0] * old[n, 0, 0] + bary[1] * old[n, 1, 0] + bary[2] * old[n, 2, 0]
                v = bary[0] * old[n, 0, 1] + bary[1] * old[n, 1, 1] + bary[2] * old[n, 2, 1]
            u, v = u - 0.5, v - 0.5
            i, j = np.floor(u), np.floor(v)
            place[y, x, 0] = folded(i + on_texel(u - i), size[0], wrap[0])
            place[y, x, 1] = folded(j + on_texel(v - j), size[1], wrap[1])
            plain[y, x] = True


@njit(cache=True, nogil=True)
def spread(owner, source, flat, out):  # type: ignore[no-untyped-def]
    """Give the texels of a band without an owner what `flat` (H W, 4) has at their source."""
    rows, width = owner.shape
    for y in range(rows):
        for x in range(width):
            if owner[y, x] < 0:
                k = source[y, x]
                for c in range(4):
                    out[y, x, c] = flat[k, c]
