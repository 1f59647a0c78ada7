"""Bring a mesh in again: the layout of its older version goes to what is still there.

First by equal topology, then face by face where faces lie at the same places, then by place on the surface: each corner gets
the UV of the nearest point of the older one, island by island.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from quilt_core.scene.islands import find_islands
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import near_ids, weld_positions

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

NOTHING, TOPOLOGY, FACE, SURFACE = 0, 1, 2, 3
"""How a face got its UVs: not at all, as the same corner of the same mesh, from a face at its place, from the surface."""
SAME = 1e-5
"""Part of the mesh's size within which vertices are at the same place."""
NEAR = 0.01
"""Part of the mesh's size within which a face lies on the older surface."""
FACING = 0.5
"""Cosine between normals of a face and the surface that it is taken to lie on."""
CANDIDATES = 24
"""Triangles of the older surface that are looked at for each point, by their middles."""
SHRUNK = 4.0
"""A face whose UVs would be that much larger or smaller than its island's, along an edge, gets none."""


@dataclass(frozen=True, eq=False)
class Again:
    """The layout of an older version on a newer one.

    Parameters
    ----------
    uv : (C, 2) float64
        UVs of the newer mesh's corners; NaN for faces that have no place in the older layout.
    how : (F,) int64
        `NOTHING`, `TOPOLOGY`, `FACE` or `SURFACE` for each face.
    source : (F,) int64
        The older face that each face got its UVs from, -1 for none.
    gone : int
        Faces of the older mesh that none of the newer one got its UVs from.
    moved : float
        Largest way that a vertex went, as a part of the mesh's size; only for equal topology, else 0.
    """

    uv: FloatArray
    how: IntArray
    source: IntArray
    gone: int
    moved: float

    @property
    def new(self) -> int:
        """Faces without UVs."""
        return int((self.how == NOTHING).sum())


def layout_again(old: Mesh, old_uv: FloatArray, new: Mesh) -> Again:
    """Carry the layout of an older version of a mesh over to a newer one.

    Parameters
    ----------
    old, new : Mesh
    old_uv : (C, 2) float64
        UVs of the older mesh's corners, NaN where there are none.
    """
    size = _size(old, new)
    if _same_topology(old, new):
        same = len(old.positions) == len(new.positions)
        way = np.linalg.norm(old.positions - new.positions, axis=1) if same else np.zeros(1)
        known = np.isfinite(old_uv).all(axis=1)
        bad = np.unique(new.corner_face[~known])
        how = np.full(new.face_count, TOPOLOGY)
        how[bad] = NOTHING
        source = np.where(how == NOTHING, -1, np.arange(new.face_count))
        return Again(old_uv.copy(), how, source, 0, float(np.nanmax(way, initial=0.0)) / size)
    uv = np.full((len(new.corner_vertex), 2), np.nan)
    how, source = np.full(new.face_count, NOTHING), np.full(new.face_count, -1)
    used = _face_by_face(old, old_uv, new, SAME * size, uv, how, source)
    rest = np.flatnonzero(how == NOTHING)
    if len(rest):
        used |= _by_surface(old, old_uv, new, size, rest, uv, how, source)
    gone = int((~used & (np.diff(old.face_offsets) > 0)).sum())
    return Again(uv, how, source, gone, 0.0)


def _same_topology(old: Mesh, new: Mesh) -> bool:
    """Whether corners are the same, and hang together in the same way: of a soup of triangles that were put in another
    order the numbers alone say nothing."""
    if not np.array_equal(old.face_offsets, new.face_offsets) or not np.array_equal(
        old.corner_vertex, new.corner_vertex
    ):
        return False
    one, two = weld_positions(old)[old.corner_vertex], weld_positions(new)[new.corner_vertex]
    pairs = len(np.unique(np.stack([one, two]), axis=1).T)
    return pairs == len(np.unique(one)) == len(np.unique(two))


def _size(old: Mesh, new: Mesh) -> float:
    both = np.concatenate([old.positions, new.positions])
    fine = both[np.isfinite(both).all(axis=1)]
    return max(float(np.ptp(fine, axis=0).max()) if len(fine) else 0.0, 1e-30)


