"""Inner loop that turns the vectors of normal maps.

Pixels are counted from the top left; the centre of the first one is at (0.5, 0.5).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from quilt_core.textures.texel_loops import nearest_on_triangle


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
