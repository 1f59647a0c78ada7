"""Slipping islands into free spots, against Shapely's distances and by counting."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from quilt_core.pack.controls import Controls, no_controls
from quilt_core.pack.settings import PackSettings
from quilt_core.place.slip import slip_in
from quilt_core.scene.flags import LOCK_ROTATION
from quilt_core.scene.placement import apply_placements, identity
from quilt_core.scene.tiles import TileSize
from tests.core.examples import examples
from tests.core.fit_into_gaps_samples import laid
from tests.core.shapes import island_set_of, random_polygons

TILE = TileSize(1001, 1000, 1000)
PADDING, MARGIN = 8.0, 4.0


def slipped(polygons, chosen, tile=TILE, flags=None, rotate="quarter", **more):
    islands = island_set_of(polygons)
    controls = no_controls(islands.count)
    if flags:
        controls = Controls(
            np.full(islands.count, flags, np.uint8), controls.tile, controls.bundle, controls.stack,
            controls.chosen,
        )  # fmt: skip
    rules = PackSettings(padding=PADDING, margin=MARGIN, rotate=rotate)
    pixels = np.full((islands.count, 2), 1000.0)
    *_, last = slip_in(
        islands, identity(islands.count), tile, np.array(chosen), rules, controls, pixels, **more
    )
    return last


def frame_with_hole(width):
    """A frame that fills the tile but for a square hole in its middle."""
    return shapely.box(0.004, 0.004, 0.996, 0.996).difference(
        shapely.box(0.5 - width / 2, 0.5 - width / 2, 0.5 + width / 2, 0.5 + width / 2)
    )


def test_an_island_finds_the_only_hole_that_fits():
    polygons = [frame_with_hole(0.2), shapely.box(1.5, 0.2, 1.68, 0.38)]
    last = slipped(polygons, [1])
    assert last.placed.all()
    frame, inside = laid(polygons, last.placements)
    assert PADDING - 1e-5 <= frame.distance(inside) < PADDING + 2.1
    assert shapely.box(400, 400, 600, 600).contains(inside)


@pytest.mark.parametrize("turn", [0, 17, 45])
def test_an_island_fits_into_a_hole_that_leaves_it_no_room_at_all(turn):
    hole = affinity.rotate(shapely.box(0.402, 0.402, 0.598, 0.598), turn)
    frame = shapely.box(0.004, 0.004, 0.996, 0.996).difference(hole)
    island = affinity.translate(affinity.rotate(shapely.box(0.41, 0.41, 0.59, 0.59), turn), 1.1, 0)
    last = slipped([frame, island], [1], rotate="none")
    assert last.placed.all()
    around, inside = laid([frame, island], last.placements)
    assert around.distance(inside) == pytest.approx(PADDING, abs=1e-6)


def test_an_island_that_is_a_hundredth_of_a_px_too_large_stays_out():
    hole = shapely.box(0.402, 0.402, 0.598, 0.598)
    frame = shapely.box(0.004, 0.004, 0.996, 0.996).difference(hole)
    last = slipped([frame, shapely.box(1.41, 0.41, 1.59001, 0.59001)], [1], rotate="none")
    assert not last.placed.any()


def test_what_fits_nowhere_stays_where_it_was():
    polygons = [frame_with_hole(0.2), shapely.box(1.5, 0.2, 1.69, 0.39)]
    last = slipped(polygons, [1])
    assert not last.placed.any()
    assert last.placements[1].tolist() == identity(2)[1].tolist()


def test_it_turns_where_only_that_fits_and_not_when_its_turn_is_locked():
    slot = shapely.box(0.004, 0.004, 0.996, 0.996).difference(shapely.box(0.3, 0.45, 0.7, 0.52))
    tall = shapely.box(1.2, 0.1, 1.25, 0.45)
    assert slipped([slot, tall], [1]).placed.all()
    assert not slipped([slot, tall], [1], flags=LOCK_ROTATION).placed.any()
    assert not slipped([slot, tall], [1], rotate="none").placed.any()


def test_a_snug_hole_is_better_than_open_room():
    hole = shapely.box(0.5, 0.5, 0.95, 0.95).difference(shapely.box(0.62, 0.62, 0.72, 0.72))
    polygons = [hole, shapely.box(1.5, 0.2, 1.58, 0.28)]
    _, inside = laid(polygons, slipped(polygons, [1]).placements)
    assert shapely.box(620, 620, 720, 720).contains(inside)


def test_near_a_point_it_goes_as_near_as_it_can():
    polygons = [shapely.box(0.4, 0.4, 0.6, 0.6), shapely.box(1.5, 0.2, 1.56, 0.26)]
    last = slipped(polygons, [1], near=(250.0, 700.0))
    _, there = laid(polygons, last.placements)
    assert there.centroid.distance(shapely.Point(250, 700)) < 2
    last = slipped(polygons, [1], near=(500.0, 500.0))
    block, there = laid(polygons, last.placements)
    # Beside a side of the square: its half, the padding and the half of the island.
    assert there.centroid.distance(shapely.Point(500, 500)) == pytest.approx(100 + 8 + 30, abs=2.5)
    assert block.distance(there) >= PADDING


def test_as_one_block_the_islands_keep_their_places_to_one_another():
    polygons = [shapely.box(0.1, 0.1, 0.5, 0.9), shapely.box(1.2, 0.3, 1.3, 0.4), shapely.box(1.31, 0.2, 1.5, 0.5)]  # fmt: skip
    last = slipped(polygons, [1, 2], block=True, rotate="none")
    assert last.placed.all()
    shift = last.placements[1:, :, 2]
    assert np.allclose(shift[0], shift[1])
    frame, *rest = laid(polygons, last.placements)
    assert min(frame.distance(r) for r in rest) >= PADDING


def test_another_tile_keeps_the_size_in_px():
    polygons = [shapely.box(0.1, 0.1, 0.2, 0.3)]
    last = slipped(polygons, [0], tile=TileSize(1012, 500, 2000), rotate="none")
    ends = apply_placements(np.array([[0.1, 0.1], [0.2, 0.3]]), np.zeros(2, int), last.placements)
    assert np.floor(ends).tolist() == [[1, 1], [1, 1]]
    assert np.ptp(ends, axis=0) * (500, 2000) == pytest.approx([100, 200])


@settings(max_examples=examples(6))
@given(st.integers(0, 10_000), st.booleans())
@pytest.mark.slow
def test_padding_and_margin_hold_and_nothing_else_moves(seed, near):
    rng = np.random.default_rng(seed)
    polygons = [
        affinity.translate(affinity.scale(p, 0.12 / max(p.bounds[2] - p.bounds[0], p.bounds[3] - p.bounds[1]), 0.12 / max(p.bounds[2] - p.bounds[0], p.bounds[3] - p.bounds[1]), origin=(p.bounds[0], p.bounds[1])), 0.02 + k % 4 * 0.25 - p.bounds[0], 0.02 + k // 4 * 0.25 - p.bounds[1])
        for k, p in enumerate(random_polygons(rng, 16, 0.2))
    ]  # fmt: skip
    chosen = np.sort(rng.choice(16, 3, replace=False))
    spot = tuple(rng.uniform(100, 900, 2)) if near else None
    last = slipped(polygons, chosen, near=spot, rotate="free")
    assert last.placed.all()
    still = np.setdiff1d(np.arange(16), chosen)
    assert (last.placements[still] == identity(16)[still]).all()
    shapes = laid(polygons, last.placements)
    for i in chosen:
        others = shapely.unary_union([s for k, s in enumerate(shapes) if k != i])
        assert shapes[i].distance(others) >= PADDING - 1e-5
        assert shapely.box(4, 4, 996, 996).buffer(1e-5).contains(shapes[i])


def test_it_stops_when_asked():
    polygons = [shapely.box(0.1 + k / 10, 0.1, 0.15 + k / 10, 0.15) for k in range(5)]
    asked = iter([False, False, True])
    last = slipped(polygons, range(5), stop=lambda: next(asked))
    assert last.placed.sum() == 2
