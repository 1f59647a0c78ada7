"""Inner loops of carrying textures over: what old textures show.

Pixels are counted from the top left; the centre of the first one is at (0.5, 0.5).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from quilt_core.textures.texel_loops import nearest_on_triangle, on_texel


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
def read_at(image, u, v, wrap, kind, acc, weight, whole):  # type: ignore[no-untyped-def]
    """Add what a texture (h, w, 4) shows at (u, v) times a weight to `acc` (4,).

    `kind` is 0 nearest, 1 bilinear, 2 or 3 as `cubic` has it. `whole`: colours count by their alpha.
    """
    h, w = image.shape[0], image.shape[1]
    if kind == 0:
        i = wrapped(int(np.floor(u * w)), w, wrap[0])
        j = wrapped(int(np.floor(v * h)), h, wrap[1])
        _add(image, j, i, weight, acc, whole)
        return
    x, y = u * w - 0.5, v * h - 0.5
    i, j = int(np.floor(x)), int(np.floor(y))
    fx, fy = on_texel(x - i), on_texel(y - j)
    if fx == 1.0:
        fx, i = 0.0, i + 1
    if fy == 1.0:
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
                _add(image, row, wrapped(i + dx, w, wrap[0]), weight * wx * wy, acc, whole)
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
            _add(image, row, wrapped(i + dx, w, wrap[0]), part, acc, whole)


@njit(cache=True, nogil=True)
def _add(image, j, i, weight, acc, whole):  # type: ignore[no-untyped-def]
    alpha = image[j, i, 3]
    part = weight * max(alpha, 1.0 / 1024.0) if whole else weight
    acc[0] += part * image[j, i, 0]
    acc[1] += part * image[j, i, 1]
    acc[2] += part * image[j, i, 2]
    acc[3] += weight * alpha
    acc[4] += part


@njit(cache=True, nogil=True)
def read_points(image, uv, wrap, kind):  # type: ignore[no-untyped-def]
    """(K, 4) what a texture shows at points (K, 2); see `read_at`."""
    out = np.zeros((len(uv), 4))
    acc = np.zeros(5)
    for n in range(len(uv)):
        acc[:] = 0.0
        read_at(image, uv[n, 0], uv[n, 1], wrap, kind, acc, 1.0, False)
        out[n] = acc[:4]
    return out


@njit(cache=True, nogil=True)
def read_texels(  # type: ignore[no-untyped-def]
    owner,
    first_row,
    rim,
    triangles,
    chosen,
    old_uv,
    samples,
    image,
    wrap,
    kind,
    whole,
    out,
):
    """Read a texture for all texels of a band whose triangle is chosen, into `out` (R, W, 4).

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
        Where the texture is read at their corners.
    samples : (N,) int
        Samples along each side of a texel.
    image : (h, w, 4) float32
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
                    read_at(image, u, v, wrap, kind, acc, weight, whole)
            if acc[4] > 0.0:
                for k in range(3):
                    out[y, x, k] = acc[k] / acc[4]
            else:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = 1.0
            out[y, x, 3] = acc[3]
