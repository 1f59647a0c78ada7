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
def wrapped(i, n, mode):  # type: ignore[no-untyped-def]
    """Index within 0 to n - 1 of one beyond it, as the mode says (0 repeat, 1 clamp, 2 mirrored)."""
    if mode == 1:
        return min(max(i, 0), n - 1)
    if mode == 2:
        m = i % (2 * n)
        return m if m < n else 2 * n - 1 - m
    return i % n


@njit(cache=True, nogil=True)
def on_texel(part):  # type: ignore[no-untyped-def]
    """A part of a texel, 0 or 1 where it is off that by the rounding of coordinates only."""
    if part < 1e-5:
        return 0.0
    return 1.0 if part > 1.0 - 1e-5 else part


@njit(cache=True, nogil=True)
def folded(x, n, mode):  # type: ignore[no-untyped-def]
    """A place in texels, whole numbers at centres, brought to 0 to n as the mode says; on to n the
    picture begins again."""
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
    """Note where one place of a picture is read for each texel of a band whose triangle is chosen.

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
        Where the picture is read at their corners, px of it.
    straight : (N, 6) float64
        The same as a map, a x + b y + c and d x + e y + f; NaN for triangles without an area.
    size, wrap : (2,) int
        Of the picture.
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
def read_points(picture, uv, wrap, kind):  # type: ignore[no-untyped-def]
    """(K, 4) what a picture shows at points (K, 2); see `read_at`."""
    out = np.zeros((len(uv), 4))
    acc = np.zeros(5)
    for n in range(len(uv)):
        acc[:] = 0.0
        read_at(picture, uv[n, 0], uv[n, 1], wrap, kind, acc, 1.0, False)
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
    picture,
    wrap,
    kind,
    whole,
    out,
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
            else:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = 1.0
            out[y, x, 3] = acc[3]


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz", "reassoc"}, error_model="numpy")
def turn_normals(  # type: ignore[no-untyped-def]
    owner, first_row, triangles, chosen, normal, old_frame, new_frame, even, scale, out
):
    """Turn tangent-space normals, read into `out` (R, W, 4) as 0 to 1, from old frames to new ones.

    `normal` (N, 3, 3) are the shading normals at the corners, `old_frame` and `new_frame` (N, 3, 4)
    tangents with their side (w); `scale` is that of x and y before. `even` (N, 3, 3) turns the
    vectors of triangles whose frames are the same at all corners, NaN for the others.
    """
    rows, width = owner.shape
    bary = np.zeros(3)
    for y in range(rows):
        for x in range(width):
            n = owner[y, x]
            if n < 0 or not chosen[n]:
                continue
            # The byte nearest to nothing at all, 128, is meant as flat, and stays so.
            if (
                abs(out[y, x, 0] * 255.0 - 128.0) < 0.02
                and abs(out[y, x, 1] * 255.0 - 128.0) < 0.02
                and out[y, x, 2] > 0.998
            ):
                continue
            vx = (out[y, x, 0] * 2.0 - 1.0) * scale
            vy = (out[y, x, 1] * 2.0 - 1.0) * scale
            vz = out[y, x, 2] * 2.0 - 1.0
            m = even[n]
            if m[0, 0] == m[0, 0]:
                nx = m[0, 0] * vx + m[0, 1] * vy + m[0, 2] * vz
                ny = m[1, 0] * vx + m[1, 1] * vy + m[1, 2] * vz
                nz = m[2, 0] * vx + m[2, 1] * vy + m[2, 2] * vz
                size = np.sqrt(nx * nx + ny * ny + nz * nz)
                if size >= 1e-12:
                    size = 0.5 / size
                    out[y, x, 0] = nx * size + 0.5
                    out[y, x, 1] = ny * size + 0.5
                    out[y, x, 2] = nz * size + 0.5
                continue
            nearest_on_triangle(x + 0.5, first_row + y + 0.5, triangles[n], bary)
            ax = ay = az = bx = by = bz = cx = cy = cz = 0.0
            for k in range(3):
                f = bary[k]
                ax, ay, az = (
                    ax + f * normal[n, k, 0], ay + f * normal[n, k, 1], az + f * normal[n, k, 2]
                )  # fmt: skip
                bx, by, bz = (
                    bx + f * old_frame[n, k, 0], by + f * old_frame[n, k, 1],
                    bz + f * old_frame[n, k, 2],
                )  # fmt: skip
                cx, cy, cz = (
                    cx + f * new_frame[n, k, 0], cy + f * new_frame[n, k, 1],
                    cz + f * new_frame[n, k, 2],
                )  # fmt: skip
            la = max(np.sqrt(ax * ax + ay * ay + az * az), 1e-20)
            lb, lc = np.sqrt(bx * bx + by * by + bz * bz), np.sqrt(cx * cx + cy * cy + cz * cz)
            if lb < 1e-12 or lc < 1e-12:
                continue
            ax, ay, az = ax / la, ay / la, az / la
            bx, by, bz = bx / lb, by / lb, bz / lb
            cx, cy, cz = cx / lc, cy / lc, cz / lc
            # Bitangents of the old and the new frame.
            side = old_frame[n, 0, 3]
            ox, oy, oz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
            size = side / max(np.sqrt(ox * ox + oy * oy + oz * oz), 1e-20)
            ox, oy, oz = ox * size, oy * size, oz * size
            side = new_frame[n, 0, 3]
            qx, qy, qz = ay * cz - az * cy, az * cx - ax * cz, ax * cy - ay * cx
            size = side / max(np.sqrt(qx * qx + qy * qy + qz * qz), 1e-20)
            qx, qy, qz = qx * size, qy * size, qz * size
            wx = vx * bx + vy * ox + vz * ax
            wy = vx * by + vy * oy + vz * ay
            wz = vx * bz + vy * oz + vz * az
            # How much of each of the new three directions it has (Cramer).
            ex, ey, ez = qy * az - qz * ay, qz * ax - qx * az, qx * ay - qy * ax
            det = cx * ex + cy * ey + cz * ez
            if abs(det) < 1e-9:
                continue
            nx = (wx * ex + wy * ey + wz * ez) / det
            ny = (
                wx * (ay * cz - az * cy) + wy * (az * cx - ax * cz) + wz * (ax * cy - ay * cx)
            ) / det
            nz = (
                wx * (cy * qz - cz * qy) + wy * (cz * qx - cx * qz) + wz * (cx * qy - cy * qx)
            ) / det
            size = np.sqrt(nx * nx + ny * ny + nz * nz)
            if size < 1e-12:
                continue
            out[y, x, 0] = nx / size * 0.5 + 0.5
            out[y, x, 1] = ny / size * 0.5 + 0.5
            out[y, x, 2] = nz / size * 0.5 + 0.5


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
