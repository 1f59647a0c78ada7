"""Overlap, gaps and areas against Shapely / GEOS on the same polygons."""

from unittest import mock

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from quilt_core.measure import close_pairs, find_overlaps, gap, measure, smallest_gap
from quilt_core.measure._overlap_loops import shared
from quilt_core.measure.gap_loops import distance2
from quilt_core.scene.placement import IDENTITY, identity
from tests.core.examples import examples
from tests.core.shapes import island_set_of, random_polygons

W, H = 1024, 512
SIZE = np.array([W, H])


def in_pixels(polygon):
    return affinity.scale(polygon, W, H, origin=(0, 0))


@settings(max_examples=examples(60))
@given(st.integers(0, 10_000), st.integers(2, 14))
@pytest.mark.slow
def test_overlaps_are_shapely_s(seed, count):
    polygons = random_polygons(np.random.default_rng(seed), count, 0.15)
    found = find_overlaps(island_set_of(polygons), W, H)
    got = {
        tuple(pair): texels for pair, texels in zip(found.pairs.tolist(), found.texels, strict=True)
    }
    for i in range(count):
        for j in range(i + 1, count):
            want = in_pixels(polygons[i]).intersection(in_pixels(polygons[j])).area
            assert got.pop((i, j), 0.0) == pytest.approx(want, rel=1e-9, abs=1e-5)
    assert not got, "an island does not overlap itself"


@settings(max_examples=examples(60))
@given(st.integers(0, 10_000), st.integers(2, 10))
@pytest.mark.slow
def test_the_smallest_gap_is_shapely_s(seed, count):
    polygons = random_polygons(np.random.default_rng(seed), count, 0.05)
    rims = [in_pixels(p).boundary for p in polygons]
    want = min(rims[i].distance(rims[j]) for i in range(count) for j in range(i + 1, count))
    assert smallest_gap(island_set_of(polygons), W, H, expected=0.5).pixels == pytest.approx(
        want, abs=1e-9
    )


@settings(max_examples=examples(200))
@given(st.integers(0, 10**6))
@pytest.mark.slow
def test_shared_area_of_two_triangles(seed):
    a, b = np.random.default_rng(seed).normal(size=(2, 3, 2))
    want = shapely.Polygon(a).intersection(shapely.Polygon(b)).area
    assert shared(a, b)[0] == pytest.approx(want, rel=1e-9, abs=1e-12)


def test_coverage_is_the_sum_of_areas():
    polygons = [shapely.box(0.1, 0.1, 0.3, 0.2), shapely.box(0.5, 0.5, 0.9, 0.9)]
    figures = measure(island_set_of(polygons), identity(2), W, H)
    assert figures.coverage == pytest.approx(0.02 + 0.16)
    assert figures.gap.pixels == pytest.approx(
        in_pixels(polygons[0]).distance(in_pixels(polygons[1]))
    )
    assert figures.margin_px == pytest.approx(0.1 * H)


def test_an_island_inside_another_s_hole_is_no_overlap_but_one_inside_its_area_is():
    ring = shapely.Point(0.5, 0.5).buffer(0.4).difference(shapely.Point(0.5, 0.5).buffer(0.2))
    inner = shapely.Point(0.5, 0.5).buffer(0.1)
    assert len(measure(island_set_of([ring, inner]), identity(2), W, W).overlaps.pairs) == 0
    covered = measure(
        island_set_of([shapely.Point(0.5, 0.5).buffer(0.4), inner]), identity(2), W, W
    )
    assert covered.overlaps.texels == pytest.approx([inner.area * W * W])
    assert covered.gap.pixels == 0


def test_a_fold_overlaps_its_own_island():
    islands = island_set_of([shapely.box(0, 0, 0.2, 0.2), shapely.box(0.5, 0.5, 0.6, 0.6)])
    object.__setattr__(
        islands, "triangles", np.concatenate([islands.triangles, islands.triangles[:1]])
    )
    object.__setattr__(islands, "triangle_island", np.append(islands.triangle_island, 0))
    assert find_overlaps(islands, W, W).pairs.tolist() == [[0, 0]]


def test_one_island_has_no_gap_and_none_measures_nothing():
    assert smallest_gap(island_set_of([shapely.box(0, 0, 1, 1)]), W, H).pixels == np.inf
    empty = island_set_of([])
    assert measure(empty, identity(0), W, H).coverage == 0
    assert IDENTITY.shape == (2, 3)


