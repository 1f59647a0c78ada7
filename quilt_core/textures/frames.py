"""Tangents at the corners of triangles.

Reference: Mikkelsen 2008, Simulation of Wrinkled Surfaces Revisited (tangents weighted by the angle
at the corner, one for each group of corners that agree in place, normal, UV and side).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from quilt_core.scene.types import FloatArray
from quilt_core.scene.weld import weld_ids


def corner_tangents(points: FloatArray, normals: FloatArray, uv: FloatArray) -> FloatArray:
    """Tangents with their side.

    Parameters
    ----------
    points, normals : (N, 3, 3) float64
        At the corners of triangles.
    uv : (N, 3, 2) float64
        Origin at the bottom left.

    Returns
    -------
    (N, 3, 4) float64
        Unit tangents, and 1 or -1: the bitangent is side * cross(normal, tangent). Where the UVs have
        no area it is any direction across the normal.
    """
    one, two = points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    det = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    side = np.where(det < 0, -1.0, 1.0)
    along = (one * b[:, 1:] - two * a[:, 1:]) * side[:, None]
    flat = det == 0
    along[flat] = 0.0
    across = along[:, None] - normals * (normals * along[:, None]).sum(axis=2, keepdims=True)
    across = _unit(across)
    edges = _unit(np.roll(points, -1, axis=1) - points)
    back = _unit(np.roll(points, 1, axis=1) - points)
    angle = np.arccos(np.clip((edges * back).sum(axis=2), -1.0, 1.0))
    key = np.concatenate(
        [points, normals, uv, np.repeat(side[:, None, None], 3, axis=1)], axis=2
    ).reshape(-1, 9)
    ids = _around_vertices(weld_ids(*key.T).reshape(-1, 3))
    total = np.zeros((int(ids.max(initial=-1)) + 1, 3))
    np.add.at(total, ids, (across * angle[..., None]).reshape(-1, 3))
    tangent = _unit(total)[ids].reshape(points.shape)
    lost = np.linalg.norm(tangent, axis=2) < 0.5
    if lost.any():
        tangent[lost] = _across(normals[lost])
    return np.concatenate([tangent, np.repeat(side[:, None, None], 3, axis=1)], axis=2)


def _around_vertices(ids: NDArray[np.int64]) -> NDArray[np.int64]:
    """(3 N,) groups of the corners of triangles whose corners (N, 3) are numbered: those with one number that hang
    together by edges whose ends both agree. Fans that only touch at a vertex are groups of their own."""
    corner = np.arange(ids.size).reshape(-1, 3)
    ahead = np.roll(ids, -1, axis=1)
    turned = (ids > ahead).reshape(-1)
    ends = np.stack([corner, np.roll(corner, -1, axis=1)], axis=2).reshape(-1, 2)
    ends[turned] = ends[turned, ::-1]
    pair = np.sort(np.stack([ids, ahead], axis=2).reshape(-1, 2), axis=1)
    order = np.lexsort((pair[:, 1], pair[:, 0]))
    same = (pair[order[1:]] == pair[order[:-1]]).all(axis=1)
    one, two = ends[order[:-1][same]], ends[order[1:][same]]
    links = coo_array(
        (np.ones(one.size, bool), (one.reshape(-1), two.reshape(-1))), shape=(ids.size, ids.size)
    )
    return np.asarray(connected_components(links, directed=False)[1], np.int64)


def even_turns(normals: FloatArray, before: FloatArray, after: FloatArray) -> FloatArray:
    """What turns the vectors of normal maps on flat triangles.

    Parameters
    ----------
    normals : (N, 3, 3) float64
        At the corners of triangles.
    before, after : (N, 3, 4) float64
        See `corner_tangents`.

    Returns
    -------
    (N, 3, 3) float64
        From the frame of before to that of after; NaN for triangles whose normals or tangents differ
        between their corners.
    """
    out = np.full((len(normals), 3, 3), np.nan)
    off = sum(np.ptp(one, axis=1).max(axis=1) for one in (normals, before, after))
    normal = _unit(normals[:, 0])
    bases = []
    for frame in (before[:, 0], after[:, 0]):
        tangent = _unit(frame[:, :3])
        other = _unit(np.cross(normal, tangent)) * frame[:, 3:]
        bases.append(np.stack([tangent, other, normal], axis=2))
    fine = np.flatnonzero((off < 1e-6) & (np.abs(np.linalg.det(bases[1])) > 1e-6))
    out[fine] = np.linalg.inv(bases[1][fine]) @ bases[0][fine]
    return out


def _unit(v: FloatArray) -> FloatArray:
    size = np.linalg.norm(v, axis=-1, keepdims=True)
    return np.asarray(np.divide(v, size, out=np.zeros_like(v), where=size > 1e-30))


def _across(normal: FloatArray) -> FloatArray:
    other = np.where(np.abs(normal[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    return _unit(np.cross(np.cross(normal, other), normal))
