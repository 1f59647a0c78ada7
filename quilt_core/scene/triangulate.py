"""Triangles of polygon faces."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


def triangulate(corners: FloatArray, face_offsets: IntArray) -> IntArray:
    """Cut every face into triangles.

    Triangles and convex faces are cut as a fan, concave faces by clipping ears in the plane of the
    face's mean normal.

    Parameters
    ----------
    corners : (C, 3) float64
        Position of each face corner.
    face_offsets : (F + 1,) int64

    Returns
    -------
    (N, 3) int64
        Corner indices, ordered by face; each triangle starts at a corner of its own face.
    """
    sizes = np.diff(face_offsets)
    if np.all(sizes == 3):
        return np.arange(len(corners), dtype=np.int64).reshape(-1, 3)
    pieces: list[IntArray] = []
    owners: list[IntArray] = []
    for size in np.unique(sizes):
        faces = np.flatnonzero(sizes == size)
        if size < 3:
            continue
        index = face_offsets[faces][:, None] + np.arange(size)
        fan = np.stack(
            [np.stack([index[:, 0], index[:, k], index[:, k + 1]], 1) for k in range(1, size - 1)], 1
        )
        if size > 3:
            for row in np.flatnonzero(_is_concave(corners[index])):
                fan[row] = index[row][_clip_ears(corners[index[row]])]
        pieces.append(fan.reshape(-1, 3))
        owners.append(np.repeat(faces, size - 2))
    if not pieces:
        return np.empty((0, 3), np.int64)
    order = np.argsort(np.concatenate(owners), kind="stable")
    return np.concatenate(pieces)[order]


def _newell(polygons: FloatArray) -> FloatArray:
    """(P, 3) Newell normals of (P, K, 3) polygons, length = twice the area."""
    return np.asarray(np.cross(polygons, np.roll(polygons, -1, axis=1)).sum(axis=1))


def _is_concave(polygons: FloatArray) -> NDArray[np.bool_]:
    edges = np.roll(polygons, -1, axis=1) - polygons
    turn = np.cross(np.roll(edges, 1, axis=1), edges)
    side = np.einsum("pki,pi->pk", turn, _newell(polygons))
    scale = np.abs(side).max(axis=1, keepdims=True)
    return np.asarray((side < -1e-9 * scale).any(axis=1))


def _clip_ears(polygon: FloatArray) -> IntArray:
    """Ear clipping of one (K, 3) polygon; falls back to a fan when no ear is left."""
    normal = _newell(polygon[None])[0]
    drop = int(np.argmax(np.abs(normal)))
    keep = list(((1, 2), (2, 0), (0, 1))[drop])
    flat = polygon[:, keep] * np.array([1.0, np.sign(normal[drop]) or 1.0])
    ring = list(range(len(flat)))
    triangles: list[tuple[int, int, int]] = []
    while len(ring) > 3:
        for k in range(len(ring)):
            a, b, c = ring[k - 1], ring[k], ring[(k + 1) % len(ring)]
            if _is_ear(flat, ring, a, b, c):
                triangles.append((a, b, c))
                ring.pop(k)
                break
        else:
            triangles.extend((ring[0], ring[k], ring[k + 1]) for k in range(1, len(ring) - 1))
            return np.array(triangles, np.int64)
    triangles.append((ring[0], ring[1], ring[2]))
    return np.array(triangles, np.int64)


def _cross(o: FloatArray, a: FloatArray, b: FloatArray) -> float:
    return float((a[0] - o[0]) * (b[1] - o[1]) - (a[1] - o[1]) * (b[0] - o[0]))


def _is_ear(flat: FloatArray, ring: list[int], a: int, b: int, c: int) -> bool:
    if _cross(flat[a], flat[b], flat[c]) <= 0:
        return False
    for other in ring:
        if other in (a, b, c):
            continue
        p = flat[other]
        if (
            _cross(flat[a], flat[b], p) >= 0
            and _cross(flat[b], flat[c], p) >= 0
            and _cross(flat[c], flat[a], p) >= 0
        ):
            return False
    return True
