"""The islands of one or many objects as flat arrays: what measuring and packing work on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.islands import Islands, find_islands, signed_uv_areas
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject
from quilt_core.scene.placement import apply_placements

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class IslandSet:
    """Islands in base UVs.

    Parameters
    ----------
    triangles : (N, 3, 2) float64
        Base UVs of the derived triangles.
    triangle_island : (N,) int64
    edges : (E, 2, 2) float64
        Base UVs of the outline edges.
    edge_island : (E,) int64
    uv_area : (I,) float64
        Signed area in base UV units; negative where the island is mirrored.
    world_area : (I,) float64
        Area in square metres, the mean over all instances of the object.
    object_index : (I,) int64
    folded : (I,) bool
        Islands that fold over themselves.
    unflattened : tuple of int
        Faces without UVs, per object.
    """

    triangles: FloatArray
    triangle_island: IntArray
    edges: FloatArray
    edge_island: IntArray
    uv_area: FloatArray
    world_area: FloatArray
    object_index: IntArray
    folded: NDArray[np.bool_]
    unflattened: tuple[int, ...]

    @property
    def count(self) -> int:
        """Number of islands."""
        return len(self.uv_area)

    def placed(self, placements: FloatArray) -> IslandSet:
        """The same islands after their placements, (I, 2, 3)."""
        triangles = apply_placements(
            self.triangles.reshape(-1, 2), np.repeat(self.triangle_island, 3), placements
        )
        edges = apply_placements(self.edges.reshape(-1, 2), np.repeat(self.edge_island, 2), placements)
        factor = np.linalg.det(placements[:, :, :2]) if len(placements) else np.empty(0)
        return IslandSet(
            triangles.reshape(-1, 3, 2),
            self.triangle_island,
            edges.reshape(-1, 2, 2),
            self.edge_island,
            self.uv_area * factor,
            self.world_area,
            self.object_index,
            self.folded,
            self.unflattened,
        )

    def bounds(self) -> FloatArray:
        """(I, 4) lowest u, v and highest u, v of each island."""
        out = np.empty((4, self.count))
        out[:2], out[2:] = np.inf, -np.inf
        for axis in (0, 1):
            a, b, c = self.triangles[:, :, axis].T
            np.minimum.at(out[axis], self.triangle_island, np.minimum(np.minimum(a, b), c))
            np.maximum.at(out[2 + axis], self.triangle_island, np.maximum(np.maximum(a, b), c))
        return np.ascontiguousarray(out.T)

    def select(self, keep: NDArray[np.bool_]) -> IslandSet:
        """Only the islands where `keep`, (I,) bool, is true, renumbered in order."""
        number = np.cumsum(keep) - 1
        in_triangles, in_edges = keep[self.triangle_island], keep[self.edge_island]
        return IslandSet(
            self.triangles[in_triangles],
            number[self.triangle_island[in_triangles]],
            self.edges[in_edges],
            number[self.edge_island[in_edges]],
            self.uv_area[keep],
            self.world_area[keep],
            self.object_index[keep],
            self.folded[keep],
            self.unflattened,
        )


def sums(groups: IntArray, values: FloatArray, count: int) -> FloatArray:
    """(count,) sum of the values of each group."""
    return np.asarray(np.bincount(groups, values, minlength=count), np.float64)


def face_world_areas(mesh: Mesh, matrix: FloatArray) -> FloatArray:
    """(F,) areas of the faces after a (4, 4) transform, in its units squared."""
    x, y, z = matrix[:3, :3] @ mesh.positions.T
    a, b, c = mesh.corner_vertex[mesh.triangles].T
    ux, uy, uz, vx, vy, vz = (along[end] - along[a] for end in (b, c) for along in (x, y, z))
    areas = np.nan_to_num(
        0.5 * np.sqrt((uy * vz - uz * vy) ** 2 + (uz * vx - ux * vz) ** 2 + (ux * vy - uy * vx) ** 2)
    )
    return sums(mesh.triangle_face, areas, mesh.face_count)


def object_face_areas(obj: SceneObject, metres_per_unit: float) -> FloatArray:
    """(F,) face areas in square metres, the mean over the object's instances."""
    total = np.zeros(obj.mesh.face_count)
    for instance in obj.instances:
        total += face_world_areas(obj.mesh, instance.matrix)
    return np.asarray(total * metres_per_unit**2 / max(len(obj.instances), 1))


def island_set(
    obj: SceneObject, channel: int, metres_per_unit: float, islands: Islands | None = None,
    world: FloatArray | None = None,
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
    world : (F,) float64, optional
        What `object_face_areas` says, when it is already known.
    """
    mesh = obj.mesh
    if channel >= len(mesh.channels):
        return _empty(mesh.face_count)
    uv = mesh.channels[channel].per_corner
    islands = islands or find_islands(mesh, mesh.channels[channel])
    areas = signed_uv_areas(mesh, uv)
    inside = islands.face_island >= 0
    which = islands.face_island[inside]
    triangle_island = islands.face_island[mesh.triangle_face]
    shown = triangle_island >= 0
    return IslandSet(
        uv[mesh.triangles[shown]],
        triangle_island[shown],
        uv[islands.edges],
        islands.edge_island,
        sums(which, areas[inside], islands.count),
        sums(
            which,
            (object_face_areas(obj, metres_per_unit) if world is None else world)[inside],
            islands.count,
        ),
        np.zeros(islands.count, np.int64),
        islands.folded,
        (int((~inside).sum()),),
    )


def _empty(faces: int) -> IslandSet:
    none, ints = np.empty(0), np.empty(0, np.int64)
    return IslandSet(
        none.reshape(0, 3, 2),
        ints,
        none.reshape(0, 2, 2),
        ints,
        none,
        none,
        ints,
        np.empty(0, bool),
        (faces,),
    )


def concatenate(sets: Sequence[IslandSet]) -> IslandSet:
    """Join islands of several objects; object numbers follow the order given."""
    if not sets:
        return _empty(0)
    islands = np.cumsum([0] + [s.count for s in sets])
    objects = np.cumsum([0] + [len(s.unflattened) for s in sets])
    return IslandSet(
        np.concatenate([s.triangles for s in sets]),
        np.concatenate([s.triangle_island + n for s, n in zip(sets, islands[:-1], strict=True)]),
        np.concatenate([s.edges for s in sets]),
        np.concatenate([s.edge_island + n for s, n in zip(sets, islands[:-1], strict=True)]),
        np.concatenate([s.uv_area for s in sets]),
        np.concatenate([s.world_area for s in sets]),
        np.concatenate([s.object_index + n for s, n in zip(sets, objects[:-1], strict=True)]),
        np.concatenate([s.folded for s in sets]),
        tuple(n for s in sets for n in s.unflattened),
    )
