"""Packing into a region that was drawn, against Shapely."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from quilt_core.errors import LayoutError
from quilt_core.pack.controls import Controls, no_controls
from quilt_core.pack.settings import PackSettings
from quilt_core.place import fit
from quilt_core.place.fit import fit_here
from quilt_core.scene.flags import LOCK_PLACE
from quilt_core.scene.placement import determinants, identity
from quilt_core.scene.tiles import TileSize
from tests.core.examples import examples
from tests.core.fit_into_gaps_samples import laid
from tests.core.shapes import island_set_of

TILE = TileSize(1001, 1000, 1000)
PADDING, MARGIN = 8.0, 4.0


def fitted(polygons, region, chosen, tile=TILE, controls=None, **rules):
    islands = island_set_of(polygons)
    given = {"padding": PADDING, "margin": MARGIN, "effort": "quick", **rules}
    *_, last = fit_here(
        islands, identity(islands.count), tile, np.array(region, float), np.array(chosen),
        PackSettings(**given), controls or no_controls(islands.count),
        np.full((islands.count, 2), 1000.0),
    )  # fmt: skip
    return last


def squares(count, side=0.06):
    return [shapely.box(1.1 + 0.1 * k, 0.2, 1.1 + 0.1 * k + side, 0.2 + side) for k in range(count)]


def test_islands_come_into_a_rectangle_at_their_size():
    polygons = [shapely.box(0.1, 0.1, 0.3, 0.9), *squares(6)]
    _, out, placed = fitted(polygons, [(250, 200), (600, 800)], range(1, 7), fixed_scale=True)
    assert placed.tolist() == [False] + [True] * 6
    assert np.abs(determinants(out)) == pytest.approx(np.ones(7))
    shapes = laid(polygons, out)
    region = shapely.box(250, 200, 600, 800).buffer(1e-3)
    for k in range(1, 7):
        assert region.contains(shapes[k])
        rest = shapely.unary_union([s for i, s in enumerate(shapes) if i != k])
        assert shapes[k].distance(rest) >= PADDING - 1e-4


def test_what_does_not_fit_at_its_size_stays():
    polygons = squares(9)
    _, out, placed = fitted(polygons, [(100, 100), (240, 240)], range(9), fixed_scale=True)
    assert placed.sum() == 4
    assert (out[~placed] == identity(9)[~placed]).all()


@pytest.mark.parametrize("turn", [0.0, 0.3])
def test_an_island_goes_back_into_the_very_hole_that_it_left(turn):
    # Turned back into its box, the hole that is the padding larger on all sides has one place only.
    own = affinity.rotate(shapely.box(0.4, 0.45, 0.55, 0.6), turn, use_radians=True)
    around = shapely.box(0.3, 0.3, 0.7, 0.7).difference(
        own.buffer(PADDING / 1000, join_style="mitre")
    )
    away = affinity.translate(own, 1.2, 0.1)
    polygons = [around, away, *squares(1, 0.02)]
    _, out, placed = fitted(
        polygons, [(320, 320), (680, 680)], [1, 2], fixed_scale=True, rotate="half"
    )
    assert placed.tolist() == [False, True, False]
    assert (
        laid(polygons, out)[1].hausdorff_distance(affinity.scale(own, 1000, 1000, origin=(0, 0)))
        < 1e-4
    )
    assert (out[2] == identity(3)[2]).all()


def test_what_is_left_of_a_region_that_is_too_small_is_not_searched_for_holes(monkeypatch):
    def never(*_, **__):
        raise AssertionError("looked for a hole")

    monkeypatch.setattr(fit, "slip_in", never)
    polygons = squares(9)
    _, _, placed = fitted(polygons, [(100, 100), (240, 240)], range(9), fixed_scale=True)
    assert placed.sum() == 4


def test_without_a_fixed_size_they_are_made_as_large_as_the_region_allows():
    polygons = squares(4)
    _, out, placed = fitted(polygons, [(100, 100), (500, 500)], range(4))
    assert placed.all()
    # Two by two squares and one padding across 400 px.
    side = 1000 * 0.06 * np.sqrt(np.abs(determinants(out)))
    assert side == pytest.approx(np.full(4, (400 - PADDING) / 2), rel=0.02)


@settings(max_examples=examples(8))
@given(st.integers(0, 10_000))
def test_a_freehand_region_is_kept_to(seed):
    rng = np.random.default_rng(seed)
    angle = np.sort(rng.uniform(0, 2 * np.pi, 14))
    reach = rng.uniform(180, 420, 14)
    region = 500 + reach[:, None] * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    shape = shapely.Polygon(region).buffer(0)
    # Too small a region is an error of its own.
    if shape.buffer(-60).is_empty:
        return
    polygons = [shapely.box(0.45, 0.45, 0.52, 0.5), *squares(5, 0.03)]
    _, out, placed = fitted(polygons, region, range(1, 6), fixed_scale=True)
    shapes = laid(polygons, out)
    # Corners that point inward may be cut by what the padding rounds off.
    allowed = shape.buffer(PADDING).buffer(-PADDING + 2e-2)
    for k in np.flatnonzero(placed):
        assert allowed.contains(shapes[k])
        rest = shapely.unary_union([s for i, s in enumerate(shapes) if i != k])
        assert shapes[k].distance(rest) >= PADDING - 1e-4


def test_a_region_on_another_tile_of_another_size():
    polygons = squares(3)
    _, out, placed = fitted(
        polygons, [(0, 0), (400, 400)], range(3), tile=TileSize(1012, 2000, 500), fixed_scale=True
    )
    assert placed.all()
    for shape in laid(polygons, out, 1.0):
        low_x, low_y, high_x, high_y = shape.bounds
        assert low_x >= 1 + 4 / 2000 - 1e-9 and high_x <= 1 + 400 / 2000
        assert low_y >= 1 + 4 / 500 - 1e-9 and high_y <= 1 + 400 / 500
        assert (high_x - low_x) * 2000 == pytest.approx(60)
        assert (high_y - low_y) * 500 == pytest.approx(60)


def test_locked_islands_stay_though_they_are_chosen():
    polygons = [shapely.box(0.1, 0.1, 0.2, 0.2), *squares(2)]
    free = no_controls(3)
    flags = np.array([LOCK_PLACE, 0, 0], np.uint8)
    locks = Controls(flags, free.tile, free.bundle, free.stack, free.chosen)
    _, out, placed = fitted(
        polygons, [(50, 50), (400, 400)], range(3), controls=locks, fixed_scale=True
    )
    assert placed.tolist() == [False, True, True]
    assert (out[0] == identity(1)[0]).all()


@pytest.mark.parametrize(
    "region",
    [[(10, 10), (20, 400)], [(-500, 0), (-10, 900)], [(5, 5)], [(0, 0), (5, 0), (2, 1)], [(np.nan, 0), (900, 900)]],
)  # fmt: skip
def test_a_region_that_holds_nothing_is_an_error(region):
    with pytest.raises(LayoutError, match="region"):
        fitted(squares(1), region, [0])


def test_a_region_of_less_than_two_paddings_is_an_error_and_no_smaller_padding():
    with pytest.raises(LayoutError, match="81 x 81 px"):
        fitted(squares(1), [(100, 100), (170, 170)], [0], padding=40.0)
