"""Triangles of polygon faces."""

from __future__ import annotations

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import FloatArray, IntArray


def triangulate(corners: FloatArray, face_offsets: IntArray) -> IntArray:
    """Cut every face into triangles.

    Triangles and convex faces are cut as a fan; concave, keyhole and self-touching ones by
    mapbox-earcut in the plane of the face's mean normal.

    Parameters
    ----------
    corners : (C, 3) float64
        Position of each face corner.
    face_offsets : (F + 1,) int64

    Returns
    -------
    (N, 3) int64
        Corner indices, ordered by face; all of a triangle are corners of its face. Faces with fewer
        than three corners have none.
    """
    sizes = np.diff(face_offsets)
    if np.all(sizes == 3):
        return np.arange(len(corners), dtype=np.int64).reshape(-1, 3)
    pieces: list[IntArray] = [np.empty((0, 3), np.int64)]
    owners: list[IntArray] = [np.empty(0, np.int64)]
    for size in np.unique(sizes[sizes >= 3]):
        faces = np.flatnonzero(sizes == size)
        index = face_offsets[faces][:, None] + np.arange(size)
        bent = _is_concave(corners[index]) if size > 3 else np.zeros(len(faces), bool)
        k = np.arange(1, size - 1)
        fan = np.stack([np.zeros(size - 2, np.int64), k, k + 1], axis=1)
        pieces.append(index[~bent][:, fan].reshape(-1, 3))
        owners.append(np.repeat(faces[~bent], size - 2))
        for row, face in zip(index[bent], faces[bent], strict=True):
            cut = _ear_cut(corners[row])
            pieces.append(row[fan if cut is None else cut])
            owners.append(np.full(len(pieces[-1]), face))
    order = np.argsort(np.concatenate(owners), kind="stable")
    return np.concatenate(pieces)[order]


def _newell(polygons: FloatArray) -> FloatArray:
    """(P, 3) Newell normals of (P, K, 3) polygons, length = twice the area."""
    local = polygons - polygons[:, :1]
    return np.asarray(np.cross(local, np.roll(local, -1, axis=1)).sum(axis=1))


def _is_concave(polygons: FloatArray) -> NDArray[np.bool_]:
    """(P,) polygons of which a fan might leave the inside: with a turn the other way, or round more
    than once."""
    edges = np.roll(polygons, -1, axis=1) - polygons
    normal = _newell(polygons)
    turn = np.cross(np.roll(edges, 1, axis=1), edges)
    side = np.einsum("pki,pi->pk", turn, normal)
    scale = np.abs(side).max(axis=1, keepdims=True)
    local = polygons - polygons[:, :1]
    fan = np.cross(local[:, 1:-1], local[:, 2:])
    against = np.einsum("pki,pi->pk", fan, normal)
    bent = (side < -1e-9 * scale).any(axis=1) | (
        against < -1e-9 * np.abs(against).max(axis=1, keepdims=True)
    ).any(axis=1)
    return np.asarray(bent)


def _ear_cut(polygon: FloatArray) -> IntArray | None:
    """(N, 3) triangles of one (K, 3) polygon; None where it has no plane or is not finite."""
    normal = _newell(polygon[None])[0]
    length = float(np.linalg.norm(normal))
    if not 0 < length < np.inf:
        return None
    # Two directions in the plane; dropping a coordinate instead would squeeze the polygon.
    aside = np.cross(normal / length, np.eye(3)[int(np.argmin(np.abs(normal)))])
    aside /= np.linalg.norm(aside)
    local = polygon - polygon[0]
    flat = np.stack([local @ aside, local @ np.cross(normal / length, aside)], axis=1)
    scale = float(np.abs(flat).max())
    found = mapbox_earcut.triangulate_float64(flat / scale, np.array([len(flat)], np.uint32))
    triangles = np.asarray(found, np.int64).reshape(-1, 3)
    if not len(triangles):
        return None
    one, two = (
        flat[triangles[:, 1]] - flat[triangles[:, 0]],
        flat[triangles[:, 2]] - flat[triangles[:, 0]],
    )
    backward = one[:, 0] * two[:, 1] < one[:, 1] * two[:, 0]
    return np.where(backward[:, None], triangles[:, ::-1], triangles)
