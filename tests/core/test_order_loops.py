"""Places near others of a region, against plain arrays; and climbs of the order search."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quilt_core.pack import PackSettings, order_search, search
from quilt_core.pack._order_loops import ASPECTS, WIDENED, room_for
from quilt_core.pack.orders import first_orders
from quilt_core.pack.place_loops import empty_raster, load
from quilt_core.pack.placer import WIDENINGS, Placer
from quilt_core.pack.problem import example_problem
from tests.core.examples import LONG, examples

pytestmark = pytest.mark.slow


@settings(max_examples=examples(60))
@given(st.integers(0, 10**6))
def test_a_region_begins_in_the_lowest_free_box_of_some_proportions(seed):
    rng = np.random.default_rng(seed)
    taken = np.zeros((40, 48), np.uint8)
    for _ in range(int(rng.integers(0, 8))):
        x, y = int(rng.integers(0, 40)), int(rng.integers(0, 30))
        taken[y : y + rng.integers(1, 10), x : x + rng.integers(1, 12)] = 1
    raster = empty_raster(40, 48, 5)
    load(taken, raster)
    room, longest = float(rng.uniform(3, 14)), float(rng.uniform(1, 20))
    x_first, x_end, y_first, y_end = room_for(raster, np.array([0, 40, 48]), room, longest)
    tops = []
    for aspect in ASPECTS:
        edge = (
            max(room * aspect, longest)
            if aspect >= 1
            else room * room / max(room / aspect, longest)
        )
        width = max(1, min(48, int(edge)))
        height = max(1, int(room * room / width))
        free = [
            y + height
            for y in range(40 - height + 1)
            if any(not taken[y : y + height, x : x + width].any() for x in range(48 - width + 1))
        ]
        tops += free[:1]
    if x_first < 0:
        assert not tops
        return
    assert not taken[y_first:y_end, x_first:x_end].any()
    assert y_end == min(tops)


@settings(max_examples=examples(30))
@given(st.integers(0, 10**6))
def test_regions_that_are_never_taken_apart_stay_within_their_span(seed):
    rng = np.random.default_rng(seed)
    count, regions = int(rng.integers(8, 40)), int(rng.integers(2, 6))
    boxes = [tuple(map(float, rng.uniform(10, 60, 2))) for _ in range(count)]
    problem = replace(example_problem(boxes), region=rng.integers(0, regions, count))
    placer = Placer(problem, PackSettings(512, 512, 2.0, 1.0, tidy=1.0), 256)
    for order in first_orders(problem):
        found, _ = placer.place(order, 1.0, lambda: None)
        masks = placer.prepare(1.0, lambda: None)
        rules = placer._regions(masks, problem.areas / placer.grid.cell**2, (0, 1, 1))
        places = placer._places
        for r in np.flatnonzero(rules.whole):
            own = np.flatnonzero(found.placed & (problem.region == r))
            if not len(own):
                continue
            low = places[own, :2]
            high = low + masks.size[places[own, 2]]
            widest = max(rules.span[r] * WIDENED**WIDENINGS, rules.longest[r])
            assert np.ptp(np.concatenate([low, high]), axis=0).max() <= widest + 2


def found_by(count, monkeypatch, **rules):
    climbs = []
    climb = search._Search._climb

    def counted(self, order, scale, gain):
        climbs.append((order.tolist(), scale, gain))
        yield from climb(self, order, scale, gain)

    monkeypatch.setattr(search._Search, "_climb", counted)
    rng = np.random.default_rng(4)
    problem = example_problem([tuple(map(float, rng.uniform(20, 90, 2))) for _ in range(count)])
    told = list(search.search(problem, PackSettings(512, 512, 2.0, 1.0, **rules)))
    return told, climbs


def test_climbs_begin_at_the_plain_order_with_different_gains(monkeypatch):
    monkeypatch.setattr(order_search, "PATIENCE", 4)
    told, climbs = found_by(12, monkeypatch, effort="standard")
    assert len(climbs) > len(order_search.GAINS)
    assert len({tuple(order) for order, _, _ in climbs}) == 1
    assert len({scale for _, scale, _ in climbs}) == 1
    assert {gain for _, _, gain in climbs} == set(order_search.GAINS)
    scales = [attempt.scale for attempt in told]
    assert scales == sorted(scales), "the best of all climbs counts"
    assert scales[-1] >= climbs[0][1]


@pytest.mark.parametrize("effort", ["quick", "standard"] if LONG else ["quick"])
def test_the_same_seed_climbs_the_same_way(monkeypatch, effort):
    first, _ = found_by(15, monkeypatch, effort=effort)
    monkeypatch.undo()
    second, _ = found_by(15, monkeypatch, effort=effort)
    assert np.array_equal(first[-1].shift, second[-1].shift)
    assert first[-1].scale == second[-1].scale
