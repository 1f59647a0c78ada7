"""Where the faces of an island set lie in space, how they are shaded, and what is wrong with the
mesh."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.edges import find_neighbours
from quilt_core.scene.island_set import IslandSet, instance_shapes, island_set, object_face_areas
from quilt_core.scene.islands import UV_TOLERANCE, Islands, find_islands
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.mesh_faults import mesh_faults
from quilt_core.scene.model import Material, SceneObject
from quilt_core.scene.proportion import proportions_of
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import weld_ids, weld_positions


@dataclass(frozen=True, eq=False)
class Surface:
    """What proving needs to know of the meshes behind an `IslandSet`, in the same order.

    Parameters
    ----------
    points : (N, 3, 3) float64
        Corners of the set's triangles in metres, as the object's largest instance stands in the
        world.
    triangle_face : (N,) int64
        Face of each triangle; faces are numbered through all objects.
    face_start : (O + 1,) int64
        First face of each object.
    materials : tuple of str
    island_material : (I,) int64
        The one with the largest part, -1 for none.
    edge_material : (E,) int64
        Of the outline edges.
    mixed : (I,) bool
        Islands with faces of several materials.
    hard : (H, 2, 2) float64
        Base UVs of edges that are shaded hard but are not island borders.
    hard_island : (H,) int64
    soft_border : (I,) int64
        Number of border edges of each island across which the shading is smooth.
    shaded : (O,) bool
        Whether the file says how the object is shaded.
    broken : (B,) int64
        Faces with a vertex or UV that is not a number.
    duplicate : (D,) int64
        Faces whose corners lie where those of an earlier face lie, turned to the same side.
    backs : (B,) int64
        Faces that are the back of an earlier one: the same corners, turned to the other side.
    near_seam : (S, 2) float64
        Largest difference in u and in v, in base UVs, of the two sides of edges that are nearly
        joined.
    near_seam_island : (S,) int64
    duplicate_vertices : (O,) int64
        Vertices that nothing tells apart from an earlier one.
    many, wound, open : (F,) int64
        Faces, see `quilt_core.scene.mesh_faults.MeshFaults`.
    faults : (O, 4) int64
        Edges of more than two faces, open edges, open borders, loose vertices.
    scale : (O, 3) float64
        How an object's largest instance scales its mesh, along three directions at right angles,
        the largest first.
    """

    points: FloatArray
    triangle_face: IntArray
    face_start: IntArray
    materials: tuple[str, ...]
    island_material: IntArray
    edge_material: IntArray
    mixed: BoolArray
    hard: FloatArray
    hard_island: IntArray
    soft_border: IntArray
    shaded: BoolArray
    broken: IntArray
    duplicate: IntArray
    backs: IntArray
    near_seam: FloatArray
    near_seam_island: IntArray
    duplicate_vertices: IntArray
    many: IntArray
    wound: IntArray
    open: IntArray
    faults: IntArray
    scale: FloatArray


NEAR_SEAM = 4e-3
"""Edges whose sides differ by less, in tiles, are kept for the question whether they are nearly
joined."""

ARRAYS = tuple(name for name in Surface.__dataclass_fields__ if name != "materials")
ADDED_LATER: dict[str, NDArray[Any]] = {
    **dict.fromkeys(("many", "wound", "open"), np.empty(0, np.int64)),
    "faults": np.zeros((1, 4), np.int64),
    "scale": np.ones((1, 3)),
}
"""Arrays of one object that older projects do not have: nothing is said there."""


def read_surface(
    obj: SceneObject, channel: int, metres_per_unit: float, materials: Sequence[Material] = (),
    tolerance: float = UV_TOLERANCE, islands: Islands | None = None,
) -> tuple[IslandSet, Surface]:  # fmt: skip
    """Islands of one object and the surface behind them.

    Parameters
    ----------
    obj : SceneObject
    channel : int
        UV channel from 0.
    metres_per_unit : float
    materials : sequence of Material
        Of the object's scene.
    tolerance : float
        See `find_islands`.
    islands : Islands, optional
        Of that channel, when they are already known.

    Returns
    -------
    IslandSet, Surface
    """
    mesh = obj.mesh
    layout = mesh.channels[channel] if channel < len(mesh.channels) else _no_uvs(mesh)
    position, world = weld_positions(mesh), object_face_areas(obj, metres_per_unit)
    islands = islands or find_islands(mesh, layout, position, tolerance)
    main, mixed = _island_materials(islands.face_island, mesh.face_material, world, islands.count)
    proportion = proportions_of(main, materials)
    found = island_set(obj, channel, metres_per_unit, islands, proportion=proportion)
    linear = instance_shapes(obj)[0] * metres_per_unit
    shown = islands.face_island[mesh.triangle_face] >= 0
    pairs = find_neighbours(mesh, position)
    corner_island = islands.face_island[mesh.corner_face]
    inside = pairs.joined(islands.uv, corner_island)
    shading = pairs.hard(mesh)
    nowhere = np.zeros(len(inside), bool)
    hard, soft = (nowhere, nowhere) if shading is None else (shading & inside, ~shading & ~inside)
    first = pairs.corners[:, 0]
    after = pairs.following[first]
    soft_owner = corner_island[pairs.corners[soft]].ravel()
    near, apart = pairs.nearly_joined(islands.uv, corner_island, NEAR_SEAM)
    duplicate, backs = _duplicate_faces(mesh, position)
    broken = _broken_faces(mesh, layout)
    faults = mesh_faults(mesh, position, np.concatenate([duplicate, backs, broken]))
    return found, Surface(
        points=(mesh.positions @ linear.T)[mesh.corner_vertex[mesh.triangles[shown]]],
        triangle_face=mesh.triangle_face[shown],
        face_start=np.array([0, mesh.face_count]),
        materials=tuple(material.name for material in materials),
        island_material=main,
        edge_material=mesh.face_material[mesh.corner_face[islands.edges[:, 0]]],
        mixed=mixed,
        hard=islands.uv[np.stack([first, after], axis=1)[hard]],
        hard_island=corner_island[first[hard]],
        soft_border=np.bincount(soft_owner[soft_owner >= 0], minlength=islands.count),
        shaded=np.array([mesh.corner_normal is not None or mesh.smoothing is not None]),
        broken=broken,
        duplicate=duplicate,
        backs=backs,
        near_seam=apart,
        near_seam_island=corner_island[first[near]],
        duplicate_vertices=np.array([_duplicate_vertices(mesh, position, layout)]),
        many=faults.many,
        wound=faults.wound,
        open=faults.open,
        faults=np.array(
            [[faults.many_edges, faults.open_edges, faults.open_borders, faults.loose]]
        ),
        scale=np.asarray(np.linalg.svd(linear / metres_per_unit, compute_uv=False)[None], float),
    )


def join_surfaces(surfaces: Sequence[Surface], counts: Sequence[int]) -> Surface:
    """Join the surfaces of several objects; `counts` are their numbers of islands.

    Materials of one name are one material.
    """
    names = tuple(dict.fromkeys(name for s in surfaces for name in s.materials))
    number = {name: k for k, name in enumerate(names)}
    faces = np.cumsum([0] + [int(s.face_start[-1]) for s in surfaces])
    islands = np.cumsum([0, *counts])

    def joined(field: str, shift: IntArray | None = None) -> NDArray[Any]:
        parts = [getattr(s, field) for s in surfaces]
        if shift is not None:
            parts = [part + step for part, step in zip(parts, shift, strict=False)]
        return np.concatenate(parts)

    def material(field: str) -> IntArray:
        tables = [np.array([*(number[n] for n in s.materials), -1], np.int64) for s in surfaces]
        return np.concatenate([t[getattr(s, field)] for s, t in zip(surfaces, tables, strict=True)])

    if not surfaces:
        return _nothing()
    plain = (
        "points", "mixed", "hard", "soft_border", "shaded", "near_seam", "duplicate_vertices",
        "faults", "scale",
    )  # fmt: skip
    return Surface(
        **{field: joined(field) for field in plain},  # type: ignore[arg-type]
        **{
            field: joined(field, faces)
            for field in ("triangle_face", "broken", "duplicate", "backs", "many", "wound", "open")
        },
        **{field: joined(field, islands) for field in ("hard_island", "near_seam_island")},
        **{field: material(field) for field in ("island_material", "edge_material")},  # type: ignore[arg-type]
        face_start=faces,
        materials=names,
    )


def _nothing() -> Surface:
    ints, flags = np.empty(0, np.int64), np.empty(0, bool)
    kinds = {
        "points": np.empty((0, 3, 3)),
        "face_start": np.zeros(1, np.int64),
        "mixed": flags,
        "shaded": flags,
        "hard": np.empty((0, 2, 2)),
        "near_seam": np.empty((0, 2)),
        "faults": np.empty((0, 4), np.int64),
        "scale": np.empty((0, 3)),
    }
    return Surface(**{name: kinds.get(name, ints) for name in ARRAYS}, materials=())  # type: ignore[arg-type]


def _no_uvs(mesh: Mesh) -> UVChannel:
    return UVChannel("", np.empty((0, 2)), np.full(len(mesh.corner_vertex), -1, np.int64))


def _island_materials(
    face_island: IntArray, material: IntArray, area: FloatArray, count: int
) -> tuple[IntArray, BoolArray]:
    """Material with the largest area in each island, and whether there are several."""
    main, mixed = np.full(count, -1, np.int64), np.zeros(count, bool)
    inside = face_island >= 0
    if not inside.any():
        return main, mixed
    span = int(material.max()) + 2
    keys, inverse = np.unique(
        face_island[inside] * span + material[inside] + 1, return_inverse=True
    )
    # A face without area still counts a little, so that its material is known.
    total = np.bincount(inverse, area[inside] + 1e-30)
    order = np.argsort(total, kind="stable")
    main[keys[order] // span] = keys[order] % span - 1
    mixed[np.unique(keys // span, return_counts=True)[1] > 1] = True
    return main, mixed


def _broken_faces(mesh: Mesh, layout: UVChannel) -> IntArray:
    bad = np.asarray(np.isnan(mesh.positions).any(axis=1))[mesh.corner_vertex]
    bad |= (layout.corner_uv >= 0) & np.isnan(layout.per_corner).any(axis=1)
    return np.unique(mesh.corner_face[bad])


def _duplicate_faces(mesh: Mesh, position: IntArray) -> tuple[IntArray, IntArray]:
    """Faces with the same corners as an earlier one, wherever they start: turned alike, and turned
    over."""
    sizes = np.diff(mesh.face_offsets)
    corner = position[mesh.corner_vertex]
    if not len(corner):
        return np.empty(0, np.int64), np.empty(0, np.int64)
    # Sums of two scrambled numbers per corner do not depend on the order of the corners.
    rng = np.random.default_rng(7)
    salt = rng.integers(1, 2**62, (2, int(position.max()) + 1), dtype=np.int64)
    real = sizes > 0
    starts = mesh.face_offsets[:-1][real]
    keys = np.stack([np.add.reduceat(salt[k][corner], starts) for k in (0, 1)], axis=1)
    order = np.lexsort((keys[:, 1], keys[:, 0]))
    again = np.concatenate([[False], (keys[order][1:] == keys[order][:-1]).all(axis=1)])
    if not again.any():
        return np.empty(0, np.int64), np.empty(0, np.int64)
    first = order[np.maximum.accumulate(np.where(again, 0, np.arange(len(order))))]
    faces = np.flatnonzero(real)
    face, twin = faces[order[again]], faces[first[again]]
    normal = _face_normals(mesh)
    over = np.einsum("ij,ij->i", normal[face], normal[twin]) < 0
    return np.sort(face[~over]), np.sort(face[over])


def _face_normals(mesh: Mesh) -> FloatArray:
    """(F, 3) sums of the triangles' normals, length = twice the area."""
    corner = np.nan_to_num(mesh.positions)[mesh.corner_vertex[mesh.triangles]]
    normals = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    return np.stack(
        [np.bincount(mesh.triangle_face, n, mesh.face_count) for n in normals.T], axis=1
    )


