"""The packer, judged on exact outlines by Shapely and by code that shares nothing with it."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from quilt_core.errors import LayoutError
from quilt_core.measure import measure
from quilt_core.operations.pack_settings import Pack
from quilt_core.options import options_of
from quilt_core.pack import PackSettings, pack_islands, turns_for
from quilt_core.scene.placement import identity
from tests.core.examples import examples
from tests.core.shapes import island_set_of, polygon_of, random_polygons

pytestmark = pytest.mark.slow


def pack(polygons, stop=lambda: False, placements=None, **options):
    islands = island_set_of(polygons)
    before = identity(islands.count) if placements is None else placements
    settings = PackSettings(**{"effort": "quick", "width": 512, "height": 512, **options})
    attempt, found, placed = list(pack_islands(islands, before, settings, stop))[-1]
    return islands, attempt, found, placed, settings


@settings(max_examples=examples(25))
@given(
    st.integers(0, 10**6), st.integers(1, 25), st.sampled_from([(64, 64), (512, 512), (2048, 256), (300, 1000), (16384, 16384)]),
    st.sampled_from([0.0, 1.0, 3.0, 8.0]), st.sampled_from(["none", "half", "quarter", "free"]),
)  # fmt: skip
def test_gap_and_margin_are_never_violated(seed, count, size, padding, rotate):
    polygons = random_polygons(np.random.default_rng(seed), count)
    margin = padding / 2
    islands, attempt, found, placed, s = pack(
        polygons,
        width=size[0],
        height=size[1],
        padding=padding,
        margin=margin,
        rotate=rotate,
        seconds=0.6,
    )
    assert attempt.done
    assert placed.all()
    figures = measure(islands, found, s.width, s.height, padding)
    assert len(figures.overlaps.pairs) == 0
    assert figures.gap.pixels >= padding
    assert figures.margin_px >= margin
    assert figures.outside.sum() == 0


def test_shapely_agrees_on_the_gap():
    islands, _, found, _, s = pack(
        random_polygons(np.random.default_rng(5), 20), width=1024, height=512, padding=6.0
    )
    placed = islands.placed(found)
    shapes = [polygon_of(placed, i, s.width, s.height) for i in range(islands.count)]
    tree = shapely.STRtree(shapes)
    gaps = [
        shapes[i].distance(shapes[j])
        for i, shape in enumerate(shapes)
        for j in tree.query(shape.buffer(40))
        if j != i
    ]
    assert min(gaps) == pytest.approx(
        measure(islands, found, s.width, s.height).gap.pixels, abs=1e-6
    )
    assert min(gaps) >= 6.0


def test_shapes_keep_their_proportions_on_a_tile_that_is_not_square():
    islands, attempt, found, _, _ = pack(
        [shapely.box(0, 0, 0.2, 0.1)], width=1024, height=256, rotate="none"
    )
    box = islands.placed(found).bounds()[0]
    assert (box[2] - box[0]) * 1024 == pytest.approx(2 * (box[3] - box[1]) * 256)
    assert attempt.coverage == pytest.approx(measure(islands, found, 1024, 256).coverage)


def test_sizes_relative_to_one_another_are_kept():
    polygons = random_polygons(np.random.default_rng(2), 12)
    islands, _, found, _, _ = pack(polygons)
    ratios = np.abs(islands.placed(found).uv_area) / islands.uv_area
    assert ratios == pytest.approx(np.full(12, ratios[0]))


def test_it_is_not_mirrored():
    _islands, _, found, _, _ = pack(random_polygons(np.random.default_rng(3), 10), rotate="free")
    assert (np.linalg.det(found[:, :, :2]) > 0).all()


@pytest.mark.parametrize(
    ("rotate", "allowed"), [("none", [0]), ("half", [0, 180]), ("quarter", [0, 90, 180, 270])]
)
def test_only_allowed_turns_are_used(rotate, allowed):
    _, attempt, _, _, _ = pack(random_polygons(np.random.default_rng(4), 15), rotate=rotate)
    turns = np.round(np.degrees(attempt.turn.angle)) % 360
    assert set(turns.tolist()) <= set(map(float, allowed))
    assert len(turns_for("free")) > 4


def test_same_input_settings_and_seed_give_the_same_layout_to_the_bit():
    polygons = random_polygons(np.random.default_rng(7), 14)
    first, second = pack(polygons, seed=3)[2], pack(polygons, seed=3)[2]
    assert np.array_equal(first, second)


def test_it_only_gets_better():
    islands = island_set_of(random_polygons(np.random.default_rng(8), 20))
    covers = [
        a.coverage
        for a, _, _ in pack_islands(islands, identity(20), PackSettings(512, 512, effort="quick"))
    ]
    assert all(b >= a - 1e-12 for a, b in zip(covers, covers[1:], strict=False))


def test_small_islands_lie_in_the_hole_of_a_ring():
    ring = (
        shapely.Point(0.5, 0.5).buffer(0.5, 32).difference(shapely.Point(0.5, 0.5).buffer(0.44, 32))
    )
    islands, attempt, found, _, _ = pack([ring, *[shapely.box(0, 0, 0.2, 0.2)] * 6], padding=4.0)
    placed = islands.placed(found)
    hull = polygon_of(placed, 0, 512, 512).convex_hull
    assert sum(hull.contains(polygon_of(placed, i, 512, 512)) for i in range(1, 7)) >= 4
    assert attempt.coverage > 0.25


def test_stopped_at_once_there_is_still_a_whole_layout():
    islands, attempt, found, placed, s = pack(
        random_polygons(np.random.default_rng(9), 30), stop=lambda: True
    )
    assert attempt.done
    assert placed.all()
    assert measure(islands, found, s.width, s.height).gap.pixels >= s.padding


def test_thousands_stopped_before_the_first_layout_end_at_once_with_none():
    islands = island_set_of([shapely.box(0, 0, 1, 1)] * 2100)
    assert (
        list(pack_islands(islands, identity(2100), PackSettings(512, 512), stop=lambda: True)) == []
    )


def test_at_a_fixed_size_what_does_not_fit_lies_beside_the_tile_whole():
    polygons = [shapely.box(0, 0, 0.4, 0.4)] * 9
    islands, attempt, found, placed, _ = pack(polygons, fixed_scale=True)
    assert attempt.scale == 1
    assert placed.sum() == 4
    boxes = islands.placed(found).bounds()
    assert (boxes[~placed, 2] < 0).all()
    assert np.abs(islands.placed(found).uv_area) == pytest.approx(np.full(9, 0.16))
    assert len(measure(islands, found, 512, 512).overlaps.pairs) == 0


def test_an_island_longer_than_the_tile_at_a_fixed_size_is_left_over():
    _, _, _, placed, _ = pack(
        [shapely.box(0, 0, 1.5, 0.1), shapely.box(0, 0, 0.3, 0.3)], fixed_scale=True
    )
    assert placed.tolist() == [False, True]


def test_islands_without_area_get_a_place_with_padding():
    line = shapely.box(0.5, 0.5, 0.7, 0.7)
    islands = island_set_of([shapely.box(0, 0, 0.4, 0.4), line, line])
    for name in ("triangles", "edges"):
        rows, owner = getattr(islands, name), getattr(islands, f"{name[:-1]}_island")
        rows[owner == 1, :, 1] = 0.6  # a line
        rows[owner == 2] = 0.6  # a point
    islands.uv_area[1:] = 0
    settings = PackSettings(256, 256, effort="quick", padding=8, margin=4)
    _, found, placed = list(pack_islands(islands, identity(3), settings))[-1]
    assert placed.all()
    shapes = [
        shapely.multilinestrings(islands.placed(found).edges[islands.edge_island == i] * 256)
        for i in range(3)
    ]
    for one, two in ((0, 1), (0, 2), (1, 2)):
        assert shapely.distance(shapes[one], shapes[two]) >= 8 - 1e-6


@pytest.mark.parametrize("size", [1e-9, 1e9])
def test_extreme_sizes_are_scaled_to_fit(size):
    _, attempt, _, placed, _ = pack(
        [shapely.box(0, 0, size, size), shapely.box(0, 0, 2 * size, size)], padding=2.0
    )
    assert placed.all()
    assert attempt.coverage > 0.5


@pytest.mark.parametrize(
    ("options", "said"),
    [({"width": 8}, "8 px"), ({"padding": 300.0}, "padding of 300"), ({"margin": -1.0}, "margin"), ({"rotate": "wild"}, "wild"), ({"seconds": 0.0}, "seconds")],
)  # fmt: skip
def test_settings_that_cannot_be_are_told(options, said):
    with pytest.raises(LayoutError, match=said):
        pack([shapely.box(0, 0, 1, 1)], **options)


def test_nothing_to_pack_is_told():
    with pytest.raises(LayoutError, match="no islands"):
        pack([])


@pytest.mark.parametrize(("count", "seed"), [(50, 50), (80, 1), (200, 200), (300, 300)])
def test_whatever_the_effort_no_border_of_the_sheet_stays_bare(count, seed):
    """No band over 2 % of the side on sets of fifty islands and more."""
    polygons = random_polygons(np.random.default_rng(seed), count)
    islands, _, found, _, s = pack(polygons, width=2048, height=2048, padding=8.0, margin=4.0)
    box = islands.placed(found).bounds()
    bare = max(box[:, 0].min(), box[:, 1].min(), 1 - box[:, 2].max(), 1 - box[:, 3].max())
    assert bare < 0.02
    assert measure(islands, found, s.width, s.height, s.padding).gap.pixels >= 8.0


def test_options_are_declared_once_with_their_bounds():
    by = {option.name: option for option in options_of(PackSettings)}
    assert by["padding"].kind == "number"
    assert (by["padding"].unit, by["padding"].low) == ("px", 0)
    assert (by["seed"].kind, by["mirror"].kind, by["rotate"].kind) == ("whole", "flag", "choice")
    assert {o.name for o in options_of(Pack)} - set(by) == {
        "block",
        "density",
        "more_tiles",
        "size",
        "tile",
        "islands",
    }
    for option in by.values():
        option.check(option.default)
        PackSettings(**{option.name: option.default})
        for value in ("wild",) if option.choices else (option.low, option.high):
            if value is not None and not option.choices:
                option.check(value)
        if option.choices:
            with pytest.raises(LayoutError, match="cannot be used"):
                PackSettings(**{option.name: "wild"})
        elif option.kind != "flag":
            for value in (option.low - 1, option.high * 1.01 + 1, float("nan")):
                with pytest.raises(LayoutError):
                    PackSettings(**{option.name: value})
