"""Sliding until something is in the way, against Shapely's distances and a search by halving."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from quilt_core.measure import measure
from quilt_core.place import DIRECTIONS, settle
from quilt_core.scene.placement import identity
from quilt_core.scene.tiles import TileSize
from tests.core.examples import examples
from tests.core.shapes import island_set_of, random_polygons

TILES = (TileSize(1001, 1000, 1000),)
PADDING, MARGIN = 8.0, 4.0


def slid(polygons, chosen, way, **more):
    islands = island_set_of(polygons)
    out = settle(
        islands, identity(islands.count), TILES, np.array(chosen), way, PADDING, MARGIN, **more
    )
    return islands, out


def test_a_square_falls_to_the_margin_and_onto_another_one():
    low, high = shapely.box(0.1, 0.2, 0.3, 0.4), shapely.box(0.15, 0.7, 0.25, 0.8)
    islands, out = slid([low, high], [0], (0, -1))
    assert 1000 * (0.2 + out[0, 1, 2]) == pytest.approx(MARGIN, abs=1e-5)
    islands, out = slid([low, high], [1], (0, -1))
    found = measure(islands, out, 1000, 1000, PADDING)
    assert found.gap.pixels == pytest.approx(PADDING, abs=1e-5)
    assert out[1, 0, 2] == 0


def into_cell(polygon, column, row, rng):
    """A polygon somewhere in one cell of three by three, with room round it."""
    a, b, c, d = polygon.bounds
    size = rng.uniform(0.1, 0.25) / max(c - a, d - b)
    corner = (np.array([column, row]) + rng.uniform(0.03, 0.15, 2)) / 3
    moved = affinity.translate(polygon, -a, -b)
    return affinity.translate(affinity.scale(moved, size, size, origin=(0, 0)), *corner)


@settings(max_examples=examples(60))
@given(st.integers(0, 10_000), st.floats(0, 2 * np.pi))
@pytest.mark.slow
def test_it_goes_just_as_far_as_the_padding_lets_it(seed, angle):
    rng = np.random.default_rng(seed)
    polygons = [
        into_cell(p, k % 3, k // 3, rng) for k, p in enumerate(random_polygons(rng, 9, 0.2))
    ]
    way = (np.cos(angle), np.sin(angle))
    polygons.insert(0, polygons.pop(4))  # the one in the middle
    px = [affinity.scale(p, 1000, 1000, origin=(0, 0)) for p in polygons]
    others = shapely.unary_union(px[1:]).boundary
    room = shapely.box(MARGIN, MARGIN, 1000 - MARGIN, 1000 - MARGIN).buffer(1e-3)
    _, out = slid(polygons, [0], way)
    far = 1000 * np.hypot(*out[0, :, 2])

    def fits(t):
        moved = affinity.translate(px[0], t * way[0], t * way[1])
        return room.contains(moved) and moved.boundary.distance(others) >= PADDING - 1e-5

    # Everything on the way fits, and a little farther nothing does.
    assert all(fits(t) for t in np.linspace(0, far, 40))
    assert not fits(far + 0.01)


def test_what_touches_already_slides_along():
    block = shapely.box(0.3, 0.3, 0.5, 0.5)
    beside = shapely.box(0.508, 0.31, 0.6, 0.4)
    _, out = slid([block, beside], [1], (0, 1))
    assert 1000 * (0.4 + out[1, 1, 2]) == pytest.approx(1000 - MARGIN, abs=1e-4)
    _, out = slid([block, beside], [1], (-1, 0))
    assert np.abs(out[1, :, 2]).max() < 1e-8, "it is as near as it may be"


def test_what_lies_too_near_may_leave_and_not_come_nearer():
    block, near = shapely.box(0.3, 0.3, 0.5, 0.5), shapely.box(0.502, 0.3, 0.6, 0.4)
    _, out = slid([block, near], [1], (1, 0))
    assert 1000 * (0.6 + out[1, 0, 2]) == pytest.approx(1000 - MARGIN, abs=1e-4)
    _, out = slid([block, near], [1], (-1, 0))
    assert np.array_equal(out, identity(2))


def test_a_block_keeps_together_and_each_goes_by_itself():
    boxes = [shapely.box(0.1, 0.6, 0.2, 0.7), shapely.box(0.1, 0.8, 0.2, 0.9)]
    _, block = slid(boxes, [0, 1], DIRECTIONS["down"])
    assert block[0, 1, 2] == block[1, 1, 2]
    islands, each = slid(boxes, [0, 1], DIRECTIONS["down"], each=True)
    found = measure(islands, each, 1000, 1000, PADDING)
    assert found.gap.pixels == pytest.approx(PADDING, abs=1e-4)
    assert found.margin_px == pytest.approx(MARGIN, abs=1e-4)


def test_inside_a_ring_it_stops_at_the_rim_of_the_hole():
    ring = shapely.box(0.1, 0.1, 0.9, 0.9) - shapely.box(0.2, 0.2, 0.8, 0.8)
    _, out = slid([ring, shapely.box(0.4, 0.4, 0.5, 0.5)], [1], DIRECTIONS["right"])
    assert 1000 * (0.5 + out[1, 0, 2]) == pytest.approx(800 - PADDING, abs=1e-4)
