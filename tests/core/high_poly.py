"""Fine and coarse meshes with known shapes, for rehearsals."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from quilt_core.bake.surface import BakeSurface, smooth_normals


def surface(points, normals=None, uv=None, obj=None, names=("thing",)) -> BakeSurface:
    """A surface of triangles (N, 3, 3); islands are objects."""
    points = np.asarray(points, np.float64)
    count = len(points)
    obj = np.zeros(count, np.int64) if obj is None else np.asarray(obj)
    return BakeSurface(
        points, smooth_normals(points) if normals is None else normals,
        np.full((count, 3, 2), np.nan) if uv is None else np.asarray(uv, np.float64), obj,
        obj if uv is not None else np.full(count, -1), np.zeros(count, np.int64),
        np.arange(3 * count).reshape(-1, 3), tuple(names), ("stuff",), tuple((0, k) for k in range(len(names))),
    )  # fmt: skip


def sheet(
    columns: int, rows: int, place: Callable, inset: float = 0.02
) -> tuple[np.ndarray, np.ndarray]:
    """Triangles of a grid: points (N, 3, 3) where `place(s, t)` puts them, and UVs with a border."""
    s, t = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1), indexing="ij")
    points = np.stack(np.broadcast_arrays(*place(s, t)), axis=-1)
    uv = inset + (1 - 2 * inset) * np.stack([s, t], axis=-1)

    def triangles(grid: np.ndarray) -> np.ndarray:
        a, b, c, d = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
        rows_of = (np.stack([a, b, c], axis=2), np.stack([a, c, d], axis=2))
        return np.concatenate([r.reshape(-1, 3, grid.shape[-1]) for r in rows_of])

    return triangles(points), triangles(uv)


def plane(side: int = 1, height: Callable = lambda x, y: 0.0 * x) -> BakeSurface:
    """The unit square from the origin, with a height above it."""
    points, uv = sheet(side, side, lambda s, t: (s, t, height(s, t)))
    return surface(points, uv=uv)


def icosphere(levels: int, radius: float = 1.0) -> np.ndarray:
    """(N, 3, 3) triangles of an icosahedron, each cut into four `levels` times."""
    g = (1 + 5**0.5) / 2
    v = np.array(
        [
            (-1, g, 0),
            (1, g, 0),
            (-1, -g, 0),
            (1, -g, 0),
            (0, -1, g),
            (0, 1, g),
            (0, -1, -g),
            (0, 1, -g),
            (g, 0, -1),
            (g, 0, 1),
            (-g, 0, -1),
            (-g, 0, 1),
        ]
    )
    f = [
        (0, 11, 5),
        (0, 5, 1),
        (0, 1, 7),
        (0, 7, 10),
        (0, 10, 11),
        (1, 5, 9),
        (5, 11, 4),
        (11, 10, 2),
        (10, 7, 6),
        (7, 1, 8),
        (3, 9, 4),
        (3, 4, 2),
        (3, 2, 6),
        (3, 6, 8),
        (3, 8, 9),
        (4, 9, 5),
        (2, 4, 11),
        (6, 2, 10),
        (8, 6, 7),
        (9, 8, 1),
    ]
    triangles = v[np.array(f)] / np.linalg.norm(v[0])
    for _ in range(levels):
        a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
        ab, bc, ca = a + b, b + c, c + a
        cut = [np.stack(t, 1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
        triangles = np.concatenate(cut)
        triangles /= np.linalg.norm(triangles, axis=2, keepdims=True)
    return radius * triangles


def each_apart(triangles: np.ndarray, gap: float = 0.1) -> np.ndarray:
    """(N, 3, 2) UVs: each triangle in a cell of its own."""
    count = len(triangles)
    side = int(np.ceil(np.sqrt(count)))
    cell = np.array([(gap, gap), (1 - gap, gap), (gap, 1 - gap)])
    k = np.arange(count)
    return (cell[None] + np.stack([k % side, k // side], 1)[:, None]) / side


def pit(radius: float, depth: float, sides: int = 96) -> np.ndarray:
    """(N, 3, 3) triangles of a round pit whose floor lies at z = 0 about the origin, its walls turned inward."""
    turn = np.linspace(0, 2 * np.pi, sides + 1)
    # The sides touch a circle of that radius on average: equal area.
    r = radius * np.sqrt(2 * np.pi / sides / np.sin(2 * np.pi / sides))
    rim = np.stack([r * np.cos(turn), r * np.sin(turn), 0 * turn], axis=1)
    top = rim + (0, 0, depth)
    a, b, c, d = rim[:-1], rim[1:], top[1:], top[:-1]
    middle = np.zeros_like(a)
    floor = np.stack([middle, a, b], axis=1)
    return np.concatenate([floor, np.stack([b, a, d], 1), np.stack([b, d, c], 1)])