def _duplicate_vertices(mesh: Mesh, position: IntArray, layout: UVChannel) -> int:
    """Vertices with the place, UV, normal and material of another one, which they could share."""
    columns = [position[mesh.corner_vertex], mesh.face_material[mesh.corner_face]]
    columns += list(layout.per_corner.T)
    if mesh.corner_normal is not None:
        columns += list(mesh.corner_normal.T)
    if not len(mesh.corner_vertex):
        return 0
    corner_kind = weld_ids(*columns)
    kinds = np.unique(corner_kind * len(mesh.positions) + mesh.corner_vertex)
    # Vertices that share one and the same kind of corner are one too many each.
    same = kinds // len(mesh.positions)
    again = np.concatenate([[False], same[1:] == same[:-1]])
    return len(np.unique(kinds[again] % len(mesh.positions)))


def worst_octaves(uv: FloatArray, points: FloatArray, group: IntArray, count: int) -> FloatArray:
    """(N,) octaves by which the texels per metre of each triangle differ from its group's, in the
    worst direction.

    Of the two singular values of the map from the layout to the surface the one that is farther
    from the group's mean scale counts; it is the same for every turn, size and mirroring of the
    group.

    Parameters
    ----------
    uv : (N, 3, 2) float64
    points : (N, 3, 3) float64
    group : (N,) int64
    count : int
        Number of groups.

    Returns
    -------
    (N,) float64
        1 for twice the texels per metre in some direction, -1 for half; 0 where there is no area.

    Examples
    --------
    >>> square = np.array([[[0.0, 0], [2, 0], [0, 1]]])
    >>> worst_octaves(square, np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]]), np.array([0]), 1).tolist()
    [-0.5]
    """
    (s1, t1), (s2, t2) = (uv[:, 1] - uv[:, 0]).T, (uv[:, 2] - uv[:, 0]).T
    p1, p2 = points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]
    flat = 0.5 * np.abs(s1 * t2 - s2 * t1)
    area = 0.5 * np.linalg.norm(np.cross(p1, p2), axis=1)
    known = (flat > 0) & (area > 0)
    ds, dt = p1 * t2[:, None] - p2 * t1[:, None], p2 * s1[:, None] - p1 * s2[:, None]
    a, b, c = (ds * ds).sum(axis=1), (ds * dt).sum(axis=1), (dt * dt).sum(axis=1)
    high = np.sqrt(0.5 * (a + c + np.sqrt((a - c) ** 2 + 4 * b * b)))[known] / (2 * flat[known])
    low = area[known] / flat[known] / high
    of = group[known]
    scale2 = np.bincount(of, flat[known], count) / np.maximum(
        np.bincount(of, area[known], count), 1e-300
    )
    longer, shorter = (np.log2(v) + 0.5 * np.log2(scale2[of]) for v in (high, low))
    out = np.zeros(len(uv))
    out[known] = np.where(longer >= -shorter - 1e-9, -longer, -shorter)
    return out
