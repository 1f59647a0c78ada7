"""``python -m quilt_core.warm``: compile the inner loops once, so that the first pack starts at
once."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from quilt_core.bake.bake import bake
from quilt_core.bake.case import BakeCase
from quilt_core.bake.seams import seam_differences
from quilt_core.bake.settings import BakeSettings
from quilt_core.bake.surface import BakeSurface
from quilt_core.check import check_layout
from quilt_core.measure import measure
from quilt_core.measure.stretch import measure_triangles
from quilt_core.pack import PackSettings, no_controls, pack_islands
from quilt_core.place.slip import slip_in
from quilt_core.scene import IslandSet, TileSize
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.placement import identity
from quilt_core.textures.carry import SurfaceTriangles
from quilt_core.textures.decode import DecodedImage
from quilt_core.textures.materials import PLAIN, TextureBinding, TexturedMaterial
from quilt_core.textures.merge import merge_images
from quilt_core.unwrap import UnwrapSettings, unwrap_mesh
from quilt_core.unwrap.useless import uv_state

ROOT = Path(__file__).parent
UNWRAP = "unwrap"


def sample(count: int = 3, size: float = 0.2) -> IslandSet:
    """A few square islands side by side."""
    square = np.array([(0.0, 0.0), (size, 0.0), (size, size), (0.0, size)])
    corners = [square + np.array([i * size * 1.5, 0.0]) for i in range(count)]
    triangles = np.array([c[list(t)] for c in corners for t in ((0, 1, 2), (0, 2, 3))])
    edges = np.array([(c[k], c[(k + 1) % 4]) for c in corners for k in range(4)])
    area = np.full(count, size * size)
    return IslandSet(
        triangles=triangles,
        triangle_island=np.repeat(np.arange(count), 2),
        edges=edges,
        edge_island=np.repeat(np.arange(count), 4),
        uv_area=area,
        turned=np.zeros(count),
        world_area=area,
        world_length=np.full(count, np.sqrt(8.0) * size),
        step=np.zeros(count),
        proportion=np.ones(count),
        object_index=np.zeros(count, np.int64),
        unflattened=(0,),
    )


def clear_stale() -> None:
    """Throw compiled code away that names a module which is gone: it cannot be loaded any more."""
    known = {
        f"quilt_core.{'.'.join(p.relative_to(ROOT).with_suffix('').parts)}"
        for p in ROOT.rglob("*.py")
    }
    named = re.compile(rb"quilt_core\.\w+\.(?:\w+_loops|_?grid)\b")
    kept = [*ROOT.rglob("*.nbi"), *ROOT.rglob("*.nbc")]
    if any({name.decode() for name in named.findall(path.read_bytes())} - known for path in kept):
        for path in kept:
            path.unlink()


def main() -> None:
    """Run every compiled function once, in all the forms in which it is used; those of unwrapping in
    a process of their own."""
    clear_stale()
    beside = subprocess.Popen([sys.executable, "-m", "quilt_core.warm", UNWRAP])
    warm_packing()
    if beside.wait() != 0:
        raise SystemExit("Unwrapping could not be compiled.")


def warm_packing() -> None:
    """Packing, measuring, proving and what is done by hand."""
    islands = sample()
    placements = identity(islands.count)
    for effort in ("quick", "standard", "thorough"):
        settings = PackSettings(width=256, height=256, effort=effort, seconds=0.5)
        _, placements, _ = list(pack_islands(islands, placements, settings))[-1]
    check_sample(placements)
    rules, pixels = PackSettings(width=256, height=256), np.full((islands.count, 2), 256.0)
    tile, free = TileSize(1001, 256, 256), no_controls(islands.count)
    list(slip_in(islands, placements, tile, np.arange(1), rules, free, pixels))
    warm_images()
    warm_rays()


def warm_rays() -> None:
    """Bake a sheet onto itself, and look at it from around."""
    uv = sample(1).triangles
    flat = np.concatenate([uv, np.zeros((len(uv), 3, 1))], axis=2)
    up = np.tile([0.0, 0.0, 1.0], (len(uv), 3, 1))
    none = np.zeros(len(uv), np.int64)
    corners = np.arange(3 * len(uv)).reshape(-1, 3)
    sheet = BakeSurface(flat, up, uv, none, none, none, corners, ("sample",), ("sample",))
    settings = BakeSettings(maps=("normal", "occlusion"), rays=2)
    case = BakeCase(sheet, sheet, settings)
    seam_differences(case, list(bake(case, [TileSize(1001, 32, 32)])))


def warm_images() -> None:
    """Carry an image of colours and one of normals over."""
    uv = sample(1).triangles
    flat = np.concatenate([uv, np.zeros((len(uv), 3, 1))], axis=2)
    up = np.tile([0.0, 0.0, 1.0], (len(uv), 3, 1))
    none = np.full((len(uv), 3, 4), np.nan)
    worn = SurfaceTriangles(uv, {0: uv}, np.zeros(len(uv), np.int64), flat, up, none)
    binding = TextureBinding(0, 0, np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]))
    material = TexturedMaterial("sample", {"baseColor": binding, "normal": binding}, dict(PLAIN))
    image = DecodedImage("sample", np.full((4, 4, 4), 128, np.uint8), False)
    merge_images(worn, [material], lambda material, number: image, (32, 32), str)


def unwrap_sample() -> None:
    """Flatten a ball and five leaves at one edge."""
    rings, wide = 12, 24
    a = np.linspace(0.0, np.pi, rings + 1)[:, None]
    b = np.linspace(0.0, 2 * np.pi, wide, endpoint=False)
    ball = np.stack(
        [np.sin(a) * np.cos(b), np.sin(a) * np.sin(b), np.cos(a) + 0 * b], axis=2
    ).reshape(-1, 3)
    rows, columns = np.divmod(np.arange(rings * wide), wide)
    beside = (columns + 1) % wide
    low, high = rows * wide, (rows + 1) * wide
    quads = np.stack([low + columns, high + columns, high + beside, low + beside], axis=1)
    leaves = np.array([(0, 0, 3), (0, 0, 4), *((np.cos(k), np.sin(k), 3.5) for k in range(5))])
    thirds = np.array([(0, 1, 2 + k) for k in range(5)]) + len(ball)
    sizes = np.r_[np.full(len(quads), 4), np.full(len(thirds), 3)]
    corner = np.r_[quads.ravel(), thirds.ravel()]
    points = np.r_[ball, leaves]
    mesh = Mesh(
        positions=points,
        face_offsets=np.r_[0, np.cumsum(sizes)],
        corner_vertex=corner,
        channels=(UVChannel("UV 1", points[:, :2].copy(), corner),),
        face_material=np.zeros(len(sizes), np.int64),
    )
    unwrap_mesh(mesh, UnwrapSettings(stretch=1.02))
    uv_state(mesh, 0)


def check_sample(placements: NDArray[np.float64] | None = None) -> None:
    """Run all checks once."""
    islands = sample()
    placements = identity(islands.count) if placements is None else placements
    measure(islands, placements, 256, 256)
    heap = np.array([[[1.0, 0.0, -0.3 * k], [0.0, 1.0, 0.0]] for k in range(islands.count)])
    measure(islands, heap, 256, 256)
    check_layout(islands, None, placements, [TileSize()], ["sample"])
    points = np.concatenate([islands.triangles, np.zeros((len(islands.triangles), 3, 1))], axis=2)
    measure_triangles(islands.triangles, points)


if __name__ == "__main__":
    unwrap_sample() if UNWRAP in sys.argv else main()
