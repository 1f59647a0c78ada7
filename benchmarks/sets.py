"""Island sets to measure with: from the demo, and made by rule."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely
from shapely import affinity

from benchmarks.real import handhelds
from benchmarks.shapes import island_polygons
from demo.diorama import files
from quilt_core.formats import read_scene
from quilt_core.scene import concatenate, island_set


def polygons_of(names: list[str]) -> list[shapely.Polygon]:
    """Islands of demo files at one density, as polygons in metres."""
    sets = []
    for name, data in files().items():
        if name.endswith((".glb", ".obj")) and (not names or name in names):
            sets += [island_set(o, 0, 1.0) for o in read_scene(name, data).objects]
    return island_polygons(concatenate(sets))


def jigsaw(per_edge: int, seed: int = 1) -> list[shapely.Polygon]:
    """A unit square cut into wavy pieces: the optimum is 100 %. After Dighe and Jakiela 1996."""
    rng = np.random.default_rng(seed)
    n = per_edge
    knots = np.stack(
        np.meshgrid(np.linspace(0, 1, n + 1), np.linspace(0, 1, n + 1), indexing="ij"), -1
    )
    knots[1:-1, 1:-1] += rng.uniform(-0.22, 0.22, (n - 1, n - 1, 2)) / n
    knots[1:-1, [0, -1], 0] += rng.uniform(-0.22, 0.22, (n - 1, 2)) / n
    knots[[0, -1], 1:-1, 1] += rng.uniform(-0.22, 0.22, (2, n - 1)) / n
    along_x = [
        [_edge(knots[i, j], knots[i + 1, j], rng, j in (0, n)) for j in range(n + 1)]
        for i in range(n)
    ]
    along_y = [
        [_edge(knots[i, j], knots[i, j + 1], rng, i in (0, n)) for j in range(n)]
        for i in range(n + 1)
    ]
    out = []
    for i in range(n):
        for j in range(n):
            ring = [
                *along_x[i][j][:-1],
                *along_y[i + 1][j][:-1],
                *along_x[i][j + 1][:0:-1],
                *along_y[i][j][:0:-1],
            ]
            out.append(shapely.Polygon(ring))
    return out


def _edge(
    a: np.ndarray, b: np.ndarray, rng: np.random.Generator, straight: bool
) -> list[tuple[float, float]]:
    t = np.linspace(0, 1, 4)[:, None]
    points = a + (b - a) * t
    if not straight:
        across = np.array([-(b - a)[1], (b - a)[0]])
        points[1:-1] += across * rng.uniform(-0.18, 0.18, (2, 1))
    return [(float(x), float(y)) for x, y in points]


def rectangles(count: int, seed: int = 2) -> list[shapely.Polygon]:
    rng = np.random.default_rng(seed)
    return [shapely.box(0, 0, *rng.lognormal(0, 0.6, 2)) for _ in range(count)]


def slivers(count: int, seed: int = 3) -> list[shapely.Polygon]:
    rng = np.random.default_rng(seed)
    out = []
    for k in range(count):
        length = rng.uniform(1, 6)
        x = np.linspace(0, length, 24)
        wave = 0.3 * np.sin(x * rng.uniform(1, 3)) if k % 2 else np.zeros(24)
        out.append(shapely.LineString(np.stack([x, wave], 1)).buffer(0.08, cap_style="flat"))
    return out


def rings(count: int, seed: int = 4) -> list[shapely.Polygon]:
    """Rings and frames with room inside, and small pieces to fill it."""
    rng = np.random.default_rng(seed)
    out = []
    for k in range(count):
        r = rng.uniform(0.6, 1.6)
        if k % 3 == 0:
            out.append(
                shapely.Point(0, 0)
                .buffer(r, 10)
                .difference(shapely.Point(0, 0).buffer(r * 0.82, 10))
            )
        elif k % 3 == 1:
            out.append(
                shapely.box(0, 0, 2 * r, r).difference(
                    shapely.box(0.12, 0.12, 2 * r - 0.12, r - 0.12)
                )
            )
        else:
            out.append(affinity.scale(shapely.box(0, 0, 1, 1), r * 0.35, r * 0.35))
    return out


def stars(count: int, seed: int = 5) -> list[shapely.Polygon]:
    rng = np.random.default_rng(seed)
    out: list[shapely.Polygon] = []
    while len(out) < count:
        angles = np.sort(rng.uniform(0, 2 * np.pi, rng.integers(5, 13)))
        radii = rng.uniform(0.35, 1, len(angles)) * rng.lognormal(0, 0.5)
        shape = shapely.Polygon(np.stack([np.cos(angles) * radii, np.sin(angles) * radii], 1))
        if shape.is_valid and shape.area > 0.05:
            out.append(shape)
    return out


SETS: dict[str, Callable[[], list[shapely.Polygon]]] = {
    "demo, all": lambda: polygons_of([]),
    "demo, lighthouse": lambda: polygons_of(["lighthouse.glb"]),
    "demo, yard": lambda: polygons_of(["yard.obj"]),
    "handhelds": handhelds,
    "jigsaw 5 x 5": lambda: jigsaw(5),
    "rectangles": lambda: rectangles(120),
    "slivers": lambda: slivers(60),
    "rings": lambda: rings(60),
    "stars": lambda: stars(80),
}
