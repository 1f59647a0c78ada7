"""Masks and placement on the grid, against Shapely on cells and against trying every place."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from quilt_core.pack.mask_loops import (
    fill_inside,
    hit_grid,
    mark_edges,
    row_runs,
    stamp_grid,
    turned,
)
from quilt_core.pack.place_loops import empty_raster, load, lowest_place, stamp
from quilt_core.pack.variant_loops import largest_square, make_variants, spread
from tests.core.examples import examples
from tests.core.shapes import random_polygons

pytestmark = pytest.mark.slow


def edges_of(polygon: shapely.Polygon) -> np.ndarray:
    rows = []
    for ring in (polygon.exterior, *polygon.interiors):
        points = np.array(ring.coords)
        rows.append(np.concatenate([points[:-1], points[1:]], axis=1))
    return np.concatenate(rows)


def cells(shape: tuple[int, int], shift: int = 0) -> np.ndarray:
    y, x = np.mgrid[: shape[0], : shape[1]] - shift
    return shapely.box(x, y, x + 1, y + 1)


@settings(max_examples=examples(60))
@given(st.integers(0, 10**6), st.floats(0.0, 4.0), st.sampled_from([0.0, 0.5 * np.pi, 0.7]))
def test_hit_and_stamp_cells_are_those_that_shapely_names(seed, reach, angle):
    polygon = random_polygons(np.random.default_rng(seed), 1, 0.2)[0]
    local, _, _, width, height = turned(edges_of(polygon), angle, False, 60.0)
    hit = hit_grid(local, width, height, len(local))
    shape = shapely.affinity.rotate(polygon, angle, origin=(0, 0), use_radians=True)
    shape = shapely.affinity.scale(shape, 60, 60, origin=(0, 0))
    shape = shapely.affinity.translate(shape, -shape.bounds[0], -shape.bounds[1])
    away = shapely.distance(cells(hit.shape), shape)
    inner = shapely.area(shapely.intersection(cells(hit.shape), shape))
    assert (hit[inner > 1e-6] == 1).all(), "every cell that is covered is a hit"
    assert (hit[away > 1e-5] == 0).all(), "no cell that is away is a hit"
    grid, border = stamp_grid(local, hit, reach)
    away = shapely.distance(cells(grid.shape, border), shape)
    assert (grid[away < reach - 1e-6] == 1).all(), "every cell nearer than the padding is stamped"
    assert (grid[away > reach + 1e-5] == 0).all(), "no other one is"


def test_holes_stay_free():
    ring = shapely.box(0, 0, 12, 12).difference(shapely.box(4, 4, 8, 8))
    assert hit_grid(edges_of(ring), 12.0, 12.0, 8)[5, 5] == 0


@pytest.mark.parametrize("way", [1, -1])
def test_what_is_covered_twice_is_covered(way):
    """Two layers that overlap, as the winding number sees them, also when all is mirrored."""
    layers = [edges_of(shapely.box(0, 0, 8, 4))[:, ::1], edges_of(shapely.box(4, 0, 12, 4))]
    edges = np.concatenate(layers)
    if way < 0:
        edges = edges[:, [2, 3, 0, 1]]
    grid = np.zeros((4, 14), np.uint8)
    fill_inside(edges, grid, 0.0, 0.0)
    assert (grid == (np.arange(14) < 12)).all()


def test_marks_outside_the_grid_are_left_out():
    grid = np.zeros((4, 4), np.uint8)
    mark_edges(np.array([[-5.0, 1.5, 9.0, 1.5]]), 0.0, grid, 0.0, 0.0)
    assert grid.sum(axis=1).tolist() == [0, 4, 0, 0]


@settings(max_examples=examples(60))
@given(st.integers(0, 10**6))
def test_runs_say_what_the_grid_says(seed):
    grid = (np.random.default_rng(seed).random((5, 17)) < 0.5).astype(np.uint8)
    offsets, runs = row_runs(grid)
    again = np.zeros_like(grid)
    for row in range(5):
        for a, b in runs[offsets[row] : offsets[row + 1]]:
            again[row, a:b] = 1
    assert np.array_equal(again, grid)


@settings(max_examples=examples(80))
@given(st.integers(0, 10**6))
def test_the_lowest_place_is_the_first_of_all_places_that_are_free(seed):
    rng = np.random.default_rng(seed)
    columns = int(rng.choice([18, 64, 150]))  # one block of columns, just one, and several
    raster = empty_raster(14, columns, 4)
    load(np.zeros((14, columns), np.uint8), raster)
    taken = np.zeros((14, columns), np.uint8)
    for _ in range(columns // 6):
        block = (rng.random((4, 6)) < 0.6).astype(np.uint8)
        x, y = int(rng.integers(0, columns - 4)), int(rng.integers(0, 11))
        offsets, runs = row_runs(block)
        stamp(raster, x, y, offsets, runs, 1, 0, 14)
        for (r, c), on in np.ndenumerate(block):
            if on and 0 <= y + r - 1 < 14 and 0 <= x + c - 1 < columns:
                taken[y + r - 1, x + c - 1] = 1
    for row in range(14):
        begins = np.flatnonzero(np.diff(np.concatenate([[1], taken[row], [1]])) == -1)
        ends = np.flatnonzero(np.diff(np.concatenate([[1], taken[row], [1]])) == 1)
        longest = np.zeros(raster.gaps.shape[1], int)
        np.maximum.at(longest, begins // 64, ends - begins)
        assert raster.gaps[row].tolist() == longest.tolist()
        assert raster.room[row] == longest.max()
    piece = np.ones((3, 4), np.uint8)
    piece[1, 1:3] = rng.integers(0, 2, 2)
    offsets, runs = row_runs(piece)
    needs = np.array(
        [max((b - a for a, b in runs[offsets[r] : offsets[r + 1]]), default=0) for r in range(3)]
    )
    # Anywhere, or within some columns.
    first, end = (0, columns) if seed % 2 else np.sort(rng.integers(0, columns + 1, 2)).tolist()
    x, y = lowest_place(
        raster,
        4,
        3,
        offsets,
        runs,
        spread(3),
        needs,
        np.array(largest_square(piece)),
        first,
        end,
        0,
        14,
        1 << 30,
    )
    free = [
        (r, c)
        for r in range(12)
        for c in range(first, end - 3)
        if not (taken[r : r + 3, c : c + 4] & piece).any()
    ]
    assert (y, x) == (free[0] if free else (-1, -1))


@pytest.mark.parametrize("rows", [1, 2, 3, 7, 64, 100])
def test_rows_are_tested_each_once(rows):
    assert sorted(spread(rows).tolist()) == list(range(rows))


def test_variants_carry_all_that_placing_needs():
    edges = np.array([[0, 0, 2, 0], [2, 0, 2, 1], [2, 1, 0, 1], [0, 1, 0, 0]], float)
    angles = np.array([0, np.pi / 2])
    facts, hit_rows, hit_runs, hit_counts, _, _, _ = make_variants(
        edges,
        np.array([0, 4]),
        np.array([4]),
        angles,
        angles < 0,
        np.array([0, 2]),
        np.array([3.0]),
        1.0,
    )
    assert facts[:, 3:5].tolist() == [[6, 3], [3, 6]]
    assert facts[1, 1:3].tolist() == [-3, 0]
    assert hit_counts.tolist() == [3, 6]
    assert hit_runs[:3].tolist() == [[0, 6]] * 3
    assert hit_rows[:3, 2].tolist() == [6, 6, 6]


@settings(max_examples=examples(60))
@given(st.integers(0, 10**6))
def test_the_largest_square_is_the_largest(seed):
    grid = (np.random.default_rng(seed).random((7, 9)) < 0.75).astype(np.uint8)
    side, low = largest_square(grid)
    full = [
        k
        for k in range(8)
        if any(grid[y : y + k, x : x + k].all() for y in range(8 - k) for x in range(10 - k))
    ]
    assert side == max(full)
    assert side == 0 or any(grid[low : low + side, x : x + side].all() for x in range(10 - side))


def test_turns_that_give_the_same_mask_are_named_once():
    edges = np.array([[0, 0, 2, 0], [2, 0, 2, 1], [2, 1, 0, 1], [0, 1, 0, 0]], float)
    angles = np.arange(4) * np.pi / 2
    facts = make_variants(
        edges,
        np.array([0, 4]),
        np.array([4]),
        angles,
        angles < 0,
        np.array([0, 4]),
        np.array([3.0]),
        1.0,
    )[0]
    assert facts[:, 3].tolist() == [6, 3, 0, 0]
    assert facts[0, 7:9].tolist() == [3, 0]
