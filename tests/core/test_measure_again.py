"""Measuring again after an edit gives what measuring from nothing does, to the last bit."""

from dataclasses import fields, is_dataclass

import numpy as np
import pytest
import shapely

from quilt_core.measure import gap, measure_again, measure_layout
from quilt_core.scene.placement import compose, identity
from quilt_core.scene.tiles import TileSize
from tests.core.shapes import island_set_of, random_polygons

TILES = (TileSize(1001, 512, 256), TileSize(1002, 256, 256))
EDITS = 500


def same(one, other):
    """Whether two values are equal bit by bit, through dataclasses and arrays."""
    if is_dataclass(one):
        return all(same(getattr(one, f.name), getattr(other, f.name)) for f in fields(one))
    if isinstance(one, np.ndarray):
        return (
            one.dtype == other.dtype
            and one.shape == other.shape
            and one.tobytes() == other.tobytes()
        )
    if isinstance(one, tuple | list):
        return len(one) == len(other) and all(map(same, one, other))
    return np.float64(one).tobytes() == np.float64(other).tobytes()


def random_edit(rng, count, placements, stack):
    """Placements and stacks after one edit of a few islands."""
    some = rng.choice(count, rng.integers(1, 4), replace=False)
    kind = rng.choice(
        ["nudge", "turn", "size", "mirror", "far", "flat", "onto", "stack", "apart", "back"]
    )
    placements, stack = placements.copy(), stack.copy()
    if kind == "stack":
        stack[some] = some.min()
    elif kind == "apart":
        stack[some] = -1
    elif kind == "onto":
        placements[some] = placements[some[0]]
    elif kind == "back":
        placements[some] = identity(len(some))
    else:
        angle, size = rng.uniform(0, 2 * np.pi), rng.uniform(0.6, 1.5)
        linear, shift = {
            "nudge": (np.eye(2), rng.uniform(-0.05, 0.05, 2)),
            "turn": (
                np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]),
                rng.uniform(0, 0.5, 2),
            ),
            "size": (size * np.eye(2), np.zeros(2)),
            "mirror": (np.diag([-1.0, 1.0]), np.array([1.0, 0.0])),
            "far": (np.eye(2), rng.integers(-1, 3, 2).astype(float)),
            "flat": (np.diag([1.0, 0.0]), np.array([0.0, 0.3])),
        }[kind]
        move = np.column_stack([linear, shift])
        placements[some] = compose(np.repeat(move[None], len(some), axis=0), placements[some])
    return placements, stack


@pytest.mark.parametrize("spread", [0.02, 0.12])
@pytest.mark.slow
def test_random_edits(spread):
    rng = np.random.default_rng(7)
    islands = island_set_of(random_polygons(rng, 60, spread))
    placements, stack = identity(islands.count), np.full(islands.count, -1)
    measured = measure_layout(islands, placements, TILES, 6.0, stack)
    seen = {"overlaps": 0, "gap": 0, "far apart": 0}
    for edit in range(EDITS // 4):
        placements, stack = random_edit(rng, islands.count, placements, stack)
        measured = measure_again(measured, placements, stack)
        whole = measure_layout(islands, placements, TILES, 6.0, stack)
        assert same(measured.figures, whole.figures), edit
        seen["overlaps"] += len(whole.figures.overlaps.pairs) > 0
        seen["gap"] += len(whole.figures.close.pairs) > 0
    assert seen["overlaps"] > 25 and seen["gap"] > 25, "the edits do something"


def test_islands_far_apart_and_together_again():
    """The nearest pair is beyond what is kept of pairs, goes away, and comes back."""
    islands = island_set_of([shapely.box(x, 0.1, x + 0.02, 0.2) for x in (0.1, 0.4, 0.8)])
    tiles = (TileSize(1001, 1024, 1024),)
    measured = measure_layout(islands, identity(3), tiles, 2.0)
    assert measured.figures.gap.islands == (0, 1)
    gaps = []
    for shift in (0.0, -0.25, 0.3, -0.29, 0.0):
        placements = identity(3)
        placements[1, 0, 2] = shift
        measured = measure_again(measured, placements)
        whole = measure_layout(islands, placements, tiles, 2.0)
        assert same(measured.figures, whole.figures)
        gaps.append(measured.figures.gap.pixels)
    assert gaps[1] == pytest.approx(0.03 * 1024) and gaps[3] == 0.0


@pytest.mark.slow
@pytest.mark.parametrize("pairs", [10, 1000, gap.FEW_PAIRS])
def test_a_crowd_that_cannot_be_measured_in_part_is_measured_whole(pairs, monkeypatch):
    monkeypatch.setattr(gap, "FEW_PAIRS", pairs)
    monkeypatch.setattr(gap, "PAIRS_EACH", 1)
    islands = island_set_of([shapely.box(0.1, 0.1, 0.2, 0.2)] * 60)
    placements = identity(60)
    placements[30:, 0, 2] = 0.5
    measured = measure_layout(islands, placements, TILES[:1], 2.0)
    assert (measured.near[0].meets < 0) == (pairs < 60 * 59 / 2)
    placements = placements.copy()
    placements[3, 1, 2] = 0.5
    again = measure_again(measured, placements)
    assert same(again.figures, measure_layout(islands, placements, TILES[:1], 2.0).figures)


def test_only_what_an_edit_touches_is_compared():
    """Counted, not timed: rows that are looked at after one of 400 islands moved."""
    from quilt_core.measure import measured as module

    cells = [
        shapely.box(x / 20, y / 20, x / 20 + 0.04, y / 20 + 0.04)
        for x in range(20)
        for y in range(20)
    ]
    islands = island_set_of(cells)
    before = measure_layout(islands, identity(400), (TileSize(1001, 2048, 2048),), 8.0)
    placements = identity(400)
    placements[210, 0, 2] = 0.001
    looked = []
    mark = module.mark_near
    module.mark_near = lambda *given: (looked.append(found := mark(*given)), found)[1]
    try:
        again = measure_again(before, placements)
    finally:
        module.mark_near = mark
    assert again.figures.gap.pixels < before.figures.gap.pixels
    assert max(int(found.sum()) for found in looked) <= 9 * 4
