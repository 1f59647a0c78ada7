"""Neighbours that step aside, against Shapely."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from quilt_core.errors import LayoutError
from quilt_core.place.room import make_room
from quilt_core.scene.placement import identity
from quilt_core.scene.tiles import TileSize
from tests.core.examples import examples
from tests.core.fit_into_gaps_samples import laid
from tests.core.shapes import island_set_of, random_polygons

TILES = (TileSize(1001, 1000, 1000),)
PADDING, MARGIN = 8.0, 4.0


def parted(polygons, chosen, **more):
    islands = island_set_of(polygons)
    out, stuck = make_room(
        islands, identity(islands.count), TILES, np.array(chosen), PADDING, MARGIN, **more
    )
    return 1000 * out[:, :, 2], stuck, laid(polygons, out)


def test_a_neighbour_goes_just_far_enough():
    middle, beside = shapely.box(0.4, 0.4, 0.6, 0.6), shapely.box(0.59, 0.45, 0.69, 0.55)
    by, stuck, shapes = parted([middle, beside], [0])
    assert not stuck.any()
    assert by[0].tolist() == [0, 0]
    assert by[1] == pytest.approx([18, 0], abs=1e-4)
    assert shapes[0].distance(shapes[1]) == pytest.approx(PADDING, abs=1e-4)


def test_what_is_far_enough_away_stays():
    by, stuck, _ = parted([shapely.box(0.4, 0.4, 0.6, 0.6), shapely.box(0.608, 0.4, 0.7, 0.6)], [0])
    assert np.abs(by).max() < 1e-4 and not stuck.any()


def test_a_row_is_pushed_on_each_by_what_the_gaps_leave():
    row = [shapely.box(0.2, 0.4, 0.3, 0.6)]
    row += [shapely.box(0.29 + 0.11 * k, 0.3, 0.39 + 0.11 * k, 0.9) for k in range(3)]
    # Above and below there is no room, so they go to the side.
    row += [shapely.box(0.29, 0.91, 0.6, 0.99), shapely.box(0.29, 0.01, 0.6, 0.29)]
    by, stuck, _ = parted(row, [0])
    assert not stuck.any()
    # The first must go 18 px; every gap of 10 px has 2 to give.
    assert by[1:4, 0] == pytest.approx([18, 16, 14], abs=1e-4)
    assert np.abs(by[:, 1]).max() < 1e-9


def test_it_is_given_up_when_asked_to():
    row = [shapely.box(0.1 * k, 0.4, 0.1 * k + 0.12, 0.6) for k in range(8)]
    with pytest.raises(LayoutError, match="Too many islands"):
        parted(row, [0], stop=lambda: True)
    asked = iter([False, False, False, True])
    with pytest.raises(LayoutError, match="Too many islands"):
        parted(row, [0], stop=lambda: next(asked))


def test_what_lies_wholly_inside_comes_out():
    polygons = [shapely.box(0.3, 0.3, 0.6, 0.6), shapely.box(0.5, 0.4, 0.55, 0.45)]
    _, stuck, (around, out) = parted(polygons, [0])
    assert not stuck.any()
    assert around.distance(out) == pytest.approx(PADDING, abs=1e-4)
    _, stuck, (inner, outer) = parted(polygons, [1])
    assert not stuck.any()
    assert inner.distance(outer) == pytest.approx(PADDING, abs=1e-4)


def test_what_is_collapsed_to_a_point_asks_for_no_room():
    speck = shapely.Polygon([(0.5, 0.5), (0.5 + 1e-9, 0.5), (0.5, 0.5 + 1e-9)])
    by, stuck, _ = parted([speck, shapely.box(0.4, 0.4, 0.7, 0.7)], [0])
    assert np.abs(by).max() == 0 and not stuck.any()


def test_a_collapsed_neighbour_stays_where_it_lies():
    """As in spider.obj of the open assimp models: islands whose triangles have no area among others."""
    line = shapely.Polygon([(0.5, 0.5), (0.5 + 1e-13, 0.7), (0.5, 0.9)])
    by, stuck, _ = parted([shapely.box(0.4, 0.4, 0.6, 0.6), line], [0])
    assert np.abs(by).max() == 0 and not stuck.any()


def test_who_cannot_step_aside_is_told_of_and_stays():
    polygons = [shapely.box(0.3, 0.3, 0.7, 0.7), shapely.box(0.01, 0.65, 0.99, 0.99)]
    by, stuck, _ = parted(polygons, [0])
    assert stuck.tolist() == [False, True]
    assert np.abs(by).max() == 0
    beside = [shapely.box(0.4, 0.4, 0.6, 0.6), shapely.box(0.59, 0.45, 0.69, 0.55)]
    by, stuck, _ = parted(beside, [0], held=np.array([False, True]))
    assert np.abs(by).max() == 0 and not stuck.any(), "a locked one is no neighbour that could go"


def test_stacks_go_together_and_the_chosen_one_s_own_stays():
    square = shapely.box(0.59, 0.45, 0.69, 0.55)
    polygons = [shapely.box(0.4, 0.4, 0.6, 0.6), square, square, shapely.box(0.4, 0.4, 0.6, 0.6)]
    by, stuck, _ = parted(polygons, [0], stack=np.array([5, 2, 2, 5]))
    assert not stuck.any()
    assert by[1].tolist() == by[2].tolist() and by[1, 0] == pytest.approx(18, abs=1e-4)
    assert by[3].tolist() == [0, 0]


@settings(max_examples=examples(25))
@given(st.integers(0, 10_000))
@pytest.mark.slow
def test_afterwards_nobody_is_too_near_and_no_new_meeting_was_made(seed):
    rng = np.random.default_rng(seed)
    polygons = []
    for k, p in enumerate(random_polygons(rng, 16, 0.2)):
        a, b, c, d = p.bounds
        size = rng.uniform(0.05, 0.14) / max(c - a, d - b)
        moved = affinity.scale(affinity.translate(p, -a, -b), size, size, origin=(0, 0))
        polygons.append(affinity.translate(moved, 0.05 + 0.22 * (k % 4), 0.05 + 0.22 * (k // 4)))
    polygons[5] = affinity.translate(polygons[5], *rng.uniform(-0.15, 0.15, 2))
    before = [affinity.scale(p, 1000, 1000, origin=(0, 0)) for p in polygons]
    by, stuck, shapes = parted(polygons, [5])
    sheet = shapely.box(MARGIN, MARGIN, 1000 - MARGIN, 1000 - MARGIN).buffer(1e-6)
    assert by[5].tolist() == [0, 0]
    for i in range(16):
        for j in range(i):
            far = shapes[i].distance(shapes[j])
            was = before[i].distance(before[j])
            if 5 in (i, j) and not stuck[i] and not stuck[j]:
                assert far >= PADDING - 1e-4
            elif not stuck[i] and not stuck[j]:
                assert far >= min(PADDING, was) - 1e-4
        if np.abs(by[i]).max() > 0:
            assert sheet.contains(shapes[i])
