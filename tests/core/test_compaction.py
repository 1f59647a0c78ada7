"""Compaction: exact distances, growth where there is room, and the rules of the packer."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from quilt_core.pack import PackSettings
from quilt_core.pack.compaction import compact
from tests.core.compaction_samples import attempt_of, problem_of
from tests.core.examples import examples
from tests.core.shapes import random_polygons

pytestmark = pytest.mark.slow


def placed(polygons, attempt):
    return [
        affinity.translate(affinity.scale(p, attempt.scale, attempt.scale, origin=(0, 0)), *shift)
        for p, shift in zip(polygons, attempt.shift, strict=True)
    ]


def last(found):
    out = None
    for out in found:
        pass
    return out


def test_two_squares_grow_until_the_tile_is_full():
    rules = PackSettings(1000, 1000, padding=10, margin=5)
    squares = [shapely.box(0, 0, 100, 100)] * 2
    problem = problem_of(squares, rules)
    best = last(
        compact(problem, rules, attempt_of(problem, 2.0, [(50, 50), (600, 600)]), 400, lambda: None)
    )
    # Corner to corner they may be larger than side by side: 990 = 2 edges + the gap along x or
    # along y.
    a, b = placed(squares, best)
    assert a.distance(b) >= 10
    assert a.distance(b) == pytest.approx(10, abs=0.05)
    for shape in (a, b):
        assert min(shape.bounds) >= 5
        assert max(shape.bounds) <= 995
    assert best.scale >= 4.89


@settings(max_examples=examples(40))
@given(st.integers(0, 10_000), st.integers(2, 8), st.sampled_from([1.0, 6.0]))
def test_scattered_pieces_grow_and_keep_their_distance(seed, count, padding):
    rng = np.random.default_rng(seed)
    rules = PackSettings(800, 500, padding=padding, margin=3)
    polygons = [affinity.scale(p, 300, 300, origin=(0, 0)) for p in random_polygons(rng, count)]
    polygons = [affinity.translate(p, -p.bounds[0], -p.bounds[1]) for p in polygons]
    # A loose grid of places, so that the first layout keeps all its distances.
    cells = [(x, y) for x in (10, 210, 410, 610) for y in (10, 260)]
    largest = max(max(p.bounds) for p in polygons)
    start = attempt_of(problem_of(polygons, rules), 150 / largest, cells[:count])
    problem = problem_of(polygons, rules)
    scale = start.scale
    for found in compact(problem, rules, start, 12, lambda: None):
        assert found.scale > scale
        scale = found.scale
        shapes = placed(polygons, found)
        for i, shape in enumerate(shapes):
            assert shape.bounds[0] >= 3 and shape.bounds[1] >= 3
            assert shape.bounds[2] <= 797 and shape.bounds[3] <= 497
            for other in shapes[:i]:
                assert shape.distance(other) >= padding
    assert scale > start.scale


def test_too_small_gaps_are_won_back_by_shrinking():
    rules = PackSettings(400, 400, padding=8, margin=0)
    squares = [shapely.box(0, 0, 100, 100)] * 3
    problem = problem_of(squares, rules)
    start = attempt_of(problem, 1.3, [(0, 0), (134, 0), (268, 0)])
    assert last(compact(problem, rules, start, 1, lambda: None)) is None, (
        "as it is nothing can grow"
    )
    mended = last(compact(problem, rules, start, 1, lambda: None, lowest=0.9))
    shapes = placed(squares, mended)
    assert min(a.distance(b) for a, b in zip(shapes[:-1], shapes[1:], strict=True)) >= 8
    assert 0.95 < mended.scale / 1.3 < 1


def test_pieces_that_overlap_are_not_mended():
    rules = PackSettings(400, 400, padding=8, margin=0)
    problem = problem_of([shapely.box(0, 0, 100, 100)] * 2, rules)
    start = attempt_of(problem, 1.0, [(0, 0), (50, 50)])
    assert last(compact(problem, rules, start, 3, lambda: None, lowest=0.9)) is None


def test_a_piece_in_the_hole_of_another_stays_there():
    rules = PackSettings(600, 600, padding=4, margin=4)
    ring = (
        shapely.Point(110, 110).buffer(110, 24).difference(shapely.Point(110, 110).buffer(80, 24))
    )
    inner = shapely.box(0, 0, 60, 60)
    problem = problem_of([ring, inner], rules)
    best = last(
        compact(problem, rules, attempt_of(problem, 1.5, [(40, 40), (150, 150)]), 200, lambda: None)
    )
    outer, small = placed([ring, inner], best)
    assert outer.distance(small) >= 4
    assert shapely.Polygon(outer.exterior).contains(small)
    assert best.scale == pytest.approx(592 / 220, rel=1e-3), "the ring fills the tile"
