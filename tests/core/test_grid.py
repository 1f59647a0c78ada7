"""The grid that overlap, gaps and compaction look into: every pair that meets, once, whatever the
sizes."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numba import njit

from quilt_core.measure.grid import EVERYONE, make_grid, meeting, meetings, slot_shares
from tests.core.examples import examples

pytestmark = pytest.mark.slow


@njit
def pairs_of(grid, first, last, most=EVERYONE):
    out = []
    for i, j in meeting(grid, first, last, most):
        out.append((min(i, j), max(i, j)))
    return out


def brute(boxes):
    low, high = boxes[:, None], boxes[None]
    meet = (low[..., :2] <= high[..., 2:]).all(-1) & (high[..., :2] <= low[..., 2:]).all(-1)
    i, j = np.nonzero(np.triu(meet, 1))
    return sorted(zip(i.tolist(), j.tolist(), strict=True))


@settings(max_examples=examples(80))
@given(
    st.integers(0, 10_000), st.integers(2, 400), st.sampled_from([1e-6, 1.0, 1e6]), st.floats(0, 4)
)
def test_every_meeting_pair_is_given_once(seed, count, size, spread):
    rng = np.random.default_rng(seed)
    low = rng.uniform(-5, 5, (count, 2)) * size
    # Sizes over up to eight powers of ten beside one another.
    extent = (
        size * 10 ** rng.uniform(-spread, spread / 4, (count, 1)) * rng.uniform(0.1, 1, (count, 2))
    )
    boxes = np.concatenate([low, low + extent], axis=1)
    grid = make_grid(boxes)
    found = [pair for share in slot_shares(grid, 2) for pair in pairs_of(grid, *share)]
    assert sorted(found) == brute(boxes)


def test_touching_boxes_and_points_meet():
    boxes = np.array([[0.0, 0, 1, 1], [1, 0, 2, 1], [1, 1, 1, 1], [3, 3, 3, 3]])
    grid = make_grid(boxes)
    assert sorted(pairs_of(grid, 0, len(grid.offsets) - 1)) == [(0, 1), (0, 2), (1, 2)]


def test_a_crowd_is_counted_and_each_box_is_compared_with_a_few():
    boxes = np.tile([[0.0, 0, 1, 1]], (300, 1))
    grid = make_grid(boxes)
    every = 300 * 299 // 2
    assert every <= meetings(grid, 10 * every) <= 4 * every
    assert meetings(grid, 50) > 50
    few = pairs_of(grid, 0, len(grid.offsets) - 1, 7)
    assert len(set(few)) == len(few) < 8 * 300
    assert {i for pair in few for i in pair} == set(range(300)), "nobody is left out"


@pytest.mark.parametrize("count", [0, 1])
def test_nothing_meets_nothing(count):
    grid = make_grid(np.zeros((count, 4)))
    assert list(pairs_of(grid, 0, len(grid.offsets) - 1)) == []
