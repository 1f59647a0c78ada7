"""Mating pieces in a layout: gaps are exact, tiles, turns, obstacles and sizes are kept."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from benchmarks.sets import jigsaw
from quilt_core.pack import PackSettings, TileSize
from quilt_core.pack.bounds import scale_bound
from quilt_core.pack.controls import no_controls
from quilt_core.pack.fitting import fit
from quilt_core.pack.mating import find_matings
from quilt_core.pack.placer import Placer
from quilt_core.pack.problem import Attempt, Obstacles
from quilt_core.pack.turns import Turns
from quilt_core.scene.flags import LOCK_SIZE
from tests.core.examples import examples
from tests.core.fitting_samples import problem_of

pytestmark = pytest.mark.slow


def beaten(problem, rules, share):
    """A layout, of which only the scale counts, at a share of the scale that the areas allow."""
    none = np.zeros(problem.count)
    scale = share * scale_bound(problem, rules)
    return Attempt(
        scale,
        Turns.plain(none),
        np.zeros((problem.count, 2)),
        none.astype(int),
        none > 0,
        0.0,
        0,
        0,
    )


def best_of(problem, rules, share=0.8):
    found = None
    for found in fit(
        problem,
        rules,
        lambda p: Placer(p, rules, 512),
        beaten(problem, rules, share),
        30,
        lambda: None,
    ):
        pass
    return found


def shapes_of(polygons, attempt):
    """The placed pieces in px of their tile."""
    out = []
    for polygon, matrix, shift in zip(
        polygons, attempt.turn.matrices(), attempt.shift, strict=True
    ):
        out.append(affinity.affine_transform(polygon, [*(attempt.scale * matrix).ravel(), *shift]))
    return out


def gaps_hold(shapes, tile, padding, margin, width, height):
    for i, shape in enumerate(shapes):
        low_x, low_y, high_x, high_y = shape.bounds
        assert min(low_x, low_y) >= margin
        assert high_x <= width - margin
        assert high_y <= height - margin
        for j in range(i):
            if tile[i] == tile[j]:
                assert shape.distance(shapes[j]) >= padding


@settings(max_examples=examples(10), deadline=None, derandomize=True)
@given(st.integers(3, 4), st.integers(0, 500), st.sampled_from([0.0, 1.0, 5.0, 16.0]))
def test_gaps_are_exact_whatever_the_padding(per_edge, seed, padding):
    pieces = jigsaw(per_edge, seed)
    rules = PackSettings(1000, 1000, padding, 3.0)
    found = best_of(problem_of(pieces, rules), rules, 0.7)
    assert found is not None
    shapes = shapes_of(pieces, found)
    gaps_hold(shapes, found.tile, padding, 3.0, 1000, 1000)
    # Padding costs about its own width along every cut, and a little more where cuts are slanted.
    loss = (per_edge - 1) * padding + 6.0
    assert sum(s.area for s in shapes) > (1000 - 2.2 * loss) ** 2


def test_the_whole_is_turned_where_only_that_fits():
    strip = [affinity.scale(p, 2.0, 1.0, origin=(0, 0)) for p in jigsaw(3, 4)]
    rules = PackSettings(500, 1000, 2.0, 2.0)
    problem = problem_of(strip, rules)
    found = best_of(problem, rules)
    assert found is not None
    assert set(np.round(np.degrees(found.turn.angle) / 90).astype(int) % 2) == {1}, (
        "all stand on their side"
    )
    gaps_hold(shapes_of(strip, found), found.tile, 2.0, 2.0, 500, 1000)


def test_two_jigsaws_fill_two_tiles():
    pieces = jigsaw(3, 8) + jigsaw(3, 9)
    tiles = (TileSize(1001, 600, 600), TileSize(1002, 600, 600))
    rules = PackSettings(padding=0.0, margin=0.0, tiles=tiles)
    problem = problem_of(pieces, rules)
    found = best_of(problem, rules)
    assert found is not None
    assert found.coverage > 0.99
    assert sorted(np.bincount(found.tile).tolist()) == [9, 9]
    assert len(set(found.tile[:9].tolist())) == 1, "each jigsaw lies in a tile of its own"
    gaps_hold(shapes_of(pieces, found), found.tile, 0.0, 0.0, 600, 600)


def test_what_lies_there_already_is_kept_clear():
    rules = PackSettings(1000, 1000, 4.0, 0.0)
    box = shapely.box(0, 0, 1000, 300)
    ring = np.array(box.exterior.coords)
    edges = np.concatenate([ring[:-1], ring[1:]], axis=1)
    obstacles = Obstacles(edges, np.array([0, len(edges)]), np.array([0]))
    pieces = jigsaw(3, 2)
    problem = problem_of(pieces, rules, obstacles=obstacles)
    found = best_of(problem, rules, 0.5)
    assert found is not None
    shapes = shapes_of(pieces, found)
    gaps_hold(shapes, found.tile, 4.0, 0.0, 1000, 1000)
    assert min(shape.distance(box) for shape in shapes) >= 4.0
    assert found.scale > 660, "the room above is 700 px high"


def test_pieces_that_keep_their_size_do_not_mate():
    controls = no_controls(9)
    controls.flags[:] = LOCK_SIZE
    assert find_matings(problem_of(jigsaw(3, 1), PackSettings(), controls)) == []


def test_pieces_sent_to_different_tiles_do_not_mate():
    tiles = (TileSize(1001, 600, 600), TileSize(1002, 600, 600))
    controls = no_controls(9)
    controls.tile[:4], controls.tile[4:] = 1001, 1002
    found = find_matings(problem_of(jigsaw(3, 1), PackSettings(tiles=tiles), controls))
    assert found
    assert all((m.a < 4) == (m.b < 4) for m in found)


def test_pieces_without_anything_in_common_are_left_alone():
    rules = PackSettings(800, 800, 4.0, 2.0)
    rng = np.random.default_rng(3)
    boxes = [shapely.box(0, 0, *rng.uniform(0.5, 2, 2)) for _ in range(8)]
    assert best_of(problem_of(boxes, rules), rules) is None


def test_a_layout_that_is_better_already_is_not_worsened():
    rules = PackSettings(800, 800, 4.0, 2.0)
    problem = problem_of(jigsaw(3, 6), rules)
    assert best_of(problem, rules, 0.999) is None


def test_a_caller_who_wants_to_stop_is_heard():
    class Stop(Exception):
        pass

    def check():
        raise Stop

    rules = PackSettings(800, 800, 4.0, 2.0)
    problem = problem_of(jigsaw(3, 6), rules)
    with pytest.raises(Stop):
        list(
            fit(
                problem,
                rules,
                lambda p: Placer(p, rules, 256),
                beaten(problem, rules, 0.8),
                5,
                check,
            )
        )
