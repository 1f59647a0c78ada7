"""Distances of segments, judged by Shapely (GEOS)."""

import numpy as np
import pytest
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st

from quilt_core.measure.gap_loops import _crosses, distance2

number = st.floats(-4, 4).map(lambda x: round(x, 2))
segment = st.tuples(number, number, number, number)
POINT = (1.0, 1.0, 1.0, 1.0)


def told(a, b, best=np.inf):
    spots = np.full(4, np.nan)
    return distance2(np.array(a), np.array(b), best, spots), spots


@settings(deadline=None)
@given(segment, segment)
@example(POINT, (0.0, 0.0, 2.0, 0.0))
@example(POINT, POINT)
@example(POINT, (0.5, 0.5, 0.5, 0.5))
@example((0.0, 0.0, 2.0, 2.0), (0.0, 2.0, 2.0, 0.0))
@example((0.0, 0.0, 2.0, 0.0), (1.0, 0.0, 3.0, 0.0))
@example((0.0, 0.0, 1.0, 0.0), (3.0, 0.0, 4.0, 0.0))
@example((0.0, 0.0, 1.0, 0.0), (0.5, 0.25, 0.5, 2.0))
def test_the_distance_and_its_spots(a, b):
    lines = [shapely.LineString([s[:2], s[2:]]) for s in (a, b)]
    want = lines[0].distance(lines[1])
    found, spots = told(a, b)
    assert np.sqrt(found) == pytest.approx(want, abs=1e-7)
    here, there = shapely.Point(spots[:2]), shapely.Point(spots[2:])
    assert here.distance(lines[0]) < 1e-7
    assert there.distance(lines[1]) < 1e-7
    assert here.distance(there) == pytest.approx(want, abs=1e-7)


@settings(deadline=None)
@given(segment, segment, st.floats(0.1, 4))
def test_only_what_is_nearer_counts(a, b, best):
    exact, _ = told(a, b)
    found, spots = told(a, b, best)
    assert found == min(exact, best)
    assert np.isnan(spots).all() == (exact >= best)


def test_crossing_means_inside_both_segments():
    cross = np.array([0.0, 0.0, 2.0, 2.0])
    assert _crosses(cross, np.array([0.0, 2.0, 2.0, 0.0]))
    assert not _crosses(cross, np.array([0.0, 2.0, 0.9, 1.1])), "ends before it"
    assert not _crosses(np.array([0.0, 0.0, 0.9, 0.9]), np.array([0.0, 2.0, 2.0, 0.0])), (
        "ends before it"
    )
    assert not _crosses(cross, np.array([1.0, 1.0, 2.0, 0.0])), "touches with its end"
    assert not _crosses(cross, cross), "lies on it"
