"""The islands of one or many objects as flat arrays: what measuring and packing work on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.islands import UV_TOLERANCE, Islands, find_islands, triangle_areas
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject
from quilt_core.scene.placement import apply_placements, determinants
from quilt_core.scene.types import FloatArray, IntArray

MOST_SHAPES = 64
"""So many differently scaled instances of one object are measured, the largest first."""


@dataclass(frozen=True, eq=False)
class IslandSet:
    """Islands in base UVs.

    Parameters
    ----------
    triangles : (N, 3, 2) float64
        Base UVs of the derived triangles.
    triangle_island : (N,) int64
    edges : (E, 2, 2) float64
        Base UVs of the outline edges, see `Islands`.
    edge_island : (E,) int64
    uv_area : (I,) float64
        Sum of the areas of the faces in base UV units, whichever way they are turned.
    turned : (I,) float64
        Share of that area which is mirrored, 0 to 1.
    world_area : (I,) float64
        Area in square metres, of the instance of the object in which it is largest.
    world_length : (I,) float64
        Root of the sum of the squared edge lengths of the triangles in metres, in the same way.
    step : (I,) float64
        Rounding of the base UVs in the file they come from.
    proportion : (I,) float64
        Width / height of the image that the base UVs were laid out for, 1 for a square or unknown
        one.
    object_index : (I,) int64
    unflattened : tuple of int
        Faces without UVs, per object.
    """

    triangles: FloatArray
    triangle_island: IntArray
    edges: FloatArray
    edge_island: IntArray
    uv_area: FloatArray
    turned: FloatArray
    world_area: FloatArray
    world_length: FloatArray
    step: FloatArray
    proportion: FloatArray
    object_index: IntArray
    unflattened: tuple[int, ...]

    @property
    def count(self) -> int:
        """Number of islands."""
        return len(self.uv_area)

    @cached_property
    def second_moments(self) -> FloatArray:
        """(I, 2, 2) sums over the sides of all triangles of side x side^T, in base UVs."""
        sides = self.triangles - np.roll(self.triangles, 1, axis=1)
        out = np.empty((self.count, 2, 2))
        for i, j in ((0, 0), (0, 1), (1, 1)):
            products = (sides[:, :, i] * sides[:, :, j]).sum(axis=1)
            out[:, i, j] = out[:, j, i] = sums(self.triangle_island, products, self.count)
        return out

    @cached_property
    def triangle_rows(self) -> tuple[IntArray, IntArray]:
        """(N,) triangles in the order of their islands, and (I + 1,) where those of each begin."""
        return _rows(self.triangle_island, self.count)

    @cached_property
    def edge_rows(self) -> tuple[IntArray, IntArray]:
        """(E,) outline edges in the order of their islands, and (I + 1,) where those of each
        begin."""
        return _rows(self.edge_island, self.count)

    def placed(self, placements: FloatArray) -> IslandSet:
        """The same islands after their placements, (I, 2, 3)."""
        triangles = apply_placements(
            self.triangles.reshape(-1, 2), np.repeat(self.triangle_island, 3), placements
        )
        edges = apply_placements(
            self.edges.reshape(-1, 2), np.repeat(self.edge_island, 2), placements
        )
        factor = determinants(placements) if len(placements) else np.empty(0)
        return replace(
            self,
            triangles=triangles.reshape(-1, 3, 2),
            edges=edges.reshape(-1, 2, 2),
            uv_area=self.uv_area * np.abs(factor),
            turned=np.where(factor < 0, 1.0 - self.turned, self.turned),
            step=self.step * np.sqrt(np.abs(factor)),
        )

    def bounds(self) -> FloatArray:
        """(I, 4) lowest u, v and highest u, v of each island."""
        return bounds_of(self.triangles, self.triangle_island, self.count)

    def select(self, keep: NDArray[np.bool_]) -> IslandSet:
        """Only the islands where `keep`, (I,) bool, is true, renumbered in order."""
        number = np.cumsum(keep) - 1
        in_triangles, in_edges = keep[self.triangle_island], keep[self.edge_island]
        return IslandSet(
            triangles=self.triangles[in_triangles],
            triangle_island=number[self.triangle_island[in_triangles]],
            edges=self.edges[in_edges],
            edge_island=number[self.edge_island[in_edges]],
            unflattened=self.unflattened,
            **{name: getattr(self, name)[keep] for name in PER_ISLAND},
        )


PER_ISLAND = (
    "uv_area",
    "turned",
    "world_area",
    "world_length",
    "step",
    "proportion",
    "object_index",
)
"""Fields with one row an island."""


def bounds_of(triangles: FloatArray, owner: IntArray, count: int) -> FloatArray:
    """(count, 4) lowest u, v and highest u, v of the triangles (N, 3, 2) of each owner."""
    out = np.empty((4, count))
    out[:2], out[2:] = np.inf, -np.inf
    for axis in (0, 1):
        a, b, c = triangles[:, :, axis].T
        np.minimum.at(out[axis], owner, np.minimum(np.minimum(a, b), c))
        np.maximum.at(out[2 + axis], owner, np.maximum(np.maximum(a, b), c))
    return np.ascontiguousarray(out.T)


def _rows(owner: IntArray, count: int) -> tuple[IntArray, IntArray]:
    order = np.argsort(owner, kind="stable")
    return order, np.searchsorted(owner[order], np.arange(count + 1))


def sums(groups: IntArray, values: FloatArray, count: int) -> FloatArray:
    """(count,) sum of the values of each group."""
    return np.asarray(np.bincount(groups, values, minlength=count), np.float64)


def triangle_sides(mesh: Mesh, linear: FloatArray) -> tuple[FloatArray, FloatArray]:
    """(N,) areas and (N,) sums of squared side lengths of the triangles after a (3, 3)
    transform."""
    x, y, z = linear @ mesh.positions.T
    a, b, c = mesh.corner_vertex[mesh.triangles].T
    ux, uy, uz, vx, vy, vz = (along[end] - along[a] for end in (b, c) for along in (x, y, z))
    areas = 0.5 * np.sqrt(
        (uy * vz - uz * vy) ** 2 + (uz * vx - ux * vz) ** 2 + (ux * vy - uy * vx) ** 2
    )
    sides = ux**2 + uy**2 + uz**2 + vx**2 + vy**2 + vz**2
    sides += (ux - vx) ** 2 + (uy - vy) ** 2 + (uz - vz) ** 2
    return np.nan_to_num(areas), np.nan_to_num(sides)


def instance_shapes(obj: SceneObject) -> list[FloatArray]:
    """The (3, 3) transforms of an object's instances that make some surface larger than all others
    do.

    Areas depend on ``M.T @ M`` only, so turned copies count once, and one that is smaller in every
    direction than another never decides.
    """
    linear = np.array([instance.matrix[:3, :3] for instance in obj.instances] or [np.eye(3)])
    if len(linear) == 1:
        return [linear[0]]
    gram = np.einsum("nki,nkj->nij", linear, linear)
    trace = np.trace(gram, axis1=1, axis2=2)
    rounded = np.round(gram / max(float(trace.max()), 1e-300), 9).reshape(-1, 9)
    kept: list[int] = []
    distinct = np.unique(rounded, axis=0, return_index=True)[1]
    for n in distinct[np.argsort(-trace[distinct], kind="stable")]:
        slack = 1e-9 * trace[n]
        if not kept or (np.linalg.eigvalsh(gram[kept] - gram[n])[:, 0] < -slack).all():
            kept.append(int(n))
        if len(kept) == MOST_SHAPES:
            break
    return [linear[n] for n in kept]


def object_size(obj: SceneObject, metres_per_unit: float) -> FloatArray:
    """(3,) length of an object along its own axes in metres, where it stands largest: length, width
    and height for one that is modelled upright."""
    points = obj.mesh.positions[np.unique(obj.mesh.corner_vertex)]
    points = points[np.isfinite(points).all(axis=1)]
    if not len(points):
        return np.zeros(3)
    scale = np.linalg.norm(instance_shapes(obj)[0], axis=0)
    return np.asarray(np.ptp(points, axis=0) * scale * metres_per_unit)


def instance_spread(obj: SceneObject) -> float:
    """How many times larger the largest instance of an object stands than the smallest, 1 for one
    size."""
    sizes = [float(np.sqrt((instance.matrix[:3, :3] ** 2).sum())) for instance in obj.instances]
    return max(sizes) / max(min(sizes), 1e-300) if sizes and max(sizes) > 0 else 1.0


def object_face_areas(obj: SceneObject, metres_per_unit: float) -> FloatArray:
    """(F,) face areas in square metres, in the largest instance of the object."""
    areas = triangle_sides(obj.mesh, instance_shapes(obj)[0])[0]
    return sums(obj.mesh.triangle_face, areas * metres_per_unit**2, obj.mesh.face_count)


def face_uv_areas(mesh: Mesh, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
    """(F,) areas of the faces in the layout, and (F,) the part of them that is mirrored; NaN
    without UVs."""
    areas = triangle_areas(uv[mesh.triangles])
    face, count = mesh.triangle_face, mesh.face_count
    return sums(face, np.abs(areas), count), sums(face, np.maximum(-areas, 0.0), count)


def island_set(
    obj: SceneObject, channel: int, metres_per_unit: float, islands: Islands | None = None,
    tolerance: float = UV_TOLERANCE, proportion: FloatArray | None = None,
) -> IslandSet:  # fmt: skip
    """Islands of one object.

    Parameters
    ----------
    obj : SceneObject
    channel : int
        UV channel from 0; an object without it has no islands and all faces count as unflattened.
    metres_per_unit : float
    islands : Islands, optional
        Of that channel, when they are already known.
    tolerance : float
        See `find_islands`.
    proportion : (I,) float64, optional
        Width / height of each island's image; without it they are taken to be square.
    """
    mesh = obj.mesh
    if channel >= len(mesh.channels):
        return _empty(mesh.face_count)
    islands = islands or find_islands(mesh, mesh.channels[channel], tolerance=tolerance)
    number, count = islands.face_island[mesh.triangle_face], islands.count
    shown = number >= 0
    which = number[shown]
    corners = islands.uv[mesh.triangles[shown]]
    areas = triangle_areas(corners)
    uv_area = sums(which, np.abs(areas), count)
    turned = sums(which, np.maximum(-areas, 0.0), count)
    world = np.zeros((2, count))
    for linear in instance_shapes(obj):
        for row, values in enumerate(triangle_sides(mesh, linear * metres_per_unit)):
            np.maximum(world[row], sums(which, values[shown], count), out=world[row])
    return IslandSet(
        triangles=corners,
        triangle_island=which,
        edges=islands.uv[islands.edges],
        edge_island=islands.edge_island,
        uv_area=uv_area,
        turned=np.divide(turned, uv_area, out=np.zeros(count), where=uv_area > 0),
        world_area=world[0],
        world_length=np.sqrt(world[1]),
        step=np.full(count, mesh.channels[channel].rounding),
        proportion=np.ones(count) if proportion is None else proportion,
        object_index=np.zeros(count, np.int64),
        unflattened=(int((islands.face_island < 0).sum()),),
    )


def _empty(faces: int) -> IslandSet:
    none, ints = np.empty(0), np.empty(0, np.int64)
    return IslandSet(
        triangles=none.reshape(0, 3, 2),
        triangle_island=ints,
        edges=none.reshape(0, 2, 2),
        edge_island=ints,
        uv_area=none,
        turned=none,
        world_area=none,
        world_length=none,
        step=none,
        proportion=none,
        object_index=ints,
        unflattened=(faces,),
    )


def concatenate(sets: Sequence[IslandSet]) -> IslandSet:
    """Join islands of several objects; object numbers follow the order given."""
    if not sets:
        return replace(_empty(0), unflattened=())
    shift = {
        "island": np.cumsum([0] + [s.count for s in sets]),
        "object": np.cumsum([0] + [len(s.unflattened) for s in sets]),
    }

    def joined(name: str, kind: str = "") -> NDArray[np.generic]:
        parts = [getattr(s, name) for s in sets]
        return np.concatenate(
            [p + n for p, n in zip(parts, shift[kind], strict=False)] if kind else parts
        )

    plain = (
        "triangles",
        "edges",
        "uv_area",
        "turned",
        "world_area",
        "world_length",
        "step",
        "proportion",
    )
    return IslandSet(
        **{name: joined(name) for name in plain},  # type: ignore[arg-type]
        triangle_island=joined("triangle_island", "island"),  # type: ignore[arg-type]
        edge_island=joined("edge_island", "island"),  # type: ignore[arg-type]
        object_index=joined("object_index", "object"),  # type: ignore[arg-type]
        unflattened=tuple(n for s in sets for n in s.unflattened),
    )
