"""Stacks: found by shape, laid exactly, packed as one."""

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from quilt_core.errors import LayoutError
from quilt_core.pack import PackSettings, find_stacks, no_controls, pack_islands
from quilt_core.scene.placement import identity
from quilt_core.scene.tightest_turn import tightest_turn
from tests.core.cli_samples import run
from tests.core.examples import examples
from tests.core.shapes import island_set_of, polygon_of, random_polygons

pytestmark = pytest.mark.slow


def odd(seed):
    """A polygon without any symmetry."""
    rng = np.random.default_rng(seed)
    angles = np.sort(rng.uniform(0, 2 * np.pi, 9))
    radii = rng.uniform(0.3, 1, 9)
    shape = shapely.Polygon(np.stack([np.cos(angles) * radii, np.sin(angles) * radii], 1))
    return shape if shape.is_valid and shape.area > 0.2 else odd(seed + 1000)


@settings(max_examples=examples(40))
@given(st.integers(0, 10**4), st.floats(0, 360), st.floats(0.2, 3), st.booleans())
def test_a_copy_is_found_and_laid_exactly_on_the_first(seed, angle, size, mirrored):
    shape = odd(seed)
    copy = affinity.scale(shape, -1 if mirrored else 1, 1, origin=(0, 0))
    copy = affinity.translate(affinity.rotate(affinity.scale(copy, size, size), angle), 3, -2)
    islands = replace(island_set_of([shape, copy, odd(seed + 1)]), world_area=np.ones(3))
    found = [c for c in find_stacks(islands) if {0, 1} <= set(c.islands)]
    assert len(found) == 1
    laid = islands.select(np.array([False, True, False])).placed(found[0].onto[1:2])
    assert polygon_of(laid, 0, 1, 1).symmetric_difference(shape).area < 1e-6
    assert found[0].mirrored[1] == mirrored
    without = [c for c in find_stacks(islands, mirrored=False) if {0, 1} <= set(c.islands)]
    assert bool(without) != mirrored


def test_shapes_that_differ_by_more_than_the_tolerance_are_not_candidates():
    one = shapely.box(0, 0, 1, 0.5)
    near = shapely.Polygon([(0, 0), (1, 0), (1, 0.5), (0.02, 0.5)])
    islands = replace(island_set_of([one, near]), world_area=np.ones(2))
    assert find_stacks(islands) == []
    assert len(find_stacks(islands, tolerance=0.05)) == 1


def test_parts_of_different_size_in_space_are_not_candidates_unless_wanted():
    islands = replace(
        island_set_of([shapely.box(0, 0, 1, 0.5)] * 2), world_area=np.array([1.0, 2.0])
    )
    assert find_stacks(islands) == []
    assert len(find_stacks(islands, same_size=False)) == 1


def test_a_thousand_equal_islands_are_one_stack():
    islands = island_set_of([odd(3)] * 1000)
    (stack,) = find_stacks(islands)
    assert len(stack.islands) == 1000
    assert stack.deviation < 1e-6


def test_a_stack_is_packed_as_one_and_shares_its_texels():
    rng = np.random.default_rng(4)
    pair = [odd(8), affinity.rotate(affinity.scale(odd(8), -0.5, 0.5), 40)]
    islands = island_set_of([*random_polygons(rng, 8, 0.3), *pair])
    controls = no_controls(10)
    controls.stack[8:] = 0
    rules = PackSettings(512, 512, padding=4, margin=2, effort="quick")
    attempt, found, placed = list(pack_islands(islands, identity(10), rules, controls=controls))[-1]
    assert placed.all()
    shapes = [polygon_of(islands.placed(found), i, 512, 512) for i in range(10)]
    assert shapes[8].symmetric_difference(shapes[9]).area < 1e-3
    others = shapely.union_all(shapes[:8])
    assert min(others.distance(shapes[8]), others.distance(shapes[9])) >= 4
    area = sum(s.area for s in shapes[:9])
    assert attempt.coverage == pytest.approx(area / 512**2, rel=1e-4)


def test_a_stack_of_different_shapes_is_told():
    islands = island_set_of([odd(1), odd(2)])
    controls = no_controls(2)
    controls.stack[:] = 0
    with pytest.raises(LayoutError, match="different shapes"):
        list(pack_islands(islands, identity(2), PackSettings(effort="quick"), controls=controls))


@settings(max_examples=examples(40))
@given(st.integers(0, 10**4))
def test_the_tightest_box_is_the_minimum_rotated_rectangle_of_shapely(seed):
    shape = odd(seed)
    angle = tightest_turn(np.array(shape.exterior.coords))
    low_x, low_y, high_x, high_y = affinity.rotate(shape, angle, use_radians=True).bounds
    assert (high_x - low_x) * (high_y - low_y) == pytest.approx(
        shapely.minimum_rotated_rectangle(shape).area, rel=1e-9
    )
    assert abs(angle) <= np.pi / 4 + 1e-12


def test_copies_of_a_stack_stand_tiles_away_for_a_bake(tmp_path, capsys, monkeypatch):
    """Common practice: what shares texels is moved by whole tiles, so that it is not baked twice."""
    monkeypatch.chdir(tmp_path)
    square = "vt 0.1 0.1\nvt 0.2 0.1\nvt 0.2 0.2\nvt 0.1 0.2\n"
    text = ""
    for k in range(3):
        text += f"o tile_{k}\n" + "".join(
            f"v {x} {y} {k}\n" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))
        )
        text += square + "f " + " ".join(f"{4 * k + i}/{4 * k + i}" for i in (1, 2, 3, 4)) + "\n"
    (tmp_path / "tiles.obj").write_text(text)
    words = ["pack", "tiles.obj", "--effort", "quick", "--stack"]

    def placed(*more):
        assert run(capsys, *words, *more, "--force")[0] == 0
        rows = (tmp_path / "out/tiles.obj").read_text().splitlines()
        uv = [tuple(map(float, r.split()[1:])) for r in rows if r.startswith("vt ")]
        return np.array(uv).reshape(3, 4, 2)

    together = placed("--out", "out")
    assert np.ptp(together, axis=0).max() < 1e-6
    for tiles, step in ((("1001:512x512",), 1), (("1001:512x512", "1003:512x512"), 3)):
        apart = placed("--stacks-apart", "--out", "out", "--tiles", *tiles)
        same = placed("--out", "out", "--tiles", *tiles)
        assert np.allclose(
            apart - same, np.array([[0, 0], [step, 0], [step, 0]])[:, None], atol=1e-6
        )
