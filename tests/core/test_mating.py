"""Pieces cut from one sheet find one another again; the best layout of a jigsaw is known: no waste
at all.

Dighe and Jakiela 1996 measure packers with such jigsaws.
"""

from dataclasses import replace

import numpy as np
import pytest
import shapely
from shapely import affinity

from benchmarks.sets import jigsaw
from quilt_core.measure import measure_tiles
from quilt_core.pack import PackSettings, TileSize, pack_islands
from quilt_core.pack.assembly import assemble
from quilt_core.pack.controls import no_controls
from quilt_core.pack.mating import find_matings, outer_corners
from quilt_core.pack.pieces import single_pieces
from quilt_core.pack.problem import no_obstacles
from quilt_core.pack.turns import turn_matrices
from quilt_core.scene.flags import LOCK_ROTATION
from quilt_core.scene.placement import identity
from tests.core.shapes import island_set_of

pytestmark = pytest.mark.slow


def problem_of(polygons, rules=None, controls=None):
    islands = island_set_of(polygons)
    n = islands.count
    names = [str(i) for i in range(n)]
    linear = np.broadcast_to(np.eye(2), (n, 2, 2))
    rules = rules or PackSettings(1024, 1024)
    return single_pieces(
        islands, linear, controls or no_controls(n), rules, no_obstacles(), names
    ).problem


def laid(polygons, group):
    """The pieces of a group as they lie in its frame."""
    return [
        affinity.affine_transform(polygons[p], [*matrix.ravel(), *shift])
        for p, matrix, shift in zip(
            group.pieces, turn_matrices(group.turn), group.shift, strict=True
        )
    ]


def scattered(polygons, seed):
    """Pieces in any order, at any place, turned by quarters."""
    rng = np.random.default_rng(seed)
    return [
        affinity.translate(
            affinity.rotate(polygons[i], 90 * int(rng.integers(4))), *rng.uniform(-3, 3, 2)
        )
        for i in rng.permutation(len(polygons))
    ]


# Fixed jigsaws: now and then a cut is too straight to say anything, and its piece stays alone.
@pytest.mark.parametrize("per_edge", [3, 4, 5, 6])
@pytest.mark.parametrize("seed", [0, 1, 2, 7])
def test_a_jigsaw_is_put_together_again(per_edge, seed):
    pieces = scattered(jigsaw(per_edge, seed), seed)
    problem = problem_of(pieces)
    (group,) = assemble(problem, find_matings(problem))
    assert sorted(group.pieces.tolist()) == list(range(per_edge**2))
    whole = shapely.union_all(laid(pieces, group), grid_size=1e-7)
    low_x, low_y, high_x, high_y = whole.bounds
    assert (high_x - low_x, high_y - low_y) == pytest.approx((1, 1), abs=1e-4)
    assert whole.area == pytest.approx(1, abs=1e-3)
    assert len(group.turns) == 4, "the whole may be turned by quarters"


def test_corners_on_straight_sides_are_left_out():
    dense = shapely.box(0, 0, 4, 2).segmentize(0.3)
    ring = outer_corners(problem_of([dense]), 0)
    assert sorted(ring.tolist(), key=lambda z: (z.real, z.imag)) == [0, 2j, 4, 4 + 2j]


def test_a_hole_is_no_outer_ring_and_layers_are_none():
    frame = shapely.box(0, 0, 9, 9).difference(shapely.box(1, 1, 8, 8))
    assert np.abs(outer_corners(problem_of([frame]), 0)).max() == pytest.approx(np.hypot(9, 9))
    twice = problem_of([frame])
    layers = replace(
        twice,
        edges=np.repeat(twice.edges, 2, axis=0),
        starts=2 * twice.starts,
        solid=2 * twice.solid,
    )
    assert outer_corners(layers, 0) is None


def test_one_straight_side_alone_is_no_mating():
    assert find_matings(problem_of([shapely.box(0, 0, 3, 1), shapely.box(0, 0, 3, 2)])) == []


def test_locked_turns_are_kept():
    pieces = scattered(jigsaw(3, 5), 5)
    controls = no_controls(len(pieces))
    controls.flags[:] = LOCK_ROTATION
    problem = problem_of(pieces, controls=controls)
    for group in assemble(problem, find_matings(problem)):
        assert np.allclose(np.sin(group.turn / 2), 0), "no piece is turned"
        assert group.turns.angle.tolist() == [0.0]


def test_groups_stay_within_the_room():
    problem = problem_of(scattered(jigsaw(4, 2), 2))
    groups = assemble(problem, find_matings(problem), room=(0.6, 0.6))
    assert len(groups) > 1
    for group in groups:
        points = np.concatenate([
            problem.edges[problem.starts[p] : problem.starts[p + 1]].reshape(-1, 2) @ m.T + s
            for p, m, s in zip(group.pieces, turn_matrices(group.turn), group.shift, strict=True)
        ])  # fmt: skip
        assert np.ptp(points, axis=0).max() <= 0.6 + 1e-9


@pytest.mark.parametrize("padding", [0.0, 6.0])
def test_a_jigsaw_of_sixteen_fills_the_tile(padding):
    islands = island_set_of(scattered(jigsaw(4, 7), 7))
    rules = PackSettings(1024, 1024, padding, 0.0, effort="standard")
    for attempt, found, _ in pack_islands(islands, identity(islands.count), rules):
        if attempt.coverage > 0.93:
            break
    figures = measure_tiles(islands, found, [TileSize(1001, 1024, 1024)], padding)
    assert attempt.coverage > 0.93
    assert not len(figures.overlaps.pairs)
    assert figures.gap.pixels >= padding
