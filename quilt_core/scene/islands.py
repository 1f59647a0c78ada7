"""UV islands: faces joined through edges that agree in position and in UV."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import groups, next_corner, weld_ids, weld_positions

UV_TOLERANCE = 1e-5
"""UVs of one point that differ by less, in tiles, are the same: files round them differently."""
MOST_AT_AN_EDGE = 16
"""So many further faces at one edge are compared with each one; they are sorted by their UVs
first."""


@dataclass(frozen=True, eq=False)
class Islands:
    """The islands of one channel.

    Parameters
    ----------
    count : int
    face_island : (F,) int64
        Island of each face, -1 for a face without UVs.
    uv : (C, 2) float64
        UVs of the corners, those of one point of one island made equal.
    edges : (E, 2) int64
        Corner pairs of the outline, the island on their left: the border of the region that it
        covers. An edge stands there as often as the number of layers on its two sides differs, so
        that the winding number of the outline is the number of layers.
    edge_island : (E,) int64
    """

    count: int
    face_island: IntArray
    uv: FloatArray
    edges: IntArray
    edge_island: IntArray


def find_islands(
    mesh: Mesh,
    channel: UVChannel,
    position: IntArray | None = None,
    tolerance: float = UV_TOLERANCE,
) -> Islands:
    """Find the islands of a UV channel.

    Two faces belong together when they share an edge whose two ends agree in position (relative to
    the size of the mesh) and in UV, within a tolerance. Faces with a missing or non-finite UV or
    fewer than three corners belong to no island.

    Parameters
    ----------
    mesh : Mesh
    channel : UVChannel
        A channel of that mesh.
    position : (V,) int64, optional
        What `weld_positions` says, when it is already known.
    tolerance : float
        Largest difference of two equal UVs in tiles, in u and in v.

    Returns
    -------
    Islands
        Numbered in the order of their first face.
    """
    uv = channel.per_corner
    face_ok = usable_faces(mesh, uv)
    if not face_ok.any():
        none = np.empty(0, np.int64)
        return Islands(0, np.full(mesh.face_count, -1, np.int64), uv, none.reshape(0, 2), none)
    place = (weld_positions(mesh) if position is None else position)[mesh.corner_vertex]
    joined = _joined_corners(mesh, uv, place, face_ok, tolerance)

    labels = groups(mesh.corner_face[joined], mesh.face_count)
    usable = np.flatnonzero(face_ok)
    _, first, inverse = np.unique(labels[usable], return_index=True, return_inverse=True)
    rank = np.empty(len(first), np.int64)
    rank[np.argsort(first, kind="stable")] = np.arange(len(first))
    face_island = np.full(mesh.face_count, -1, np.int64)
    face_island[usable] = rank[inverse]

    uv = _made_equal(uv, joined)
    edges, edge_island = _outline(mesh, uv, face_island)
    return Islands(len(first), face_island, uv, edges, edge_island)


def usable_faces(mesh: Mesh, uv: FloatArray) -> NDArray[np.bool_]:
    """(F,) faces with three or more corners, all of which have a UV."""
    missing = np.bincount(mesh.corner_face, ~np.isfinite(uv).all(axis=1), minlength=mesh.face_count)
    return np.asarray((missing == 0) & (np.diff(mesh.face_offsets) >= 3))


def _joined_corners(
    mesh: Mesh, uv: FloatArray, place: IntArray, face_ok: NDArray[np.bool_], tolerance: float
) -> IntArray:
    """(N, 2) pairs of corners of two faces that are one point of one island."""
    starts = np.flatnonzero(face_ok[mesh.corner_face])
    ends = next_corner(mesh.face_offsets, len(mesh.corner_vertex))[starts]
    turned = place[starts] > place[ends]
    low, high = np.where(turned, ends, starts), np.where(turned, starts, ends)
    real = place[low] != place[high]
    low, high = low[real], high[real]
    key = place[low] * (int(place.max()) + 1) + place[high]
    order = np.argsort(key, kind="stable")
    if len(key) and (key[order][2:] == key[order][:-2]).any():
        order = np.lexsort((uv[low, 1], uv[low, 0], key))
    key, low, high = key[order], low[order], high[order]
    pairs: list[IntArray] = [np.empty((0, 2), np.int64)]
    for step in range(1, MOST_AT_AN_EDGE + 1):
        same = np.flatnonzero(key[step:] == key[:-step])
        if not len(same):
            break
        near = _near(uv, low[same], low[same + step], tolerance)
        near &= _near(uv, high[same], high[same + step], tolerance)
        same = same[near]
        pairs += [np.stack([ends[same], ends[same + step]], axis=1) for ends in (low, high)]
    return np.concatenate(pairs)


def _near(uv: FloatArray, a: IntArray, b: IntArray, tolerance: float) -> NDArray[np.bool_]:
    off = np.abs(uv[a] - uv[b]).max(axis=1, initial=0.0)
    return np.asarray((off < tolerance) | (off == 0))


def _made_equal(uv: FloatArray, joined: IntArray) -> FloatArray:
    """UVs of corners that are one point set to those of the first of them."""
    apart = (uv[joined[:, 0]] != uv[joined[:, 1]]).any(axis=1)
    if not apart.any():
        return uv
    group = groups(joined, len(uv))
    mixed = np.isin(group, group[joined[apart, 0]])
    _, first, inverse = np.unique(group[mixed], return_index=True, return_inverse=True)
    out = uv.copy()
    out[mixed] = uv[np.flatnonzero(mixed)[first[inverse]]]
    return out


def _outline(mesh: Mesh, uv: FloatArray, face_island: IntArray) -> tuple[IntArray, IntArray]:
    """Corner pairs and islands of the edges where the number of layers changes.

    Every triangle is walked round anticlockwise; steps to and fro along one edge cancel.
    """
    island = face_island[mesh.triangle_face]
    triangles = mesh.triangles[island >= 0]
    island = island[island >= 0]
    clockwise = triangle_areas(uv[triangles]) < 0
    triangles = np.where(clockwise[:, None], triangles[:, ::-1], triangles)
    a, b = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    owner = np.repeat(island, 3)
    corners, inverse = np.unique(np.concatenate([a, b]), return_inverse=True)
    corner_island = np.empty(len(corners), np.int64)
    corner_island[inverse[: len(a)]] = owner
    ids = weld_ids(corner_island, uv[corners, 0], uv[corners, 1])[inverse]
    one, two = ids[: len(a)], ids[len(a) :]
    kept = _unbalanced(one, two)
    if len(kept) > len(a) // 2:
        # Of faces that lie exactly on one another one is a layer, the others change nothing.
        first = np.unique(weld_ids(*np.sort(one.reshape(-1, 3), axis=1).T), return_index=True)[1]
        steps = np.sort((3 * first[:, None] + np.arange(3)).ravel())
        kept = steps[_unbalanced(one[steps], two[steps])]
    lost = np.setdiff1d(island, owner[kept])
    if len(lost):
        # What lies on one line or point covers nothing: all of it is outline.
        kept = np.concatenate([kept, np.flatnonzero(np.isin(owner, lost))])
    return np.stack([a[kept], b[kept]], axis=1), owner[kept]


def _unbalanced(one: IntArray, two: IntArray) -> IntArray:
    """Steps from point `one` to point `two` that no step back cancels, each as often as it is left
    over."""
    forward = one < two
    key = np.where(forward, one, two) * (int(max(one.max(initial=0), two.max(initial=0))) + 1)
    _, edge = np.unique(key + np.where(forward, two, one), return_inverse=True)
    layers = np.bincount(edge, np.where(one == two, 0, np.where(forward, 1, -1))).astype(np.int64)
    # The first step in the direction that is left over stands for the edge.
    kept = np.flatnonzero((one != two) & np.where(forward, layers[edge] > 0, layers[edge] < 0))
    _, first = np.unique(edge[kept], return_index=True)
    kept = np.sort(kept[first])
    return np.repeat(kept, np.abs(layers[edge[kept]]))


def triangle_areas(corners: FloatArray) -> FloatArray:
    """(N,) signed areas of triangles (N, 3, 2), relative to their first corner."""
    one, two = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    return np.asarray(0.5 * (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]))