def _face_by_face(
    old: Mesh,
    old_uv: FloatArray,
    new: Mesh,
    near: float,
    uv: FloatArray,
    how: IntArray,
    source: IntArray,
) -> BoolArray:
    """Give faces whose corners lie where those of an older face do its UVs, in place; the older faces that were used."""
    ids = near_ids(np.concatenate([old.positions, new.positions]), near)
    old_id = ids[: len(old.positions)][old.corner_vertex]
    new_id = ids[len(old.positions) :][new.corner_vertex]
    waiting: dict[tuple[int, ...], list[int]] = {}
    laid = np.ones(old.face_count, bool)
    laid[old.corner_face[~np.isfinite(old_uv).all(axis=1)]] = False
    for face in np.flatnonzero(laid).tolist():
        a, b = old.face_offsets[face : face + 2]
        waiting.setdefault(tuple(sorted(old_id[a:b].tolist())), []).append(face)
    used = np.zeros(old.face_count, bool)
    for face in range(new.face_count):
        a, b = new.face_offsets[face : face + 2]
        own = new_id[a:b].tolist()
        found = waiting.get(tuple(sorted(own)))
        if not found:
            continue
        # Of faces that lie on one another the one that is turned alike.
        best = max(range(len(found)), key=lambda k: _turned_alike(old, old_id, found[k], own))
        first = found.pop(best)
        c, d = old.face_offsets[first : first + 2]
        at = {vertex: int(c) + k for k, vertex in enumerate(old_id[c:d].tolist())}
        uv[a:b] = old_uv[[at[vertex] for vertex in own]]
        how[face], source[face], used[first] = FACE, first, True
    return used


def _turned_alike(old: Mesh, old_id: IntArray, face: int, own: list[int]) -> bool:
    a, b = old.face_offsets[face : face + 2]
    there = old_id[a:b].tolist()
    if own[0] not in there:
        return False
    at = there.index(own[0])
    return bool(there[(at + 1) % len(there)] == own[1 % len(own)])


def _by_surface(
    old: Mesh,
    old_uv: FloatArray,
    new: Mesh,
    size: float,
    rest: IntArray,
    uv: FloatArray,
    how: IntArray,
    source: IntArray,
) -> BoolArray:
    """Give faces that lie on the older surface its UVs there, in place; the older faces that were used."""
    used = np.zeros(old.face_count, bool)
    tris = old.triangles
    known = np.isfinite(old_uv[tris]).all(axis=(1, 2))
    corner = old.positions[old.corner_vertex[tris]]
    known &= np.isfinite(corner).all(axis=(1, 2))
    if not known.any():
        return used
    tris, corner = tris[known], corner[known]
    face_of = old.triangle_face[known]
    fine = np.arange(len(old_uv), dtype=np.int64)
    laid = np.where(np.isfinite(old_uv).all(axis=1), fine, -1)
    channel = UVChannel("again", np.nan_to_num(old_uv), laid)
    island = find_islands(old, channel).face_island[face_of]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    area = np.linalg.norm(normal, axis=1)
    normal /= np.maximum(area[:, None], 1e-300)
    flat = old_uv[tris]
    a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    laid_area = np.bincount(island, np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]))
    scale = np.sqrt(laid_area / np.maximum(np.bincount(island, area), 1e-300))
    finder = _Nearest(corner, normal, island)
    for face in rest.tolist():
        start, end = new.face_offsets[face : face + 2]
        points = new.positions[new.corner_vertex[start:end]]
        if end - start < 3 or not np.isfinite(points).all():
            continue
        turned = _newell(points)
        middle = finder.find(points.mean(axis=0)[None], turned, -1)
        if middle is None or middle[1][0] > NEAR * size:
            continue
        which = int(island[middle[0][0]])
        found = finder.find(points, turned, which)
        if found is None or found[1].max() > NEAR * size:
            continue
        triangle, _, bary = found
        own = np.einsum("kn,knc->kc", bary, flat[triangle])
        # Corners that were drawn together, apart or over one another have no place of their own.
        drawn = np.sqrt(
            abs(_area(own)) / max(float(np.linalg.norm(_newell(points, False))), 1e-300)
        )
        if not 1 / SHRUNK < drawn / max(float(scale[which]), 1e-300) < SHRUNK:
            continue
        uv[start:end] = own
        how[face], source[face] = SURFACE, face_of[middle[0][0]]
        used[face_of[triangle]] = True
    return used


