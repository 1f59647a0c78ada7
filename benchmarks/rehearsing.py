"""The rehearsal, what nobody sees, and the run sheet: times as ratios to plain rays, and to a run from nothing."""

from __future__ import annotations

import resource
import tempfile
import time
from pathlib import Path

import numpy as np

from quilt_core.bake.bake import bake
from quilt_core.bake.case import BakeCase
from quilt_core.bake.rays import RayScene
from quilt_core.bake.settings import BakeSettings
from quilt_core.bake.surface import BakeSurface, smooth_normals
from quilt_core.bake.visibility import measure_visibility
from quilt_core.run.engine import run_sheet, survey
from quilt_core.run.sheet import read_sheet
from quilt_core.run.store import Store
from quilt_core.scene.tiles import TileSize
from tests.core.high_poly import icosphere, sheet, surface

RAYS = 64
LINES = 200


def ball(columns: int, rows: int, bump: float) -> BakeSurface:
    """A sphere by angles with bumps, its UVs the angles."""

    def place(s: np.ndarray, t: np.ndarray) -> tuple[np.ndarray, ...]:
        a, b = 2 * np.pi * s, np.pi * (0.02 + 0.96 * t)
        r = 1 + bump * np.sin(20 * a) * np.sin(15 * b)
        return r * np.sin(b) * np.cos(a), r * np.sin(b) * np.sin(a), -r * np.cos(b)

    points, uv = sheet(columns, rows, place)
    return surface(points, smooth_normals(points), uv)


def baking(size: int = 4096) -> None:
    """Normals and occlusion of 200,000 triangles on 5,000, beside as many plain rays of embree."""
    low, high = ball(72, 35, 0.0), ball(446, 224, 0.02)
    settings = BakeSettings(maps=("normal", "occlusion"), outward=0.1, inward=0.1, rays=RAYS)
    list(bake(BakeCase(low, high, settings), [TileSize(1001, 64, 64)]))
    began = time.perf_counter()
    (one,) = bake(BakeCase(low, high, settings), [TileSize(1001, size, size)])
    took = time.perf_counter() - began
    scene = RayScene(high.points)
    rng = np.random.default_rng(3)
    count = 500_000
    start = 1.3 * _unit(rng.normal(size=(count, 3)))
    along = _unit(-start + 0.3 * rng.normal(size=start.shape))
    began = time.perf_counter()
    scene.hit(start, along, np.inf)
    each = (time.perf_counter() - began) / count
    rays = int((one.texels.owner >= 0).sum()) * (RAYS + 1)
    print(
        f"rehearsal {size} px, {low.count:,} onto {high.count:,} triangles, {RAYS} rays: {took:.1f} s, "
        f"{took / (rays * each):.3f} of {rays / 1e6:.0f} M single rays one after the other"
    )


def looking(faces: int = 100_000) -> None:
    """What is seen of 100,000 faces in 10,000 islands, beside as many plain rays."""
    points = np.concatenate([icosphere(6) + (2.5 * k, 0, 0) for k in range(2)])[:faces]
    mesh = surface(points)
    mesh = BakeSurface(
        mesh.points, mesh.normals, mesh.uv, mesh.obj, np.arange(faces) // 10, mesh.material, mesh.corners,
        mesh.names, mesh.materials,
    )  # fmt: skip
    began = time.perf_counter()
    seen = measure_visibility(mesh)
    took = time.perf_counter() - began
    scene = RayScene(points)
    count = 500_000
    start, along = np.zeros((count, 3)) + (0, 0, 5.0), np.tile([0.0, 0.0, -1.0], (count, 1))
    along[:, 0] += np.linspace(-0.4, 0.4, count)
    began = time.perf_counter()
    scene.blocked(start, _unit(along), np.inf)
    each = (time.perf_counter() - began) / count
    rays = int(seen.points.sum()) * 64
    print(
        f"seen, {faces:,} faces: {took:.1f} s, {took / (rays * each):.2f} of {rays / 1e6:.0f} M plain rays"
    )


def running() -> None:
    """A sheet of 200 lines from nothing, after one of them changed, and after none."""
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        text = ["version = 1"]
        for k in range(LINES):
            (root / f"p{k}.obj").write_text(_tiles(12, k))
            text.append(
                f'[[line]]\nname = "p{k}"\nfiles = ["p{k}.obj"]\nout = "out/{k}"\nsteps = [{{ do = "pack", size = 512, effort = "quick" }}]'
            )
        plan = read_sheet("s.toml", "\n".join(text).encode())
        times = []
        for change in (None, 7, None):
            if change is not None:
                (root / f"p{change}.obj").write_text(_tiles(12, change + 1))
            began = time.perf_counter()
            store = Store(root, "s.toml")
            states = survey(plan, store)
            run_sheet(plan, store, states, [line.name for line in plan.lines], 1, lambda said: None)
            store.save()
            times.append(time.perf_counter() - began)
    print(
        f"run sheet, {LINES} lines: from nothing {times[0]:.1f} s; one changed {times[0] / times[1]:.0f} times faster, none {times[0] / times[2]:.0f} times"
    )


def _tiles(side: int, shift: int) -> str:
    """An OBJ of squares that share no edge."""
    rows = []
    for k in range(side):
        x, size = 2.0 * k, 1 + 0.1 * ((k * 7 + shift) % 5)
        rows += [f"v {x} 0 0", f"v {x + size} 0 0", f"v {x + size} {size} 0", f"v {x} {size} 0"]
        u = k / side
        rows += [f"vt {u} 0", f"vt {u + 0.5 / side} 0", f"vt {u + 0.5 / side} 0.1", f"vt {u} 0.1"]
    rows += ["f " + " ".join(f"{4 * k + c}/{4 * k + c}" for c in (1, 2, 3, 4)) for k in range(side)]
    return "\n".join(rows) + "\n"


def _unit(v: np.ndarray) -> np.ndarray:
    return np.asarray(v / np.linalg.norm(v, axis=1, keepdims=True))


def main() -> None:
    """Print all of it."""
    baking()
    looking()
    running()
    print(f"memory at most {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.1f} GB")


if __name__ == "__main__":
    main()
