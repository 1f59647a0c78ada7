"""Inner loops of relaxing an island: distortion with its gradient, and how far a step may go.

Reference: Degener, Meseth, Klein 2003, An Adaptable Surface Parameterization Method: the distortion of
a triangle is a power of its angles' times a power of its area's. With equal powers of 1 it is a
quarter of the symmetric Dirichlet energy (Smith and Schaefer 2015).
"""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def shapes(rest):  # type: ignore[no-untyped-def]
    """(m, 3, 2) gradients of the three corners' hat functions, and (m,) areas."""
    m = len(rest)
    out, area = np.empty((m, 3, 2)), np.empty(m)
    for i in range(m):
        two = (rest[i, 1, 0] - rest[i, 0, 0]) * (rest[i, 2, 1] - rest[i, 0, 1]) - (
            rest[i, 1, 1] - rest[i, 0, 1]
        ) * (rest[i, 2, 0] - rest[i, 0, 0])
        area[i] = 0.5 * two
        for k in range(3):
            a, b = (k + 1) % 3, (k + 2) % 3
            out[i, k, 0] = (rest[i, a, 1] - rest[i, b, 1]) / two
            out[i, k, 1] = (rest[i, b, 0] - rest[i, a, 0]) / two
    return out, area


@njit(cache=True, nogil=True)
def distortion(faces, shape, weight, x, angles, areas, slope):  # type: ignore[no-untyped-def]
    """Mean distortion of a map x (n, 2), inf when a triangle is turned over; its gradient is put
    into slope (n, 2). `weight` (m,) adds up to 1."""
    slope[:] = 0.0
    total = 0.0
    for i in range(len(faces)):
        p, q, r, s = 0.0, 0.0, 0.0, 0.0
        for k in range(3):
            v = faces[i, k]
            p += x[v, 0] * shape[i, k, 0]
            q += x[v, 0] * shape[i, k, 1]
            r += x[v, 1] * shape[i, k, 0]
            s += x[v, 1] * shape[i, k, 1]
        det = p * s - q * r
        if not det > 1e-12:
            return np.inf
        square = p * p + q * q + r * r + s * s
        turned, grown = square / (2 * det), 0.5 * (det + 1 / det)
        value = weight[i] * turned**angles * grown**areas
        total += value
        by_square = value * angles / square
        by_det = value * (areas * 0.5 * (1 - 1 / (det * det)) / grown - angles / det)
        gp, gq = 2 * by_square * p + by_det * s, 2 * by_square * q - by_det * r
        gr, gs = 2 * by_square * r - by_det * q, 2 * by_square * s + by_det * p
        for k in range(3):
            v = faces[i, k]
            slope[v, 0] += gp * shape[i, k, 0] + gq * shape[i, k, 1]
            slope[v, 1] += gr * shape[i, k, 0] + gs * shape[i, k, 1]
    return total


@njit(cache=True, nogil=True)
def longest_step(faces, x, d):  # type: ignore[no-untyped-def]
    """How far x may go along d until a triangle has no area; inf when none ever has."""
    most = np.inf
    for i in range(len(faces)):
        a, b, c = faces[i, 0], faces[i, 1], faces[i, 2]
        ux, uy, vx, vy = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[c, 0] - x[a, 0], x[c, 1] - x[a, 1]
        px, py, qx, qy = d[b, 0] - d[a, 0], d[b, 1] - d[a, 1], d[c, 0] - d[a, 0], d[c, 1] - d[a, 1]
        zero, one, two = ux * vy - uy * vx, ux * qy - uy * qx + px * vy - py * vx, px * qy - py * qx
        if abs(two) < 1e-300:
            if one < 0:
                most = min(most, -zero / one)
            continue
        root = one * one - 4 * two * zero
        if root < 0:
            continue
        root = np.sqrt(root)
        half = -0.5 * (one + root) if one >= 0 else -0.5 * (one - root)
        if half != 0.0 and zero / half > 0:
            most = min(most, zero / half)
        if half / two > 0:
            most = min(most, half / two)
    return most
