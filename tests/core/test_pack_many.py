"""Gap and margin on random sets, and the inputs that break packers.

QUILT_SETS=2000 packs two thousand sets; without it there are fewer, to keep the tests quick.
"""

import os
from dataclasses import replace

import numpy as np
import pytest
import shapely

from quilt_core.errors import LayoutError
from quilt_core.measure import measure_tiles
from quilt_core.pack import PackSettings, TileSize, find_stacks, no_controls, pack_islands
from quilt_core.pack.efforts import PLANS
from quilt_core.scene.placement import identity
from tests.core.shapes import island_set_of, random_polygons

pytestmark = pytest.mark.slow

SETS, BATCHES = int(os.environ.get("QUILT_SETS", "120")), 10
EDGES = (64, 100, 256, 300, 512, 1000, 2048, 4096, 16384)


def one(seed: int) -> None:
    """Pack a random set under random rules and judge it on exact outlines."""
    rng = np.random.default_rng(seed)
    islands = island_set_of(
        random_polygons(rng, int(rng.integers(1, 13)), float(rng.choice([0.01, 0.08, 0.4])))
    )
    padding = float(rng.choice([0.0, 0.5, 1.0, 3.0, 8.0]))
    sizes = rng.choice(EDGES, (int(rng.integers(1, 4)), 2))
    sizes = np.maximum(
        sizes, sizes.max(axis=1, keepdims=True) // 16
    )  # longer ones have a test of their own
    tiles = tuple(TileSize(1001 + 9 * k, int(w), int(h)) for k, (w, h) in enumerate(sizes))
    rules = PackSettings(
        padding=padding,
        margin=float(rng.choice([0.0, padding / 2, 2.5])),
        rotate=str(rng.choice(["none", "half", "quarter", "free"])),
        effort="quick",
        seconds=0.02,
        seed=seed,
        tiles=tiles,
        order=str(rng.choice(["in order", "spread"])),
        upright=bool(rng.integers(2)),
        mirror=bool(rng.integers(2)),
        fixed_scale=bool(rng.random() < 0.2),
    )
    controls = no_controls(islands.count)
    if rng.random() < 0.3:
        controls.bundle[rng.random(islands.count) < 0.5] = 0
    if rng.random() < 0.3:  # long enough for the separation and for compaction
        rules = replace(rules, effort="standard", seconds=0.4)
    if rng.random() < 0.3:
        rules = replace(rules, tidy=float(rng.choice([0.2, 0.6, 1.0])))
        islands = replace(
            islands, object_index=rng.integers(0, 3, islands.count), unflattened=(0, 0, 0)
        )
    attempt, found, placed = list(
        pack_islands(islands, identity(islands.count), rules, controls=controls)
    )[-1]
    figures = measure_tiles(islands, found, tiles, padding)
    told = f"set {seed}: {rules}"
    assert attempt.done, told
    assert placed.all() or rules.fixed_scale, told
    assert (figures.tile >= 0)[placed].all(), told
    assert len(figures.overlaps.pairs) == 0, told
    assert figures.gap.pixels >= padding, f"{told}: gap {figures.gap.pixels}"
    assert figures.margin_px >= rules.margin or not placed.any(), (
        f"{told}: margin {figures.margin_px}"
    )


@pytest.mark.parametrize("batch", range(BATCHES))
def test_gap_and_margin_hold_on_random_sets(batch):
    for seed in range(batch * SETS // BATCHES, (batch + 1) * SETS // BATCHES):
        one(seed)


@pytest.mark.parametrize("seed", [223, 1433, 1633])
def test_no_piece_hangs_out_of_tiles_of_unlike_shape(seed):
    # Sets of tiles that are long and high, in which a piece that grows fits one of them only.
    one(seed)


def test_the_same_set_gives_the_same_layout_to_the_bit_through_all_phases(monkeypatch):
    monkeypatch.setitem(PLANS, "standard", replace(PLANS["standard"], steps=20, moves=1500))
    polygons = random_polygons(np.random.default_rng(12), 5)
    islands = island_set_of(polygons)
    rules = PackSettings(512, 512, padding=4.0, margin=2.0, effort="standard", seed=3)
    first, second = (list(pack_islands(islands, identity(5), rules))[-1][1] for _ in range(2))
    assert np.array_equal(first, second)


def quick(polygons, **options):
    islands = island_set_of(polygons)
    rules = PackSettings(
        **{
            "width": 1024,
            "height": 1024,
            "padding": 2.0,
            "margin": 1.0,
            "effort": "quick",
            **options,
        }
    )
    attempt, found, placed = list(pack_islands(islands, identity(islands.count), rules))[-1]
    return islands, attempt, found, placed


def test_thousands_of_equal_islands():
    islands, _, found, placed = quick([shapely.box(0, 0, 1, 1)] * 4_000, width=4096, height=4096)
    assert placed.all()
    figures = measure_tiles(islands, found, [TileSize(1001, 4096, 4096)], 2.0)
    assert figures.gap.pixels >= 2
    assert figures.coverage > 0.55
    assert len(find_stacks(islands)[0].islands) == 4_000


def test_one_island_fills_the_tile():
    assert quick([shapely.box(0, 0, 3, 3)], padding=64.0)[1].coverage > 0.97


def test_an_outline_that_touches_itself():
    bow = shapely.union_all([shapely.box(0, 0, 1, 1), shapely.box(1, 1, 2, 2)])
    ears = shapely.Polygon([(0, 0), (2, 0), (1, 1), (2, 2), (0, 2), (1, 1)])
    islands, _, found, placed = quick(
        [*bow.geoms, ears] if bow.geom_type == "MultiPolygon" else [bow, ears]
    )
    assert placed.all()
    assert measure_tiles(islands, found, [TileSize(1001, 1024, 1024)], 2.0).gap.pixels >= 2


def test_sizes_far_apart_in_one_set():
    islands, _, found, placed = quick(
        [shapely.box(0, 0, 1e9, 1e9), shapely.box(0, 0, 1e-9, 1e-9), shapely.box(0, 0, 5e8, 1e8)]
    )
    assert placed.all()
    assert np.isfinite(found).all()
    assert measure_tiles(islands, found, [TileSize(1001, 1024, 1024)], 2.0).coverage > 0.4


@pytest.mark.parametrize("size", [(16384, 64), (64, 16384), (4096, 16)])
def test_tiles_that_are_very_long(size):
    islands, _, found, placed = quick(
        [shapely.box(0, 0, 1, 2)] * 5, width=size[0], height=size[1], rotate="none"
    )
    assert placed.all()
    assert measure_tiles(islands, found, [TileSize(1001, *size)], 2.0).gap.pixels >= 2


def test_padding_larger_than_the_tile_is_told():
    with pytest.raises(LayoutError, match="padding of 600"):
        quick([shapely.box(0, 0, 1, 1)], padding=600.0)