def test_slight_shares_count_beside_a_real_one_and_not_by_themselves():
    # Two boxes share a strip; a sliver of the first reaches into the second by a hair.
    hair = 3e-8
    first = shapely.Polygon(
        [(0, 0), (0.5, 0), (0.5, 0.5), (0.3, 0.5), (0.3 + hair, 0.9), (0.3, 0.9), (0, 0.5)]
    )
    real = shapely.box(0.4, 0, 0.9, 0.4)
    touched = shapely.box(0.3, 0.6, 0.8, 0.8)
    found = find_overlaps(island_set_of([first, real]), 1024, 1024)
    assert found.pairs.tolist() == [[0, 1]]
    want = first.intersection(real).area * 1024**2
    assert found.texels[0] == pytest.approx(want, rel=1e-12)
    alone = find_overlaps(island_set_of([first, touched]), 1024, 1024)
    shared = first.intersection(touched).area * 1024**2
    assert 0 < shared < 0.01
    assert alone.pairs.tolist() == [[0, 1]]
    assert alone.texels[0] == pytest.approx(shared, rel=1e-6)


@settings(max_examples=examples(25))
@given(st.integers(0, 10_000), st.floats(0.01, 0.3))
def test_neighbours_that_share_a_border_do_not_overlap_wherever_they_lie(seed, angle):
    # A grid of quarters, turned and shifted: their borders agree up to rounding.
    rng = np.random.default_rng(seed)
    at = rng.uniform(-50, 50, 2)
    cells = [
        affinity.translate(
            affinity.rotate(shapely.box(x, y, x + 0.1, y + 0.1), angle, (0, 0), True), *at
        )
        for x in (0, 0.1, 0.2)
        for y in (0, 0.1)
    ]
    assert not len(find_overlaps(island_set_of(cells), 2048, 2048).pairs)


coordinate = st.floats(-10, 10).map(lambda value: round(value, 3))
segment = st.lists(coordinate, min_size=4, max_size=4)


@given(segment, segment)
@settings(max_examples=examples(300))
@pytest.mark.slow
def test_the_distance_of_two_segments_is_shapely_s(a, b):
    one, two = (shapely.LineString([(s[0], s[1]), (s[2], s[3])]) for s in (a, b))
    spots = np.full(4, np.nan)
    found = distance2(np.array(a), np.array(b), 1e9, spots)
    assert np.sqrt(found) == pytest.approx(one.distance(two), abs=1e-6)
    # The points that are told lie on the segments, that far apart.
    p, q = shapely.Point(spots[:2]), shapely.Point(spots[2:])
    assert p.distance(one) < 1e-6 and q.distance(two) < 1e-6
    assert p.distance(q) == pytest.approx(np.sqrt(found), abs=1e-6)


def test_segments_farther_apart_than_asked_for_are_not_looked_at():
    spots = np.full(4, np.nan)
    a, b = np.array([0.0, 0, 1, 0]), np.array([0.0, 3, 1, 3])
    assert distance2(a, b, 9.0, spots) == 9.0 and np.isnan(spots).all()
    assert distance2(a, b, 9.01, spots) == 9.0 and not np.isnan(spots).any()


@settings(max_examples=examples(30))
@given(st.integers(0, 10_000), st.integers(2, 30), st.floats(1, 60))
def test_islands_of_few_edges_are_compared_as_others_are(seed, count, reach):
    rng = np.random.default_rng(seed)
    islands = island_set_of(random_polygons(rng, count, 0.05))
    group = rng.integers(-1, 3, count)
    kind = rng.integers(-1, 3, len(islands.edges))
    found = []
    for few in (0, 7, gap.FEW_EDGES):
        with mock.patch.object(gap, "FEW_EDGES", few):
            found.append(close_pairs(islands, 1024, 512, reach, kind, group))
    for other in found[1:]:
        for name in ("pairs", "pixels", "spots", "complete"):
            assert np.array_equal(getattr(other, name), getattr(found[0], name)), name


def test_a_crowd_of_small_islands_on_one_spot_is_compared_whole():
    # 10,000 squares of 0.05 px, 0.1 px apart, all within a few px.
    at = np.stack(np.meshgrid(*[np.arange(100) * 1e-4] * 2), axis=-1).reshape(-1, 2)
    found = close_pairs(
        island_set_of([shapely.box(x, y, x + 5e-5, y + 5e-5) for x, y in at]), 1024, 1024, 0.1
    )
    assert found.complete
    # Across and up, and across the corners: 0.0512 px, and 0.0724 px.
    assert len(found.pairs) == 2 * 99 * 100 + 2 * 99 * 99
    assert found.pixels[0] == pytest.approx(0.0512)
    assert found.pixels[-1] == pytest.approx(0.0512 * 2**0.5)
