"""Proving: all checks on a million triangles, overlap beside pairwise Shapely, and how time
grows."""

from __future__ import annotations

import resource
import time
from collections.abc import Iterator

import numpy as np
import shapely

from benchmarks.real import fetch
from quilt_core.check import Rules, check_layout
from quilt_core.formats import read_scene
from quilt_core.measure import find_overlaps, measure_again, measure_layout
from quilt_core.scene import TileSize, concatenate, island_set, join_surfaces, read_surface
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.model import Instance, Material, SceneObject
from quilt_core.scene.placement import identity

OBJECTS, ISLANDS = 20, 5000
TILE = (TileSize(1001, 8192, 8192),)


def objects(triangles: int, overlapping: float = 0.02, most: int = ISLANDS) -> list[SceneObject]:
    """Bent patches, turned every way, on a grid of islands; a few lie over a neighbour.

    Parameters
    ----------
    triangles : int
        About so many in all.
    overlapping : float
        Part of the islands that lie half over the next one.
    most : int
        No more islands than these.
    """
    rng = np.random.default_rng(8)
    islands = max(OBJECTS, min(most, triangles // (50 if most == ISLANDS else 8)))
    n = max(1, round(np.sqrt(triangles / islands / 2)))
    across = int(np.ceil(np.sqrt(islands)))
    s, t = np.meshgrid(np.linspace(-0.5, 0.5, n + 1), np.linspace(-0.5, 0.5, n + 1))
    flat = np.stack([s.ravel(), t.ravel()], -1)
    number = np.arange((n + 1) ** 2).reshape(n + 1, n + 1)
    a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]
    faces = np.concatenate([np.stack([a, b, c], -1), np.stack([a, c, d], -1)]).reshape(-1)
    out = []
    for k in range(OBJECTS):
        mine = range(k * islands // OBJECTS, (k + 1) * islands // OBJECTS)
        points, uvs = [], []
        for i in mine:
            angle = rng.uniform(0, 2 * np.pi)
            turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
            middle = (
                np.array([i % across, i // across])
                + 0.5
                + (0.6 if rng.random() < overlapping else 0.0)
            )
            uvs.append((flat * 0.66 @ turn.T + middle) / (across + 1))
            bend = 0.1 * np.sin(4 * flat[:, 0])
            points.append(np.column_stack([flat, bend]) + np.array([2.0 * i, 0, 0]))
        step = np.arange(len(mine))[:, None] * len(flat)
        corner = (faces + step).reshape(-1)
        count = len(corner) // 3
        channel = UVChannel("UV 1", np.concatenate(uvs), corner.copy())
        mesh = Mesh(
            np.concatenate(points),
            np.arange(0, 3 * count + 1, 3),
            corner,
            (channel,),
            np.full(count, k % 3),
            np.tile([0.0, 0.0, 1.0], (3 * count, 1)),
        )
        out.append(SceneObject(f"Part {k + 1}", mesh, (Instance(f"Part {k + 1}", "", np.eye(4)),)))
    return out


def shapely_overlaps(triangles: np.ndarray) -> float:
    """Seconds of the pairwise way: an STRtree over all triangles, intersections of the pairs it
    names."""
    started = time.monotonic()
    shapes = shapely.polygons(triangles)
    left, right = shapely.STRtree(shapes).query(shapes)
    keep = left < right
    shapely.area(shapely.intersection(shapes[left[keep]], shapes[right[keep]]))
    return time.monotonic() - started


def lines(sizes: tuple[int, ...] = (10_000, 100_000, 1_000_000)) -> Iterator[str]:
    """Figures as lines of text."""
    materials = tuple(Material(name) for name in ("brass", "iron", "wood"))
    rules = Rules(house_density=512.0, material_gap=16.0)
    times = []
    for size in sizes:
        scene = objects(size)
        started = time.monotonic()
        parts = [read_surface(o, 0, 1.0, materials) for o in scene]
        islands = concatenate([p[0] for p in parts])
        surface = join_surfaces([p[1] for p in parts], [p[0].count for p in parts])
        known = time.monotonic()
        checked = check_layout(
            islands, surface, identity(islands.count), TILE, [o.name for o in scene], rules
        )
        done = time.monotonic()
        find_overlaps(islands, 8192, 8192)
        overlap = time.monotonic() - done
        times.append(done - started)
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
        yield (
            f"{len(islands.triangles):>9,} triangles, {islands.count:,} islands: islands and surface {known - started:.2f} s,"
            f" all checks {done - known:.2f} s, overlap alone {overlap:.2f} s, {sum(checked.totals.values()):,} findings"
        )
        if size == sizes[-1]:
            other = shapely_overlaps(islands.triangles * 8192)
            yield f"overlap: {other / overlap:.1f} x as fast as pairwise Shapely with its STRtree ({other:.1f} s)"
    if len(sizes) < 2:
        return
    exponent = np.polyfit(np.log(sizes), np.log(times), 1)[0]
    yield f"time grows with the {exponent:.2f}th power of the triangles; peak memory {peak:.2f} GiB"


def again_line(edits: int = 60) -> str:
    """Measuring after one of 10,000 islands was moved, against measuring from nothing."""
    islands = concatenate(
        [
            read_surface(o, 0, 1.0, (Material("m"),) * 3)[0]
            for o in objects(12 * 10_000, 0.0, 10_000)
        ]
    )
    rng = np.random.default_rng(5)
    measured = measure_layout(islands, identity(islands.count), TILE, 8.0)
    whole, part = [], []
    for k in range(edits):
        placements = measured.placements.copy()
        placements[rng.integers(islands.count), :, 2] += rng.uniform(-8, 8, 2) / TILE[0].width
        started = time.perf_counter()
        measured = measure_again(measured, placements)
        part.append(time.perf_counter() - started)
        if k % 10 == 0:
            started = time.perf_counter()
            measure_layout(islands, placements, TILE, 8.0)
            whole.append(time.perf_counter() - started)
    ratio = np.median(whole) / np.median(part)
    return (
        f"one of {islands.count:,} islands ({len(islands.triangles):,} triangles) moved: measured again"
        f" {ratio:.0f} x as fast as from nothing ({1e3 * np.median(part):.1f} ms)"
    )


def real_line(files: int = 5) -> str:
    """How far the overlaps of real meshes, laid over one another, are from Shapely's of the same
    triangles."""
    scenes = [read_scene(path.name, path.read_bytes()) for path in fetch()[-files:]]
    islands = concatenate([island_set(o, 0, 1.0) for scene in scenes for o in scene.objects])
    started = time.monotonic()
    found = find_overlaps(islands, 1024, 1024)
    own = time.monotonic() - started
    shapes = shapely.polygons(islands.triangles * 1024)
    started = time.monotonic()
    left, right = shapely.STRtree(shapes).query(shapes, predicate="intersects")
    left, right = left[left < right], right[left < right]
    shared = shapely.area(shapely.intersection(shapes[left], shapes[right]))
    other = time.monotonic() - started
    pairs = np.sort(islands.triangle_island[np.stack([left, right], axis=1)], axis=1)
    wanted = np.zeros((islands.count, islands.count))
    np.add.at(wanted, tuple(pairs.T), shared)
    got = np.zeros_like(wanted)
    got[tuple(found.pairs.T)] = found.texels
    area = islands.uv_area * 1024**2
    off = np.abs(got - wanted) / np.minimum(area[:, None], area[None])
    return (
        f"real meshes: {len(found.pairs):,} pairs of islands overlap; areas differ from Shapely's by at most "
        f"{np.nanmax(off):.1e} of the smaller island; {other / own:.1f} x as fast ({other:.1f} s)"
    )


def main() -> None:
    """Print them, warm."""
    for _ in lines((2000,)):
        pass
    for line in lines():
        print(line, flush=True)
    print(again_line(), flush=True)
    print(real_line(), flush=True)


if __name__ == "__main__":
    main()
