"""Meshes of scenes as triangles in the world: what rays start from and what they meet."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.bake._bake_loops import smooth_below
from quilt_core.scene.islands import find_islands
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import Scene, SceneObject
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import weld_ids, weld_positions
from quilt_core.textures.frames import corner_tangents


@dataclass(frozen=True, eq=False)
class BakeSurface:
    """Triangles of objects in the world.

    Parameters
    ----------
    points : (N, 3, 3) float64
        Corners, metres.
    normals : (N, 3, 3) float64
        Shading normals at the corners, one long.
    uv : (N, 3, 2) float64
        In the tiles' plane, origin at the bottom left; NaN without UVs.
    obj, island, material : (N,) int64
        Which object, which island through all objects (-1 without UVs), and which of `materials` (-1 for none).
    corners : (N, 3) int64
        Corners of each triangle in the mesh of its object.
    names : tuple of str
        Of the objects.
    materials : tuple of str
    of : tuple of (scene, object)
        Where each object comes from.
    """

    points: FloatArray
    normals: FloatArray
    uv: FloatArray
    obj: IntArray
    island: IntArray
    material: IntArray
    corners: IntArray
    names: tuple[str, ...]
    materials: tuple[str, ...]
    of: tuple[tuple[int, int], ...] = ()

    @property
    def count(self) -> int:
        """Number of triangles."""
        return len(self.points)

    @property
    def size(self) -> float:
        """Length of the longest side of the box around it, metres."""
        flat = self.points[np.isfinite(self.points).all(axis=(1, 2))].reshape(-1, 3)
        return float(np.ptp(flat, axis=0).max()) if len(flat) else 1.0

    def faces(self) -> FloatArray:
        """(N, 3) normals of the triangles, one long; zero without an area."""
        return unit(
            np.cross(self.points[:, 1] - self.points[:, 0], self.points[:, 2] - self.points[:, 0])
        )

    @cached_property
    def smooth(self) -> FloatArray:
        """(N, 3, 3) normals of all faces around each corner, weighted by their angles there, one long."""
        return smooth_normals(self.points)

    def tangents(self) -> FloatArray:
        """(N, 3, 4) tangents with their side, as `corner_tangents` gives them."""
        return corner_tangents(self.points, self.normals, np.nan_to_num(self.uv))

    def part(self, chosen: NDArray[np.generic]) -> BakeSurface:
        """Some of the triangles."""
        return BakeSurface(
            self.points[chosen], self.normals[chosen], self.uv[chosen],
            self.obj[chosen], self.island[chosen], self.material[chosen],
            self.corners[chosen], self.names, self.materials, self.of,
        )  # fmt: skip


def unit(v: FloatArray) -> FloatArray:
    """Vectors made one long; zero stays zero."""
    v = np.asarray(v, np.float64)
    size = np.linalg.norm(v, axis=-1, keepdims=True)
    return np.asarray(np.divide(v, size, out=np.zeros_like(v), where=size > 1e-30))


def surface_of(
    scenes: Sequence[Scene],
    every_instance: bool = True,
    uvs: Callable[[int, int], FloatArray | None] | None = None,
    wanted: Callable[[str], bool] = lambda name: True,
    own_space: bool = False,
    islands: Callable[[int, int], IntArray | None] | None = None,
    wanted_at: Callable[[int, int], bool] | None = None,
    smooth: float = 0.0,
) -> BakeSurface:
    """The objects of some scenes in the world.

    Parameters
    ----------
    scenes : sequence of Scene
    every_instance : bool
        Whether each object comes as often as it stands in its scene, or once.
    uvs : callable, optional
        UVs (C, 2) of an object by scene and object; objects for which it gives None stay out. Without it those of the
        first channel.
    wanted : callable
        Whether an object of a name comes along.
    own_space : bool
        Whether objects stand about their own origins, unturned, and not where they are in the world.
    islands : callable, optional
        The island of each face (F,) of an object, through all objects, -1 for none, None where no face has one; found
        anew without it.
    wanted_at : callable, optional
        Whether an object comes along, by scene and object.
    smooth : float
        Of meshes whose file says nothing of their shading: edges that are bent by fewer degrees are smooth.
    """
    rows: list[tuple[NDArray[Any], ...]] = []
    names: list[str] = []
    materials: list[str] = []
    of: list[tuple[int, int]] = []
    found = 0
    for number, scene in enumerate(scenes):
        first = len(materials)
        materials += [material.name for material in scene.materials]
        for k, obj in enumerate(scene.objects):
            if not obj.instances or not wanted(obj.name):
                continue
            given = uvs(number, k) if uvs else None
            if (uvs is not None and given is None) or not (
                wanted_at is None or wanted_at(number, k)
            ):
                continue
            if islands is not None:
                uv = _uv_of(obj, given)
                of_face = islands(number, k)
                none = np.full(obj.mesh.face_count, -1)
                island = (none if of_face is None else of_face)[obj.mesh.triangle_face]
                count, begin = 0, 0
            else:
                uv, island = _laid(obj, given)
                count, begin = int(island.max(initial=-1)) + 1, found
            own_material = obj.mesh.face_material[obj.mesh.triangle_face]
            once = own_space or not every_instance
            for instance in obj.instances[:1] if once else obj.instances:
                matrix = _size_of(instance.matrix) if own_space else instance.matrix
                points, normals, flipped = _in_the_world(
                    obj.mesh, matrix, scene.metres_per_unit, smooth
                )
                order = [0, 2, 1] if flipped else [0, 1, 2]
                rows.append((
                    points[:, order], normals[:, order], uv[:, order], np.full(len(points), len(names)),
                    np.where(island >= 0, island + begin, -1),
                    np.where(own_material >= 0, own_material + first, -1), obj.mesh.triangles[:, order],
                ))  # fmt: skip
            names.append(obj.name)
            of.append((number, k))
            found += count
    if not rows:
        none = np.zeros((0, 3, 3))
        nothing = np.zeros(0, np.int64)
        return BakeSurface(
            none, none, none[..., :2], nothing, nothing, nothing, np.zeros((0, 3), np.int64),
            tuple(names), tuple(materials), tuple(of),
        )  # fmt: skip
    points, normals, uv, obj_of, island, material, corners = (
        np.concatenate([row[k] for row in rows]) for k in range(7)
    )
    return BakeSurface(
        points, normals, uv, obj_of, island, material, corners, tuple(names),
        tuple(materials), tuple(of),
    )  # fmt: skip


def _size_of(matrix: FloatArray) -> FloatArray:
    """What is left of a matrix without its place and turn."""
    out = np.eye(4)
    out[:3, :3] = np.diag(np.linalg.norm(matrix[:3, :3], axis=0))
    return out


def _uv_of(obj: SceneObject, given: FloatArray | None) -> FloatArray:
    """UVs of the triangles' corners: given ones, else those of the first channel, else none."""
    tris = obj.mesh.triangles
    if given is None and not obj.mesh.channels:
        return np.full((len(tris), 3, 2), np.nan)
    return (obj.mesh.channels[0].per_corner if given is None else given)[tris]


