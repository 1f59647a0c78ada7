"""Inner loops of the test bake: where texels lie on the surface, directions over a hemisphere, vectors between frames."""

from __future__ import annotations

import numpy as np
from numba import njit

from quilt_core.textures.texel_loops import nearest_on_triangle

FIRST, SECOND = 0.7548776662466927, 0.5698402909980532
"""Steps of a sequence that fills the square evenly, whatever its length (Roberts 2018: powers of the inverse of the
plastic number)."""
AROUND = np.array(
    [
        [[0, -1], [0, 1], [0, 0], [0, 0]],
        [[-1, 0], [1, 0], [0, 0], [0, 0]],
        [[-1, -1], [-1, 1], [1, -1], [1, 1]],
    ]
)
"""Rows and columns to the texels of even rows and columns around one that is beside, below, or between them."""
COUNTS = np.array([2, 2, 4])


@njit(cache=True, nogil=True)
def weights_of(owner, first_row, triangles, at, bary):  # type: ignore[no-untyped-def]
    """Barycentric coordinates, into `bary` (K, 3), of the texels `at` (K,) of a band `owner` (R, W), counted row by row,
    in their triangles (N, 3, 2), px; of the nearest point for those beside it."""
    width = owner.shape[1]
    for k in range(len(at)):
        y, x = at[k] // width, at[k] % width
        nearest_on_triangle(x + 0.5, first_row + y + 0.5, triangles[owner[y, x]], bary[k])


@njit(cache=True, nogil=True)
def mixed(values, triangle, bary, out):  # type: ignore[no-untyped-def]
    """What values (N, 3, C) at the corners of triangles are at points of them, into `out` (K, C)."""
    for k in range(len(triangle)):
        n = triangle[k]
        for c in range(out.shape[1]):
            out[k, c] = (
                bary[k, 0] * values[n, 0, c]
                + bary[k, 1] * values[n, 1, c]
                + bary[k, 2] * values[n, 2, c]
            )


