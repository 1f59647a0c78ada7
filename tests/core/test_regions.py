"""Tidy packs: orders that keep regions together, and places near the others of a region."""

from dataclasses import replace

import numpy as np
import pytest
import shapely

from quilt_core.measure import measure_tiles
from quilt_core.pack import PackSettings, TileSize, no_controls, pack_islands
from quilt_core.pack.orders import alone_apart, disturbed, first_orders
from quilt_core.pack.placer import Placer
from quilt_core.pack.problem import example_problem
from quilt_core.scene.placement import identity
from tests.core.shapes import island_set_of, random_polygons

pytestmark = pytest.mark.slow

REGION = np.array([0, 1, 0, -1, 1, 2, -1, 0])


def runs(order, region):
    """Regions in the order in which they are come to, one entry for each time that one is begun."""
    owner = alone_apart(region)[order]
    return owner[np.flatnonzero(np.diff(owner, prepend=-1))].tolist()


def test_first_orders_begin_each_region_once_and_the_largest_first():
    boxes = [(2, 2), (9, 1), (3, 3), (8, 8), (1, 1), (4, 4), (1, 7), (2, 1)]
    problem = replace(example_problem(boxes), region=REGION)
    for order in first_orders(problem):
        assert sorted(order.tolist()) == list(range(8))
        assert len(runs(order, REGION)) == len(np.unique(alone_apart(REGION)))
    by_area = first_orders(problem)[0]
    assert by_area[0] == 3, "the piece of 64 is larger than any region"
    assert by_area[by_area < 8][1] == 5, "then the one of 16"


@pytest.mark.parametrize("strength", range(12))
def test_changes_keep_regions_together_and_lose_no_piece(strength):
    rng = np.random.default_rng(strength)
    order = first_orders(replace(example_problem([(1, 1)] * 8), region=REGION))[0]
    for left_over in ([], [3], [0, 4, 7]):
        found = disturbed(order, np.array(left_over, int), strength, rng, REGION)
        assert sorted(found.tolist()) == list(range(8))
        assert len(runs(found, REGION)) == 5
        free = disturbed(order, np.array(left_over, int), strength, rng, None)
        assert sorted(free.tolist()) == list(range(8))


def box_of(placed, which):
    box = placed.bounds()[which]
    return box[:, 2].max() - box[:, 0].min(), box[:, 3].max() - box[:, 1].min()


def objects_of(count, per, seed=3):
    islands = island_set_of(random_polygons(np.random.default_rng(seed), count * per))
    return replace(islands, object_index=np.arange(count * per) % count, unflattened=(0,) * count)


def test_small_objects_stay_small_at_full_tidiness():
    islands = objects_of(9, 6)
    edges = []
    for tidy in (0.0, 1.0):
        rules = PackSettings(1024, 1024, 4.0, 2.0, effort="quick", tidy=tidy)
        attempt, found, placed = list(pack_islands(islands, identity(54), rules))[-1]
        assert placed.all()
        at = islands.placed(found)
        # Edge of each object's box over that of a square which holds its part of the tile, gaps
        # included.
        fair = np.sqrt(np.bincount(islands.object_index, np.abs(at.uv_area)) / attempt.coverage)
        edges.append([max(box_of(at, islands.object_index == o)) / fair[o] for o in range(9)])
    assert max(edges[1]) < 2.6, "twice the region it needs, and a little for its outline"
    assert np.mean(edges[1]) < 0.65 * np.mean(edges[0])
    assert attempt.tidy_cost is not None


def test_an_object_that_needs_two_tiles_gets_them():
    islands = objects_of(1, 12)
    tiles = (TileSize(1001, 512, 512), TileSize(1002, 512, 512))
    rules = PackSettings(tiles=tiles, padding=4.0, effort="quick", tidy=1.0)
    attempt, found, placed = list(pack_islands(islands, identity(12), rules))[-1]
    assert placed.all()
    assert set(attempt.tile.tolist()) == {0, 1}
    assert attempt.coverage > 0.35
    figures = measure_tiles(islands, found, tiles, 4.0)
    assert figures.gap.pixels >= 4.0
    assert not len(figures.overlaps.pairs)


def test_at_a_fixed_size_a_full_region_goes_on_elsewhere_rather_than_beside_the_tile():
    squares = [shapely.box(0, 0, 0.23, 0.23)] * 16
    islands = replace(island_set_of(squares), object_index=np.arange(16) % 2, unflattened=(0, 0))
    rules = PackSettings(1024, 1024, 4.0, 2.0, effort="quick", tidy=1.0, fixed_scale=True)
    _, _, placed = list(pack_islands(islands, identity(16), rules))[-1]
    assert placed.all(), "a grid of four by four holds them all"


def test_islands_sent_to_a_tile_make_a_region_there():
    islands = objects_of(2, 6)
    controls = no_controls(12)
    controls.tile[islands.object_index == 0] = 1002
    tiles = (TileSize(1001, 512, 512), TileSize(1002, 512, 512))
    rules = PackSettings(tiles=tiles, padding=4.0, effort="quick", tidy=1.0)
    attempt, _, placed = list(pack_islands(islands, identity(12), rules, controls=controls))[-1]
    assert placed.all()
    assert (attempt.tile[islands.object_index == 0] == 1).all()


def test_less_tidy_regions_may_be_wider():
    problem = replace(example_problem([(40, 40)] * 20), region=np.arange(20) % 4)
    spans = []
    for tidy in (0.2, 0.6, 1.0):
        placer = Placer(problem, PackSettings(512, 512, tidy=tidy), 256)
        masks = placer.prepare(1.0, lambda: None)
        spans.append(
            placer._regions(masks, problem.areas / placer.grid.cell**2, (0, 1, 1)).span.max()
        )
    assert spans[0] > spans[1] > spans[2]
    assert spans[2] < 100, "five squares of 20 cells with their paddings"