def _laid(obj: SceneObject, given: FloatArray | None) -> tuple[FloatArray, IntArray]:
    """UVs of the triangles' corners, and the island of each triangle."""
    mesh = obj.mesh
    tris = mesh.triangles
    if given is not None:
        from quilt_core.unwrap.object_flat import with_channel

        mesh = with_channel(obj, 0, given).mesh
        channel = mesh.channels[0]
    elif mesh.channels:
        channel = mesh.channels[0]
    else:
        return np.full((len(tris), 3, 2), np.nan), np.full(len(tris), -1)
    found = find_islands(mesh, channel)
    return channel.per_corner[tris], found.face_island[mesh.triangle_face]


def _in_the_world(
    mesh: Mesh, matrix: FloatArray, metres: float, smooth: float
) -> tuple[FloatArray, FloatArray, bool]:
    """Corners and normals of the triangles, and whether the matrix turns them inside out."""
    tris = mesh.triangles
    place = mesh.positions @ matrix[:3, :3].T + matrix[:3, 3]
    points = place[mesh.corner_vertex[tris]] * metres
    flipped = bool(np.linalg.det(matrix[:3, :3]) < 0)
    face = unit(np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]))
    if flipped:
        face = -face
    shading = np.repeat(face[:, None], 3, axis=1)
    if mesh.smoothing is not None:
        group = mesh.smoothing[mesh.triangle_face]
        ids = weld_positions(mesh)[mesh.corner_vertex[tris]]
        soft = _averaged(points, face, weld_ids(ids.reshape(-1), np.repeat(group, 3)))
        shading = np.where((group > 0)[:, None, None], soft, shading)
    elif mesh.corner_normal is None and smooth > 0:
        shading = _smooth_below(points, face, smooth)
    if mesh.corner_normal is not None:
        # Normals go with the inverse of the matrix, turned about.
        turn = np.linalg.pinv(matrix[:3, :3])
        own = unit(mesh.corner_normal[tris] @ turn)
        known = np.isfinite(own).all(axis=2, keepdims=True) & (
            np.abs(own).sum(2, keepdims=True) > 0
        )
        shading = np.where(known, own, shading)
    return points, shading, flipped


def smooth_normals(points: FloatArray) -> FloatArray:
    """(N, 3, 3) normals at the corners of triangles (N, 3, 3), smooth over all edges."""
    face = unit(np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]))
    out = _averaged(points, face, place_ids(points.reshape(-1, 3)))
    lost = np.abs(out).sum(axis=2) == 0
    out[lost] = np.repeat(face[:, None], 3, axis=1)[lost]
    return out


def _smooth_below(points: FloatArray, face: FloatArray, degrees: float) -> FloatArray:
    """(N, 3, 3) normals at the corners of triangles, smooth over edges that are bent by less."""
    ids = place_ids(points.reshape(-1, 3))
    order = np.argsort(ids, kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(ids))])
    out = np.empty((len(ids), 3))
    angle = _corner_angles(points).reshape(-1)
    smooth_below(order, starts, face, angle, float(np.cos(np.radians(degrees))), out)
    return out.reshape(points.shape)


def _corner_angles(points: FloatArray) -> FloatArray:
    """(N, 3) angles at the corners of triangles."""
    edges = unit(np.roll(points, -1, axis=1) - points)
    back = unit(np.roll(points, 1, axis=1) - points)
    return np.asarray(np.arccos(np.clip((edges * back).sum(axis=2), -1.0, 1.0)))


def place_ids(flat: FloatArray) -> IntArray:
    """(K,) numbers of points (K, 3), equal where they lie at the same place, to a millionth of their extent."""
    fine = np.isfinite(flat)
    whole = fine.all(axis=1)
    size = float(np.ptp(flat[whole], axis=0).max()) if whole.any() else 1.0
    return weld_ids(*np.round(np.where(fine, flat, 0.0) / max(size * 1e-6, 1e-30)).T)


def _averaged(points: FloatArray, face: FloatArray, ids: IntArray) -> FloatArray:
    """Normals of faces averaged over corners with equal numbers, by the angle at the corner."""
    weighted = (face[:, None] * _corner_angles(points)[..., None]).reshape(-1, 3)
    total = np.stack([np.bincount(ids, weighted[:, k]) for k in range(3)], axis=1).astype(float)
    return unit(total)[ids].reshape(points.shape)
