"""Many islands at quick effort: time until a complete layout, coverage, and how time grows."""

from __future__ import annotations

import resource
import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from quilt_core.measure import measure
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene import IslandSet, concatenate
from quilt_core.scene.placement import identity
from tests.core.shapes import island_set_of, random_polygons

SHAPES, PADDING = 300, 2.0


def islands_of(count: int) -> IslandSet:
    """Boxes, stars, rings, angles and slivers in many sizes; 300 shapes over and over again."""
    base = island_set_of(random_polygons(np.random.default_rng(5), SHAPES))
    rng = np.random.default_rng(6)
    parts = []
    for _ in range(-(-count // SHAPES)):
        factor = float(rng.lognormal(0, 0.25))
        parts.append(
            replace(
                base, triangles=base.triangles * factor, edges=base.edges * factor,
                uv_area=base.uv_area * factor**2, world_area=base.world_area * factor**2,
                world_length=base.world_length * factor,
            )
        )  # fmt: skip
    whole = concatenate(parts)
    return whole.select(np.arange(whole.count) < count)


def lines(
    cases: tuple[tuple[int, int], ...] = ((300, 2048), (10_000, 4096), (100_000, 8192)),
) -> Iterator[str]:
    """Figures as lines of text; each case is a number of islands and the tile's edge in px."""
    times = []
    for count, size in cases:
        islands = islands_of(count)
        settings = PackSettings(size, size, PADDING, PADDING / 2, effort="quick")
        started = time.monotonic()
        first = 0.0
        for attempt, found, _ in pack_islands(islands, identity(islands.count), settings):
            first = first or time.monotonic() - started
        times.append(time.monotonic() - started)
        figures = measure(islands, found, size, size, PADDING)
        if figures.gap.pixels < PADDING or figures.overlaps.pairs.size:
            raise SystemExit(f"{count} islands: the layout breaks its own rules")
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
        yield (
            f"quick, {count:,} islands, {size} px, padding {PADDING:g} px: first {first:.2f} s, done {times[-1]:.2f} s, "
            f"coverage {attempt.coverage:.1%}, peak memory {peak:.2f} GiB"
        )
    exponent = np.log(times[-1] / times[-2]) / np.log(cases[-1][0] / cases[-2][0])
    yield f"from {cases[-2][0]:,} to {cases[-1][0]:,} islands time grows with the power {exponent:.2f}"


def main() -> None:
    """Print them."""
    for line in lines():
        print(line, flush=True)