@njit(cache=True, nogil=True)
def over_hemispheres(sets, count):  # type: ignore[no-untyped-def]
    """(sets, count, 3) float32 directions about the z axis, by the cosine to it: sequences that are even whatever their
    length, each begun elsewhere."""
    out = np.empty((sets, count, 3), np.float32)
    for s in range(sets):
        for n in range(count):
            a = (FIRST * (n + 0.5 + 0.37 * s) + (s % 4) / 4.0) % 1.0
            b = (SECOND * (n + 0.5 + 0.37 * s) + (s // 4) / 4.0) % 1.0
            r, turn = np.sqrt(a), 2.0 * np.pi * b
            out[s, n, 0] = r * np.cos(turn)
            out[s, n, 1] = r * np.sin(turn)
            out[s, n, 2] = np.sqrt(1.0 - a)
    return out


@njit(cache=True, nogil=True)
def aim(normals, faces, kind, table, number, reach, along, far, counted):  # type: ignore[no-untyped-def]
    """Aim a ray from each point.

    Parameters
    ----------
    normals, faces : (K, 3) float32
        Normals of the shading and of the triangle; rays below the triangle do not count.
    kind : (K,) int64
        Which set of directions each point has.
    table : (sets, count, 3) float32
    number : int
        Of the ray in its set.
    reach : float
    along : (K, 3) float32
    far : (K,) float32
        `reach`, or 0 for rays that do not count; both are written.
    counted : (K,) float32
        Gets one more for each ray that counts.
    """
    for k in range(len(normals)):
        x, y, z = table[kind[k], number, 0], table[kind[k], number, 1], table[kind[k], number, 2]
        nx, ny, nz = normals[k, 0], normals[k, 1], normals[k, 2]
        # Two directions across the normal (Duff and others 2017).
        sign = np.float32(1.0) if nz >= 0.0 else np.float32(-1.0)
        c = -np.float32(1.0) / (sign + nz)
        d = nx * ny * c
        ax = x * (np.float32(1.0) + sign * nx * nx * c) + y * d + z * nx
        ay = x * sign * d + y * (sign + ny * ny * c) + z * ny
        az = -x * sign * nx - y * ny + z * nz
        along[k, 0], along[k, 1], along[k, 2] = ax, ay, az
        if ax * faces[k, 0] + ay * faces[k, 1] + az * faces[k, 2] > 1e-4:
            far[k] = reach
            counted[k] += np.float32(1.0)
        else:
            far[k] = np.float32(0.0)


@njit(cache=True, nogil=True)
def between(values, have, points, normals, alike, near, out, wanted):  # type: ignore[no-untyped-def]
    """Fill in texels between those that have a value, where these agree.

    Parameters
    ----------
    values : (R, W) float32
    have : (R, W) bool
        Texels of even rows and columns that have a value.
    points, normals : (R, W, 3) float32
        On the surface; NaN where there is none.
    alike : float
        Largest difference of values that agree.
    near : float
        Least cosine between normals that agree.
    out : (R, W) float32
        Is written where values were found.
    wanted : (R, W) bool
        Texels without a value; those that get one are taken out.
    """
    rows, width = values.shape
    for y in range(rows):
        for x in range(width):
            if not wanted[y, x] or (y % 2 == 0 and x % 2 == 0):
                continue
            kind = 0 if y % 2 == 0 else (1 if x % 2 == 0 else 2)
            low, high, total, widest = np.inf, -np.inf, 0.0, 0.0
            px, py, pz = -points[y, x, 0], -points[y, x, 1], -points[y, x, 2]
            fine = True
            count = COUNTS[kind]
            for n in range(count):
                yy, xx = y + AROUND[kind, n, 0], x + AROUND[kind, n, 1]
                if yy < 0 or xx < 0 or yy >= rows or xx >= width or not have[yy, xx]:
                    fine = False
                    break
                v = values[yy, xx]
                low, high, total = min(low, v), max(high, v), total + v
                dot, gap = 0.0, 0.0
                for c in range(3):
                    dot += normals[yy, xx, c] * normals[y, x, c]
                    gap += (points[yy, xx, c] - points[y, x, c]) ** 2
                if not dot > near:
                    fine = False
                    break
                widest = max(widest, gap)
                px += points[yy, xx, 0] / count
                py += points[yy, xx, 1] / count
                pz += points[yy, xx, 2] / count
            if not fine or high - low > alike or px * px + py * py + pz * pz > 0.1 * widest:
                continue
            out[y, x] = total / count
            wanted[y, x] = False


@njit(cache=True, nogil=True)
def into_frames(vectors, normals, tangents, out):  # type: ignore[no-untyped-def]
    """Vectors (K, 3) as parts along tangent, bitangent and normal, one long, into `out` (K, 3).

    The frame is not made square: normals (K, 3) and tangents (K, 4, with their side) are those between the corners, as
    shaders have them (Mikkelsen 2008).
    """
    for k in range(len(vectors)):
        nx, ny, nz = normals[k, 0], normals[k, 1], normals[k, 2]
        tx, ty, tz = tangents[k, 0], tangents[k, 1], tangents[k, 2]
        side = 1.0 if tangents[k, 3] >= 0.0 else -1.0
        bx = side * (ny * tz - nz * ty)
        by = side * (nz * tx - nx * tz)
        bz = side * (nx * ty - ny * tx)
        # Crossings of two of the three, for the inverse.
        px, py, pz = by * nz - bz * ny, bz * nx - bx * nz, bx * ny - by * nx
        det = tx * px + ty * py + tz * pz
        out[k, 0], out[k, 1], out[k, 2] = 0.0, 0.0, 1.0
        if abs(det) < 1e-12:
            continue
        vx, vy, vz = vectors[k, 0], vectors[k, 1], vectors[k, 2]
        x = (vx * px + vy * py + vz * pz) / det
        y = (vx * (ny * tz - nz * ty) + vy * (nz * tx - nx * tz) + vz * (nx * ty - ny * tx)) / det
        z = (vx * (ty * bz - tz * by) + vy * (tz * bx - tx * bz) + vz * (tx * by - ty * bx)) / det
        length = np.sqrt(x * x + y * y + z * z)
        if length > 1e-12:
            out[k, 0], out[k, 1], out[k, 2] = x / length, y / length, z / length


@njit(cache=True, nogil=True)
def averaged(values, known, side, out, seen):  # type: ignore[no-untyped-def]
    """Texels from samples: the mean of those that are known.

    Parameters
    ----------
    values : (R side, W side, C) float32
    known : (R side, W side) bool
    side : int
        Samples along each side of a texel.
    out : (R, W, C) float32
        Is written.
    seen : (R, W) bool
        Whether some sample is known; is written.
    """
    rows, width, channels = out.shape
    for y in range(rows):
        for x in range(width):
            count = 0
            for c in range(channels):
                out[y, x, c] = 0.0
            for j in range(y * side, (y + 1) * side):
                for i in range(x * side, (x + 1) * side):
                    if known[j, i]:
                        count += 1
                        for c in range(channels):
                            out[y, x, c] += values[j, i, c]
            seen[y, x] = count > 0
            if count > 1:
                for c in range(channels):
                    out[y, x, c] /= count


@njit(cache=True, nogil=True)
def smooth_below(order, starts, face, angle, least, out):  # type: ignore[no-untyped-def]
    """Normals at the corners of triangles, averaged over faces around their vertex that are not turned too far from
    their own.

    Parameters
    ----------
    order : (3 N,) int64
        Corners in the order of their vertices.
    starts : (V + 1,) int64
        Where those of each vertex begin.
    face : (N, 3) float64
        Normals of the faces.
    angle : (3 N,) float64
        Angles at the corners.
    least : float
        Cosine between normals of faces that are smooth to one another.
    out : (3 N, 3) float64
        Is written.
    """
    for v in range(len(starts) - 1):
        for i in range(starts[v], starts[v + 1]):
            a = order[i]
            n = face[a // 3]
            x, y, z = 0.0, 0.0, 0.0
            for j in range(starts[v], starts[v + 1]):
                b = order[j]
                m = face[b // 3]
                if n[0] * m[0] + n[1] * m[1] + n[2] * m[2] >= least:
                    x += angle[b] * m[0]
                    y += angle[b] * m[1]
                    z += angle[b] * m[2]
            long = np.sqrt(x * x + y * y + z * z)
            if long > 1e-30:
                out[a, 0], out[a, 1], out[a, 2] = x / long, y / long, z / long
            else:
                out[a, 0], out[a, 1], out[a, 2] = n[0], n[1], n[2]
