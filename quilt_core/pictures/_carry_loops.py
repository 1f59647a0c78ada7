"""Inner loops of carrying pictures over: which triangle each texel lies on, and what is read there.

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
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                if far[y, x] == 0.0:
                    continue
                d = nearest_on_triangle(x + 0.5, first_row + y + 0.5, t, bary)
                if d <= REACH * REACH and d < far[y, x]:
                    far[y, x] = d
                    owner[y, x] = n


@njit(cache=True, nogil=True)
def wrapped(i, n, mode):  # type: ignore[no-untyped-def]
    """Index within 0 to n - 1 of one beyond it, as the mode says (0 repeat, 1 clamp, 2 mirrored)."""
    if mode == 1:
        return min(max(i, 0), n - 1)
    if mode == 2:
        m = i % (2 * n)
        return m if m < n else 2 * n - 1 - m
    return i % n


@njit(cache=True, nogil=True)
def cubic(kind, x):  # type: ignore[no-untyped-def]
    """Weight at a distance in texels: kind 2 Mitchell and Netravali 1988 (B = C = 1/3), 3 Lanczos of
    three lobes."""
    x = abs(x)
    if kind == 2:
        if x < 1.0:
            return (7.0 * x * x * x - 12.0 * x * x + 16.0 / 3.0) / 6.0
        if x < 2.0:
            return (-7.0 / 3.0 * x * x * x + 12.0 * x * x - 20.0 * x + 32.0 / 3.0) / 6.0
        return 0.0
    if x < 1e-9:
        return 1.0
    if x >= 3.0:
        return 0.0
    p = np.pi * x
    return 3.0 * np.sin(p) * np.sin(p / 3.0) / (p * p)


@njit(cache=True, nogil=True)
def read_at(picture, u, v, wrap, kind, acc, weight, whole):  # type: ignore[no-untyped-def]
    """Add what a picture (h, w, 4) shows at (u, v) times a weight to `acc` (4,).

    `kind` is 0 nearest, 1 bilinear, 2 or 3 as `cubic` has it. `whole`: colours count by their alpha.
    """
    h, w = picture.shape[0], picture.shape[1]
    if kind == 0:
        i = wrapped(int(np.floor(u * w)), w, wrap[0])
        j = wrapped(int(np.floor(v * h)), h, wrap[1])
        _add(picture, j, i, weight, acc, whole)
        return
    x, y = u * w - 0.5, v * h - 0.5
    i, j = int(np.floor(x)), int(np.floor(y))
    fx, fy = x - i, y - j
    # What is off by the rounding of the coordinates is on the texel.
    if fx < 1e-5:
        fx = 0.0
    elif fx > 1.0 - 1e-5:
        fx, i = 0.0, i + 1
    if fy < 1e-5:
        fy = 0.0
    elif fy > 1.0 - 1e-5:
        fy, j = 0.0, j + 1
    if kind == 1 or (fx == 0.0 and fy == 0.0):
        for dy in range(2):
            wy = fy if dy else 1.0 - fy
            if wy == 0.0:
                continue
            row = wrapped(j + dy, h, wrap[1])
            for dx in range(2):
                wx = fx if dx else 1.0 - fx
                if wx == 0.0:
                    continue
                _add(picture, row, wrapped(i + dx, w, wrap[0]), weight * wx * wy, acc, whole)
        return
    reach = kind
    total = 0.0
    for dy in range(1 - reach, reach + 1):
        for dx in range(1 - reach, reach + 1):
            total += cubic(kind, dy - fy) * cubic(kind, dx - fx)
    for dy in range(1 - reach, reach + 1):
        wy = cubic(kind, dy - fy)
        row = wrapped(j + dy, h, wrap[1])
        for dx in range(1 - reach, reach + 1):
            part = weight * wy * cubic(kind, dx - fx) / total
            _add(picture, row, wrapped(i + dx, w, wrap[0]), part, acc, whole)


@njit(cache=True, nogil=True)
def _add(picture, j, i, weight, acc, whole):  # type: ignore[no-untyped-def]
    alpha = picture[j, i, 3]
    part = weight * max(alpha, 1.0 / 1024.0) if whole else weight
    acc[0] += part * picture[j, i, 0]
    acc[1] += part * picture[j, i, 1]
    acc[2] += part * picture[j, i, 2]
    acc[3] += weight * alpha
    acc[4] += part


@njit(cache=True, nogil=True)
def read_texels(  # type: ignore[no-untyped-def]
    owner, first_row, rim, triangles, chosen, old_uv, samples, picture, wrap, kind, whole, out
):
    """Read a picture for all texels of a band whose triangle is chosen, into `out` (R, W, 4).

    Parameters
    ----------
    owner : (R, W) int32
    first_row : int
    rim : (R, W) bool
        Texels at the border of an island: nothing is read beyond it.
    triangles : (N, 3, 2) float64
        Where they lie now, px.
    chosen : (N,) bool
    old_uv : (N, 3, 2) float64
        Where the picture is read at their corners.
    samples : (N,) int
        Samples along each side of a texel.
    picture : (h, w, 4) float32
    wrap : (2,) int
    kind : int
        See `read_at`.
    whole : bool
        Colours count by their alpha.
    """
    rows, width = owner.shape
    bary, near, acc = np.zeros(3), np.zeros(3), np.zeros(5)
    for y in range(rows):
        for x in range(width):
            n = owner[y, x]
            if n < 0 or not chosen[n]:
                continue
            t = triangles[n]
            det = (t[1, 0] - t[0, 0]) * (t[2, 1] - t[0, 1]) - (t[1, 1] - t[0, 1]) * (
                t[2, 0] - t[0, 0]
            )
            s = samples[n]
            acc[:] = 0.0
            weight = 1.0 / (s * s)
            for sy in range(s):
                for sx in range(s):
                    px = x + (sx + 0.5) / s
                    py = first_row + y + (sy + 0.5) / s
                    if rim[y, x] or abs(det) < 1e-9:
                        nearest_on_triangle(px, py, t, near)
                        bary[:] = near
                    else:
                        b = (
                            (px - t[0, 0]) * (t[2, 1] - t[0, 1])
                            - (py - t[0, 1]) * (t[2, 0] - t[0, 0])
                        ) / det
                        c = (
                            (t[1, 0] - t[0, 0]) * (py - t[0, 1])
                            - (t[1, 1] - t[0, 1]) * (px - t[0, 0])
                        ) / det
                        bary[0], bary[1], bary[2] = 1.0 - b - c, b, c
                    u = (
                        bary[0] * old_uv[n, 0, 0]
                        + bary[1] * old_uv[n, 1, 0]
                        + bary[2] * old_uv[n, 2, 0]
                    )
                    v = (
                        bary[0] * old_uv[n, 0, 1]
                        + bary[1] * old_uv[n, 1, 1]
                        + bary[2] * old_uv[n, 2, 1]
                    )
                    read_at(picture, u, v, wrap, kind, acc, weight, whole)
            if acc[4] > 0.0:
                for k in range(3):
                    out[y, x, k] = acc[k] / acc[4]
            out[y, x, 3] = acc[3]


@njit(cache=True, nogil=True)
def turn_normals(owner, first_row, triangles, chosen, normal, old_frame, new_frame, scale, out):  # type: ignore[no-untyped-def]
    """Turn tangent-space normals, read into `out` (R, W, 4) as 0 to 1, from old frames to new ones.

    `normal` (N, 3, 3) are the shading normals at the corners, `old_frame` and `new_frame` (N, 3, 4)
    tangents with their side (w); `scale` (N,) is that of x and y before.
    """
    rows, width = owner.shape
    bary = np.zeros(3)
    for y in range(rows):
        for x in range(width):
            n = owner[y, x]
            if n < 0 or not chosen[n]:
                continue
            nearest_on_triangle(x + 0.5, first_row + y + 0.5, triangles[n], bary)
            a = np.zeros(3)
            b = np.zeros(3)
            c = np.zeros(3)
            for k in range(3):
                for m in range(3):
                    a[m] += bary[k] * normal[n, k, m]
                    b[m] += bary[k] * old_frame[n, k, m]
                    c[m] += bary[k] * new_frame[n, k, m]
            a /= max(np.sqrt((a * a).sum()), 1e-20)
            lb, lc = np.sqrt((b * b).sum()), np.sqrt((c * c).sum())
            if lb < 1e-12 or lc < 1e-12:
                continue
            b /= lb
            c /= lc
            old_side = np.cross(a, b) * old_frame[n, 0, 3]
            new_side = np.cross(a, c) * new_frame[n, 0, 3]
            old_side /= max(np.sqrt((old_side * old_side).sum()), 1e-20)
            new_side /= max(np.sqrt((new_side * new_side).sum()), 1e-20)
            # The byte nearest to nothing at all, 128, is meant as flat, and stays so.
            if (
                abs(out[y, x, 0] * 255.0 - 128.0) < 0.02
                and abs(out[y, x, 1] * 255.0 - 128.0) < 0.02
                and out[y, x, 2] > 0.998
            ):
                continue
            vx = (out[y, x, 0] * 2.0 - 1.0) * scale[n]
            vy = (out[y, x, 1] * 2.0 - 1.0) * scale[n]
            vz = out[y, x, 2] * 2.0 - 1.0
            world = vx * b + vy * old_side + vz * a
            # How much of each of the new three directions it has.
            det = (c * np.cross(new_side, a)).sum()
            if abs(det) < 1e-9:
                continue
            nx = (world * np.cross(new_side, a)).sum() / det
            ny = (world * np.cross(a, c)).sum() / det
            nz = (world * np.cross(c, new_side)).sum() / det
            size = np.sqrt(nx * nx + ny * ny + nz * nz)
            if size < 1e-12:
                continue
            out[y, x, 0] = nx / size * 0.5 + 0.5
            out[y, x, 1] = ny / size * 0.5 + 0.5
            out[y, x, 2] = nz / size * 0.5 + 0.5
