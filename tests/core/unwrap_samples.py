"""What tests of unwrap are made of, for others too."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.mesh import Mesh, UVChannel


def mesh_of(points, faces, uv=None) -> Mesh:
    """Polygons from points (V, 3) and lists of vertices."""
    sizes = [len(face) for face in faces]
    corner = np.concatenate([np.asarray(face, np.int64) for face in faces])
    channels = (
        () if uv is None else (UVChannel("UV 1", np.asarray(uv, float), np.arange(len(corner))),)
    )
    return Mesh(
        positions=np.asarray(points, float),
        face_offsets=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64),
        corner_vertex=corner,
        channels=channels,
        face_material=np.zeros(len(faces), np.int64),
    )


def grid(nu: int, nv: int, place, closed: bool = False) -> Mesh:
    """Quads over a grid of parameters 0 to 1; `closed` joins the last column to the first."""
    u, v = np.linspace(0, 1, nu + 1), np.linspace(0, 1, nv + 1)
    columns = nu if closed else nu + 1
    points = [place(u[i], v[j]) for j in range(nv + 1) for i in range(columns)]
    at = lambda i, j: j * columns + i % columns
    faces = [
        [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]
        for j in range(nv)
        for i in range(nu)
    ]
    return mesh_of(points, faces)


def cube() -> Mesh:
    points = [(x, y, z) for z in (0, 1) for y in (0, 1) for x in (0, 1)]
    faces = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]
    return mesh_of(points, faces)


def sphere(rings: int = 12) -> Mesh:
    """A sphere of quads with triangles at its poles."""
    points = [(0.0, 0.0, 1.0)]
    for j in range(1, rings):
        for i in range(2 * rings):
            a, b = np.pi * j / rings, np.pi * i / rings
            points.append((np.sin(a) * np.cos(b), np.sin(a) * np.sin(b), np.cos(a)))
    points.append((0.0, 0.0, -1.0))
    wide = 2 * rings
    at = lambda j, i: 1 + (j - 1) * wide + i % wide
    faces = [[0, at(1, i), at(1, i + 1)] for i in range(wide)]
    for j in range(1, rings - 1):
        faces += [[at(j, i), at(j + 1, i), at(j + 1, i + 1), at(j, i + 1)] for i in range(wide)]
    faces += [[len(points) - 1, at(rings - 1, i + 1), at(rings - 1, i)] for i in range(wide)]
    return mesh_of(points, faces)


def fins() -> Mesh:
    """Five squares at one edge."""
    points = [(0, 0, 0), (0, 0, 1)]
    faces = []
    for k in range(5):
        a = 2 * np.pi * k / 5
        points += [(np.cos(a), np.sin(a), 0), (np.cos(a), np.sin(a), 1)]
        faces.append([0, 2 + 2 * k, 3 + 2 * k, 1])
    return mesh_of(points, faces)


def with_needles() -> Mesh:
    """A sheet with faces of no area: two corners at one place, and three on a line."""
    points = [(0, 0, 0), (1, 0, 0), (2, 0, 0), (0, 1, 0), (1, 1, 0), (2, 1, 0), (1, 0, 0)]
    return mesh_of(points, [[0, 1, 4, 3], [1, 2, 5, 4], [1, 6, 4], [0, 1, 2]])
