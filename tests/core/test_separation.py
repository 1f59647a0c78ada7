"""The separation's inner loops against plain arrays, and its outcome against the judge."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.sets import jigsaw
from quilt_core.measure import measure
from quilt_core.pack import PackSettings, no_controls, pack_islands
from quilt_core.pack._depth_loops import Deep, deep_runs, depths
from quilt_core.pack._separate_loops import (
    LIGHTEST,
    WALL,
    World,
    best_place,
    cost_at,
    pair_cells,
    reweigh,
    separate,
    wall_cells,
    weigh,
)
from quilt_core.pack.masks import make_masks
from quilt_core.pack.pieces import single_pieces
from quilt_core.pack.problem import no_obstacles
from quilt_core.scene.flags import LOCK_PLACE
from quilt_core.scene.placement import identity
from tests.core.examples import examples
from tests.core.shapes import island_set_of, random_polygons

pytestmark = pytest.mark.slow

ROWS, COLUMNS = 48, 60


def scene(seed, count=4, reach=1.3, blocked=True):
    """Masks of some pieces at random places, and the raster they lie on."""
    rng = np.random.default_rng(seed)
    islands = island_set_of(random_polygons(rng, count, 0.2))
    linear = np.broadcast_to(np.eye(2) * 12.0, (count, 2, 2))
    rules = PackSettings(64, 64, 0, 0)
    problem = single_pieces(
        islands, linear, no_controls(count), rules, no_obstacles(), [""] * count
    ).problem
    m = make_masks(problem, np.ones(count), reach)
    state = np.zeros((count, 3), np.int32)
    for p in range(count):
        choice = [v for v in range(m.variant_start[p], m.variant_start[p + 1]) if m.size[v, 0]]
        v = int(rng.choice(choice))
        state[p] = (
            rng.integers(0, COLUMNS - m.size[v, 0] + 1),
            rng.integers(0, ROWS - m.size[v, 1] + 1),
            v,
        )
    occupied = (rng.random((ROWS, COLUMNS)) < 0.03).astype(np.uint8) * blocked
    world = World(np.array([[0, ROWS, COLUMNS]], np.int32), np.full(count, -1), occupied, blocked)
    runs = deep_runs(
        m.stamp_at, m.stamp_offsets, m.stamp_run_at, m.stamp_runs, np.array([1, 3], np.int32)
    )
    deep = Deep(*runs, np.array([1, 2], np.int32))
    return m, state, world, deep, rng


def cells_of(m, v, kind):
    """A mask as a plain array."""
    at, offsets, run_at, runs = (
        getattr(m, f"{kind}_{name}") for name in ("at", "offsets", "run_at", "runs")
    )
    rows = at[v + 1] - at[v] - 1
    own = runs[run_at[v] : run_at[v + 1]]
    out = np.zeros((rows, max(int(own[:, 1].max()), 1)), np.uint8)
    for r in range(rows):
        for a, b in own[offsets[at[v] + r] : offsets[at[v] + r + 1]]:
            out[r, a:b] = 1
    return out


def on_raster(mask, x, y):
    """A mask on the raster; what lies beyond its edges is cut off."""
    big = np.zeros((3 * ROWS, 3 * COLUMNS), np.int64)
    big[ROWS + y : ROWS + y + mask.shape[0], COLUMNS + x : COLUMNS + x + mask.shape[1]] = mask
    return big[ROWS : 2 * ROWS, COLUMNS : 2 * COLUMNS]


def expected_weights(own, m, state, world, weights):
    """What every cell costs one piece: 1 for a kept-clear cell, 2 more for one three cells deep."""
    total = WALL * world.occupied.astype(np.int64)
    for j, (x, y, v) in enumerate(state):
        if j != own:
            mask = cells_of(m, v, "stamp")
            deep = depths(
                m.stamp_offsets[m.stamp_at[v] : m.stamp_at[v + 1]],
                m.stamp_runs[m.stamp_run_at[v] : m.stamp_run_at[v + 1]],
                *mask.shape,
            )
            cost = mask + 2 * (deep >= 3)
            total += weights[own, j] * on_raster(cost, x - m.border[v], y - m.border[v])
    return total


def hits(m, v):
    h = m.size[v, 1]
    offsets = m.hit_offsets[m.hit_at[v] : m.hit_at[v] + h + 1]
    return (
        h,
        offsets,
        m.hit_runs[m.hit_run_at[v] : m.hit_run_at[v + 1]],
        m.row_order[m.hit_at[v] : m.hit_at[v] + h],
    )


@settings(max_examples=examples(40))
@given(st.integers(0, 10**6))
def test_costs_are_sums_over_cells_and_the_cheapest_place_is_the_cheapest(seed):
    m, state, world, deep, rng = scene(seed)
    weights = rng.integers(LIGHTEST, 200, (4, 4)).astype(np.int32)
    table = np.zeros((ROWS, COLUMNS + 1), np.int32)
    weigh(0, (0, ROWS, 0, COLUMNS), state, weights, world, m, deep, table)
    plain = expected_weights(0, m, state, world, weights)
    assert np.array_equal(np.diff(table, axis=1), plain)
    v = state[0, 2]
    height, offsets, runs, order = hits(m, v)
    mask = cells_of(m, v, "hit")
    tall, wide = ROWS - mask.shape[0] + 1, COLUMNS - m.size[v, 0] + 1
    windows = np.lib.stride_tricks.sliding_window_view(plain, mask.shape)[:tall, :wide]
    costs = np.einsum("yxij,ij->yx", windows, mask)
    x, y = state[0, :2]
    assert cost_at(table, x, y, height, offsets, runs) == costs[y, x]
    room = (0, tall - 1, 0, wide - 1)
    start = int(rng.integers(0, tall))
    found, x, y = best_place(
        table,
        room,
        height,
        offsets,
        runs,
        order,
        1,
        start,
        np.float32(1e30),
        np.zeros(COLUMNS + 1, np.float32),
    )
    assert found == costs.min() == costs[y, x]
    none = best_place(
        table,
        room,
        height,
        offsets,
        runs,
        order,
        1,
        0,
        np.float32(costs.min()),
        np.zeros(COLUMNS + 1, np.float32),
    )
    assert none[1] == -1, "only places below the limit count"


@settings(max_examples=examples(60))
@given(st.integers(0, 10**6))
def test_colliding_cells_are_those_that_both_masks_have(seed):
    m, state, world, _, _ = scene(seed)
    for i in range(4):
        (xi, yi, vi) = state[i]
        hit = on_raster(cells_of(m, vi, "hit"), xi, yi)
        assert wall_cells(i, state, world, m) == (hit & world.occupied).sum()
        for j in range(4):
            if i != j:
                (xj, yj, vj) = state[j]
                clear = on_raster(cells_of(m, vj, "stamp"), xj - m.border[vj], yj - m.border[vj])
                assert pair_cells(i, j, state, m) == (hit & clear).sum()


def test_depth_is_the_way_to_the_nearest_free_cell():
    offsets, runs = np.arange(8, dtype=np.int32), np.array([[0, 9]] * 7, np.int32)
    found = depths(offsets, runs, 7, 9)
    y, x = np.mgrid[:7, :9]
    assert np.array_equal(found, np.minimum.reduce([y, x, 6 - y, 8 - x]) + 1)


def test_pairs_that_collide_get_heavier_and_the_others_lighter():
    cells = np.array([[0, 9, 0, 0], [9, 0, 1, 0], [0, 1, 0, 0]], np.int32)
    weights = np.full((3, 3), 100, np.int32)
    reweigh(cells, weights)
    assert weights[0, 1] > weights[1, 2] > 100 > weights[0, 2]
    for _ in range(200):
        reweigh(cells, weights)
    assert weights.min() == LIGHTEST
    assert weights.max() == 8000


@pytest.mark.parametrize("reach", [0, 6])
def test_collisions_are_pushed_out_and_walls_respected(reach):
    m, state, world, deep, _ = scene(11, count=5)
    state[:, :2] = (20, 15)
    best, weights, cells = (
        state.copy(),
        np.full((5, 5), LIGHTEST, np.int32),
        np.full((5, 6), -1, np.int32),
    )
    facts = np.array([-1, 0])
    table, costs = np.zeros((ROWS, COLUMNS + 1), np.int32), np.zeros(COLUMNS + 1, np.float32)
    left = separate(
        state, best, weights, cells, facts, 3000, 1, reach, world, m, deep, table, costs
    )
    assert left == 0
    assert sum(pair_cells(i, j, best, m) for i in range(5) for j in range(i)) == 0
    assert sum(wall_cells(i, best, world, m) for i in range(5)) == 0


def test_a_jigsaw_gains_and_keeps_the_gap():
    islands = island_set_of(jigsaw(4))
    first = last = 0.0
    for attempt, found, _ in pack_islands(
        islands, identity(16), PackSettings(1024, 1024, 4, 2, effort="standard", seconds=12)
    ):
        first, last = first or attempt.coverage, attempt.coverage
    figures = measure(islands, found, 1024, 1024, 4)
    assert figures.gap.pixels >= 4
    assert figures.margin_px >= 2
    assert last > 1.02 * first


def test_it_works_around_what_stays():
    islands = island_set_of(jigsaw(3))
    rules = PackSettings(512, 512, 4, 2, effort="standard", seconds=6)
    before = identity(9)
    before[:, :, :2] *= 0.4
    before[:, :, 2] = 0.3
    controls = no_controls(9)
    controls.flags[4] = LOCK_PLACE
    _, found, placed = list(pack_islands(islands, before, rules, controls=controls))[-1]
    assert placed.all()
    assert np.array_equal(found[4], before[4])
    assert measure(islands, found, 512, 512, 4).gap.pixels >= 4
