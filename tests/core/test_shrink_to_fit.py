"""Shrinking together until the gaps are right, against plane geometry and Shapely."""

import numpy as np
import pytest
import shapely
from shapely import affinity

from quilt_core.errors import LayoutError
from quilt_core.place.take_in import take_in
from quilt_core.scene.placement import determinants, identity
from quilt_core.scene.tiles import TileSize
from tests.core.fit_into_gaps_samples import laid
from tests.core.shapes import island_set_of, random_polygons

TILES = (TileSize(1001, 1000, 1000),)


def taken_in(polygons, chosen=None, tiles=TILES, **more):
    islands = island_set_of(polygons)
    mask = np.ones(islands.count, bool) if chosen is None else np.array(chosen)
    out, factor = take_in(islands, identity(islands.count), tiles, mask, 8.0, 4.0, **more)
    return out, factor, laid(polygons, out)


def test_two_squares_that_touch_shrink_by_the_padding():
    polygons = [shapely.box(0.1, 0.1, 0.3, 0.3), shapely.box(0.3, 0.1, 0.5, 0.3)]
    out, factor, (a, b) = taken_in(polygons)
    # Middles stay 200 px apart: a side of 192 px leaves 8.
    assert factor == pytest.approx(192 / 200, abs=3e-5)
    assert 8.0 - 1e-6 <= a.distance(b) < 8.01
    assert np.abs(determinants(out)) == pytest.approx(np.full(2, factor**2))


def test_what_is_too_near_to_the_edge_shrinks_too():
    _, factor, (square,) = taken_in([shapely.box(0.001, 0.1, 0.201, 0.3)])
    assert factor == pytest.approx(1 - 2 * 3 / 200, abs=3e-5)
    assert square.bounds[0] == pytest.approx(4, abs=0.01)


def test_right_gaps_stay_as_they_are():
    polygons = [shapely.box(0.1, 0.1, 0.3, 0.3), shapely.box(0.308, 0.1, 0.5, 0.3)]
    out, factor, _ = taken_in(polygons)
    assert factor == 1 and (out == identity(2)).all()


def test_only_the_chosen_ones_shrink():
    polygons = [shapely.box(0.1, 0.1, 0.3, 0.3), shapely.box(0.3, 0.1, 0.5, 0.3)]
    out, factor, _ = taken_in(polygons, [True, False])
    assert factor == pytest.approx(184 / 200, abs=3e-5)
    assert (out[1] == identity(1)[0]).all()


def test_a_stack_stays_together():
    square = shapely.box(0.1, 0.1, 0.3, 0.3)
    polygons = [square, square, shapely.box(0.3, 0.1, 0.5, 0.3)]
    out, factor, _ = taken_in(polygons, stack=np.array([3, 3, -1]))
    assert factor == pytest.approx(0.96, abs=3e-5)
    assert (out[0] == out[1]).all()


def test_islands_on_one_another_are_an_error():
    square = shapely.box(0.1, 0.1, 0.3, 0.3)
    with pytest.raises(LayoutError, match="half"):
        taken_in([square, affinity.translate(square, 0.01, 0)])
    with pytest.raises(LayoutError, match="tile"):
        taken_in([affinity.translate(square, -3, 0)])


@pytest.mark.parametrize("seed", range(5))
def test_shapes_of_any_kind_keep_the_padding(seed):
    rng = np.random.default_rng(seed)
    polygons = []
    for k, p in enumerate(random_polygons(rng, 9, 0.2)):
        a, b, c, d = p.bounds
        sized = affinity.scale(
            affinity.translate(p, -a, -b), 0.31 / (c - a), 0.31 / (d - b), origin=(0, 0)
        )
        polygons.append(affinity.translate(sized, 0.01 + 0.32 * (k % 3), 0.01 + 0.32 * (k // 3)))
    _, factor, shapes = taken_in(polygons)
    assert 0.5 < factor <= 1
    gaps = [a.distance(b) for i, a in enumerate(shapes) for b in shapes[:i]]
    assert min(gaps) >= 8 - 1e-5
