"""``python -m quilt_core.warm``: compile the inner loops once, so that the first pack starts at
once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure import measure
from quilt_core.measure.stretch import measure_triangles
from quilt_core.pack import PackSettings, no_controls, pack_islands
from quilt_core.place.slip import slip_in
from quilt_core.prove import prove
from quilt_core.scene import IslandSet, TileSize
from quilt_core.scene.placement import identity


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


def main() -> None:
    """Run every compiled function once, in all the forms in which it is used."""
    islands = sample()
    placements = identity(islands.count)
    for effort in ("quick", "standard", "thorough"):
        settings = PackSettings(width=256, height=256, effort=effort, seconds=0.5)
        _, placements, _ = list(pack_islands(islands, placements, settings))[-1]
    prove_sample(placements)
    rules, pixels = PackSettings(width=256, height=256), np.full((islands.count, 2), 256.0)
    tile, free = TileSize(1001, 256, 256), no_controls(islands.count)
    list(slip_in(islands, placements, tile, np.arange(1), rules, free, pixels))


def prove_sample(placements: NDArray[np.float64] | None = None) -> None:
    """Run all checks once."""
    islands = sample()
    placements = identity(islands.count) if placements is None else placements
    measure(islands, placements, 256, 256)
    heap = np.array([[[1.0, 0.0, -0.3 * k], [0.0, 1.0, 0.0]] for k in range(islands.count)])
    measure(islands, heap, 256, 256)
    prove(islands, None, placements, [TileSize()], ["sample"])
    points = np.concatenate([islands.triangles, np.zeros((len(islands.triangles), 3, 1))], axis=2)
    measure_triangles(islands.triangles, points)


if __name__ == "__main__":
    main()
