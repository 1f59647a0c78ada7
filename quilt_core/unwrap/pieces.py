"""Triangles with their neighbours, ready to be cut and flattened: what a real mesh has too much or
too little of is set aside here, once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import weld_ids, weld_positions
from quilt_core.unwrap._piece_loops import match_winding, pair_many

THINNEST = 1e-4
"""Height that a sliver is given, as a part of its longest side: it has hardly any area, and would
spoil every mean."""


STEEP, EVEN, FAR_FROM_FLAT = np.radians(60.0), np.radians(5.0), np.radians(40.0)
"""At the corner of a solid edges turn by more than the first or less than the second; and the angle
that is missing from (or above) a full turn."""


@dataclass(frozen=True, eq=False)
class Pieces:
    """The surface of a mesh as triangles that know their neighbours.

    A half-edge ``3 t + s`` is the side of triangle ``t`` from its corner ``s`` to the next.

    Parameters
    ----------
    corner : (N, 3) int64
        Corners in the mesh, wound alike within a piece.
    vertex : (N, 3) int64
        Equal where corners lie at the same place.
    across : (3 N,) int64
        Half-edge on the other side, -1 at a border of the mesh.
    inner : (3 N,) bool
        Half-edges inside a polygon, which can be no seam.
    face : (N,) int64
        Face of the mesh.
    points : (N, 3, 3) float64
    rest : (N, 3, 2) float64
        Each triangle laid flat, its first side along x; slivers as high as `THINNEST`.
    area : (N,) float64
        Of the triangles of `rest`.
    normal : (N, 3) float64
    length : (3 N,) float64
        Of the half-edges.
    turn : (3 N,) float64
        Angle between the normals on both sides, radians, positive where the surface bulges; 0 at
        borders.
    sharp : (N, 3) bool
        Corners of solids: three edges or more turn by more than `STEEP` there, the others by less
        than `EVEN`, and what is around it is far from flat. They are kept on borders, so that panels keep their shape.
    aside : (A, 3) int64
        Corners of triangles of which two lie at one place.
    place : (V,) int64
        Of the mesh's vertices, as in `vertex`.
    """

    corner: IntArray
    vertex: IntArray
    across: IntArray
    inner: BoolArray
    face: IntArray
    points: FloatArray
    rest: FloatArray
    area: FloatArray
    normal: FloatArray
    length: FloatArray
    turn: FloatArray
    sharp: BoolArray
    aside: IntArray
    place: IntArray

    @property
    def count(self) -> int:
        """Number of triangles."""
        return len(self.corner)


def find_pieces(mesh: Mesh, points: FloatArray | None = None) -> Pieces:
    """Prepare a mesh for flattening.

    Faces that lie on an earlier one (the same corners) make pieces of their own. Where more than
    two faces meet, those that go on most evenly are neighbours. Faces wound against their
    neighbours are turned, here only; a piece that has no two sides is cut where it would twist.

    Parameters
    ----------
    mesh : Mesh
    points : (V, 3) float64, optional
        Positions to flatten instead of the mesh's own, such as those in the world.
    """
    points = np.asarray(mesh.positions if points is None else points, np.float64)
    place = weld_positions(mesh)
    corner = _all_triangles(mesh)
    vertex = place[mesh.corner_vertex[corner]]
    finite = np.isfinite(points[mesh.corner_vertex[corner]]).all(axis=(1, 2))
    flat = (vertex == np.roll(vertex, 1, axis=1)).any(axis=1)
    keep = ~flat & finite
    aside = corner[~keep]
    corner, vertex = corner[keep], vertex[keep]
    face = mesh.corner_face[corner[:, 0]] if len(corner) else np.empty(0, np.int64)
    layer = _layers(mesh, place)[face]
    across, inner = _neighbours(vertex, face, layer, points[mesh.corner_vertex[corner]])
    turned = match_winding(vertex, across)
    corner, vertex, across, inner = _turned(corner, vertex, across, inner, turned)
    xyz = points[mesh.corner_vertex[corner]].reshape(-1, 3, 3)
    rest = lay_flat(xyz)
    normal = np.cross(xyz[:, 1] - xyz[:, 0], xyz[:, 2] - xyz[:, 0])
    size = np.linalg.norm(normal, axis=1, keepdims=True)
    normal = np.divide(normal, size, out=np.zeros_like(normal), where=size > 0)
    length = np.linalg.norm(np.roll(xyz, -1, axis=1) - xyz, axis=2).ravel()
    one, two = rest[:, 1] - rest[:, 0], rest[:, 2] - rest[:, 0]
    area = 0.5 * (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0])
    turn = _turns(across, normal, xyz)
    sharp = _sharp(vertex, turn, rest, len(mesh.positions))
    return Pieces(
        corner=corner, vertex=vertex, across=across, inner=inner, face=face, points=xyz, rest=rest,
        area=area, normal=normal, length=length, turn=turn, sharp=sharp, aside=aside, place=place,
    )  # fmt: skip


def _all_triangles(mesh: Mesh) -> IntArray:
    """(N, 3) triangles of a mesh; a face that lost corners when it was cut, as it crosses itself, is
    cut as a fan."""
    corner = mesh.triangles
    sizes = np.diff(mesh.face_offsets)
    short = np.bincount(mesh.triangle_face, minlength=len(sizes)) < sizes - 2
    if not short.any():
        return corner
    fans = [
        np.stack(
            [np.full(n - 2, at), np.arange(at + 1, at + n - 1), np.arange(at + 2, at + n)], axis=1
        )
        for at, n in zip(mesh.face_offsets[:-1][short], sizes[short], strict=True)
    ]
    kept = corner[~short[mesh.triangle_face]]
    out = np.concatenate([kept, *fans])
    return np.asarray(out[np.argsort(out[:, 0], kind="stable")])


def lay_flat(xyz: FloatArray) -> FloatArray:
    """(N, 3, 2) triangles (N, 3, 3) laid in the plane, each with its first side along x."""
    one, two = xyz[:, 1] - xyz[:, 0], xyz[:, 2] - xyz[:, 0]
    base = np.linalg.norm(one, axis=1)
    along = np.einsum("ni,ni->n", one, two) / np.maximum(base, 1e-300)
    height = np.linalg.norm(np.cross(one, two), axis=1) / np.maximum(base, 1e-300)
    sides = np.linalg.norm(np.roll(xyz, -1, axis=1) - xyz, axis=2)
    longest = sides.max(axis=1)
    height = np.maximum(height, THINNEST * longest * longest / np.maximum(base, 1e-300))
    rest = np.zeros((len(xyz), 3, 2))
    rest[:, 1, 0] = base
    rest[:, 2, 0], rest[:, 2, 1] = along, height
    return rest


def _layers(mesh: Mesh, place: IntArray) -> IntArray:
    """(F,) how many earlier faces have the same corners."""
    mark = np.random.default_rng(7).integers(0, 2**62, int(place.max(initial=0)) + 1)
    with np.errstate(over="ignore"):
        held = np.concatenate([[0], np.cumsum(mark[place[mesh.corner_vertex]])])
    total = held[mesh.face_offsets[1:]] - held[mesh.face_offsets[:-1]]
    same = weld_ids(total, np.diff(mesh.face_offsets))
    order = np.argsort(same, kind="stable")
    start = np.flatnonzero(np.r_[True, np.diff(same[order]) != 0]) if len(order) else order
    rank = np.arange(len(order)) - np.repeat(start, np.diff(np.r_[start, len(order)]))
    layer = np.empty(len(order), np.int64)
    layer[order] = rank
    return layer


def _neighbours(
    vertex: IntArray, face: IntArray, layer: IntArray, xyz: FloatArray
) -> tuple[IntArray, BoolArray]:
    """Half-edges across, and whether both lie in one polygon."""
    count = len(vertex)
    across = np.full(3 * count, -1, np.int64)
    inner = np.zeros(3 * count, bool)
    if not count:
        return across, inner
    start, end = vertex.ravel(), np.roll(vertex, -1, axis=1).ravel()
    owner = np.repeat(face, 3)
    # Diagonals of a polygon first: they belong to nobody else.
    low, high = np.minimum(start, end), np.maximum(start, end)
    own = weld_ids(low, high, owner)
    order = np.argsort(own, kind="stable")
    size = np.bincount(own)
    begin = np.r_[0, np.cumsum(size)[:-1]]
    two = np.flatnonzero(size == 2)
    a, b = order[begin[two]], order[begin[two] + 1]
    across[a], across[b] = b, a
    inner[a] = inner[b] = True
    left = np.flatnonzero(across < 0)
    edge = weld_ids(low[left], high[left], np.repeat(layer, 3)[left])
    order = left[np.argsort(edge, kind="stable")]
    size = np.bincount(edge)
    begin = np.r_[0, np.cumsum(size)[:-1]]
    two = np.flatnonzero(size == 2)
    a, b = order[begin[two]], order[begin[two] + 1]
    across[a], across[b] = b, a
    many = np.flatnonzero(size > 2)
    if len(many):
        pair_many(order, begin[many], size[many], start, xyz.reshape(-1, 3), across)
    return across, inner


def _turned(
    corner: IntArray, vertex: IntArray, across: IntArray, inner: BoolArray, turned: BoolArray
) -> tuple[IntArray, IntArray, IntArray, BoolArray]:
    """The same with some triangles wound the other way: corners 0, 2, 1; sides 2, 1, 0."""
    if not turned.any():
        return corner, vertex, across, inner
    corner, vertex = corner.copy(), vertex.copy()
    corner[turned] = corner[turned][:, [0, 2, 1]]
    vertex[turned] = vertex[turned][:, [0, 2, 1]]
    half = np.arange(len(across))
    moved = np.where(turned[half // 3], 3 * (half // 3) + 2 - half % 3, half)
    other = np.where(across >= 0, moved[across], -1)
    return corner, vertex, other[moved], inner[moved]


def _turns(across: IntArray, normal: FloatArray, xyz: FloatArray) -> FloatArray:
    has = np.flatnonzero(across >= 0)
    one, two = has // 3, across[has] // 3
    cosine = np.clip(np.einsum("ni,ni->n", normal[one], normal[two]), -1.0, 1.0)
    far = xyz[two, (across[has] % 3 + 2) % 3] - xyz[one, has % 3]
    bulges = np.einsum("ni,ni->n", normal[one], far) <= 0
    turn = np.zeros(len(across))
    turn[has] = np.where(bulges, 1.0, -1.0) * np.arccos(cosine)
    return turn


def _sharp(vertex: IntArray, turn: FloatArray, rest: FloatArray, count: int) -> BoolArray:
    sides = np.roll(rest, -1, axis=1) - rest
    back = -np.roll(sides, 1, axis=1)
    angle = np.abs(
        np.arctan2(
            sides[..., 0] * back[..., 1] - sides[..., 1] * back[..., 0],
            (sides * back).sum(axis=2),
        )
    )
    around = np.bincount(vertex.ravel(), angle.ravel(), count)
    steep = np.bincount(vertex.ravel(), np.abs(turn) > STEEP, count)
    round_ = np.bincount(vertex.ravel(), (np.abs(turn) > EVEN) & (np.abs(turn) <= STEEP), count)
    sharp = (np.abs(2 * np.pi - around) > FAR_FROM_FLAT) & (steep >= 3) & (round_ == 0)
    return np.asarray(sharp[vertex])