class _Nearest:
    """Nearest points of triangles."""

    def __init__(self, corner: FloatArray, normal: FloatArray, island: IntArray) -> None:
        # Imported here: it takes a second, for which nobody who starts the server should wait.
        from scipy.spatial import cKDTree

        self._tree_of = cKDTree
        self.corner, self.normal, self.island = corner, normal, island
        self._all = cKDTree(corner.mean(axis=1))
        self._of: dict[int, tuple[cKDTree, IntArray]] = {}

    def find(
        self, points: FloatArray, turned: FloatArray, island: int
    ) -> tuple[IntArray, FloatArray, FloatArray] | None:
        """Triangles, distances and weights of their corners for the nearest points on triangles that are turned alike, of
        one island where it is told; None where there are none for some point."""
        tree, rows = self._tree(island)
        count = min(CANDIDATES, len(rows))
        _, near = tree.query(points, count)
        near = rows[near.reshape(len(points), count)]
        alike = self.normal[near] @ turned > FACING
        if not alike.any(axis=1).all():
            return None
        bary = _closest(self.corner[near], points[:, None])
        at = np.einsum("kcn,kcnd->kcd", bary, self.corner[near])
        distance = np.where(alike, np.linalg.norm(at - points[:, None], axis=2), np.inf)
        best = distance.argmin(axis=1)
        k = np.arange(len(points))
        return near[k, best], distance[k, best], bary[k, best]

    def _tree(self, island: int) -> tuple[cKDTree, IntArray]:
        if island < 0:
            return self._all, np.arange(len(self.corner))
        if island not in self._of:
            rows = np.flatnonzero(self.island == island)
            self._of[island] = self._tree_of(self.corner[rows].mean(axis=1)), rows
        return self._of[island]


def _closest(triangle: FloatArray, point: FloatArray) -> FloatArray:
    """(…, 3) weights of the corners of triangles (…, 3, 3) for their points that are nearest to points (…, 3)."""
    a, b, c = (triangle[..., k, :] for k in range(3))
    best = np.zeros((*triangle.shape[:-2], 3))
    ab, ac, ap = b - a, c - a, point - a
    d00, d01, d11 = (ab * ab).sum(-1), (ab * ac).sum(-1), (ac * ac).sum(-1)
    d20, d21 = (ap * ab).sum(-1), (ap * ac).sum(-1)
    det = d00 * d11 - d01 * d01
    safe = np.where(det > 1e-300, det, 1.0)
    v, w = (d11 * d20 - d01 * d21) / safe, (d00 * d21 - d01 * d20) / safe
    inside = (det > 1e-300) & (v >= 0) & (w >= 0) & (v + w <= 1)
    least = np.full(inside.shape, np.inf)
    for one, two, k, m in ((a, b, 0, 1), (b, c, 1, 2), (c, a, 2, 0)):
        side = two - one
        long = (side * side).sum(-1)
        part = np.clip(((point - one) * side).sum(-1) / np.where(long > 0, long, 1.0), 0.0, 1.0)
        away = ((one + part[..., None] * side - point) ** 2).sum(-1)
        nearer = away < least
        least = np.where(nearer, away, least)
        weights = np.zeros_like(best)
        weights[..., k], weights[..., m] = 1 - part, part
        best = np.where(nearer[..., None], weights, best)
    middle = np.stack([1 - v - w, v, w], axis=-1)
    return np.asarray(np.where(inside[..., None], middle, best))


def _newell(points: FloatArray, one_long: bool = True) -> FloatArray:
    """Normal of a polygon; twice its area long, or one."""
    total = np.cross(points, np.roll(points, -1, axis=0)).sum(axis=0)
    return np.asarray(total / max(float(np.linalg.norm(total)), 1e-300) if one_long else total)


def _area(points: FloatArray) -> float:
    """Twice the area of a polygon in the plane."""
    x, y = points.T
    return float((x * np.roll(y, -1) - y * np.roll(x, -1)).sum())
