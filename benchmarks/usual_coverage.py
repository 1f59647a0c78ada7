"""``python -m benchmarks.usual_coverage [FILE ...]``: what islands fill of a tile when there is no padding.

Each set, and each mesh file that is given, is packed with the usual settings at 2048 px and a padding of 8 px; what it
would fill without padding (`full_coverage`) is printed, and the middle of all: `USUAL_COVERAGE` of quilt_core.pack.plan.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

from benchmarks.sets import SETS
from quilt_core.formats.load import folder_siblings, read_scene
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.pack.plan import full_coverage
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import identity
from tests.core.shapes import island_set_of

SIZE, PADDING = 2048, 8.0


def filled(islands: IslandSet) -> tuple[float, float]:
    """Coverage that a pack reaches, and what it would be without padding."""
    settings = PackSettings(width=SIZE, height=SIZE, padding=PADDING)
    reached = 0.0
    for attempt, _, _ in pack_islands(islands, identity(islands.count), settings):
        reached = attempt.coverage
    return reached, full_coverage(islands.count, PADDING, SIZE, 1, reached)


def of_file(path: Path) -> IslandSet:
    """All islands of a mesh file."""
    scene = read_scene(path.name, path.read_bytes(), folder_siblings(path.parent))
    return concatenate([island_set(obj, 0, scene.metres_per_unit) for obj in scene.objects])


def main() -> None:
    """Print a table, and the middle."""
    sets = {
        name: lambda name=name: island_set_of(SETS[name]()) for name in SETS if "jigsaw" not in name
    }
    sets |= {path: lambda path=path: of_file(Path(path)) for path in sys.argv[1:]}
    found = []
    print(f"{'set':40} {'islands':>7} {'reached':>8} {'without padding':>16}")
    for name, make in sets.items():
        islands = make()
        reached, full = filled(islands)
        found.append(full)
        print(f"{name[-40:]:40} {islands.count:7} {reached:8.3f} {full:16.3f}", flush=True)
    print(f"middle {np.median(found):.3f}, from {min(found):.3f} to {max(found):.3f}")


if __name__ == "__main__":
    main()
