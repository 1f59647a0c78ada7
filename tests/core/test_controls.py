"""Control over the packer: locks, tiles, bundles, stacks, frozen tiles, filling around."""

from dataclasses import replace

import numpy as np
import pytest
import shapely
from shapely import affinity

from quilt_core.errors import LayoutError
from quilt_core.measure import find_overlaps, measure, measure_tiles, smallest_gap
from quilt_core.pack import PackSettings, TileSize, home_tiles, no_controls, pack_islands
from quilt_core.scene.flags import LEAVE_OUT, LOCK_PLACE, LOCK_ROTATION, LOCK_SIZE, MAY_FLIP
from quilt_core.scene.placement import identity
from tests.core.shapes import island_set_of, random_polygons

pytestmark = pytest.mark.slow

TILES = (TileSize(1001, 512, 512), TileSize(1002, 256, 256), TileSize(1011, 512, 256))


def pack(islands, controls=None, placements=None, **options):
    frozen = options.pop("frozen", ())
    before = identity(islands.count) if placements is None else placements
    rules = {
        "effort": "quick",
        "width": 512,
        "height": 512,
        "padding": 4.0,
        "margin": 2.0,
        **options,
    }
    return list(
        pack_islands(islands, before, PackSettings(**rules), controls=controls, frozen=frozen)
    )[-1]


def gaps_hold(islands, found, tiles, padding, skip_stacks=None):
    """Every tile on its own: no overlap, gap and margin kept, nothing over an edge."""
    home = home_tiles(islands, found, tiles)
    placed = islands.placed(found)
    for k, tile in enumerate(tiles):
        inside = placed.select((home == k) if skip_stacks is None else (home == k) & ~skip_stacks)
        if inside.count:
            moved = replace(
                inside,
                triangles=inside.triangles - np.array(tile.corner),
                edges=inside.edges - np.array(tile.corner),
            )
            box = moved.bounds()
            assert box[:, :2].min() > 0
            assert box[:, 2:].max() < 1
            assert len(find_overlaps(moved, tile.width, tile.height).pairs) == 0
            assert smallest_gap(moved, tile.width, tile.height, padding).pixels >= padding


def some(count=14, seed=1):
    return island_set_of(random_polygons(np.random.default_rng(seed), count))


@pytest.mark.parametrize("order", ["in order", "spread"])
def test_tiles_of_different_resolution_are_filled_at_one_density(order):
    islands = some(30)
    attempt, found, placed = pack(islands, tiles=TILES, order=order)
    assert placed.all()
    home = home_tiles(islands, found, TILES)
    assert set(home) <= {0, 1, 2}
    gaps_hold(islands, found, TILES, 4.0)
    sizes = np.array([(t.width, t.height) for t in TILES])[home]
    pixels = np.abs(islands.placed(found).uv_area) * sizes.prod(axis=1)
    assert np.sqrt(pixels / islands.uv_area) == pytest.approx(
        np.sqrt(pixels[0] / islands.uv_area[0]) * np.ones(30)
    )
    assert attempt.coverage == pytest.approx(pixels.sum() / sum(t.width * t.height for t in TILES))


def test_spread_uses_all_tiles_and_in_order_fills_the_first_one_first():
    islands = island_set_of([shapely.box(0, 0, 0.1, 0.1)] * 12)
    tiles = (TileSize(1001, 512, 512), TileSize(1002, 512, 512))
    spread = home_tiles(
        islands, pack(islands, tiles=tiles, order="spread", fixed_scale=True)[1], tiles
    )
    filled = home_tiles(islands, pack(islands, tiles=tiles, fixed_scale=True)[1], tiles)
    assert np.bincount(spread).tolist() == [6, 6]
    assert np.bincount(filled).tolist() == [12]


def test_islands_go_to_the_tile_that_they_are_sent_to():
    islands = some()
    controls = no_controls(islands.count)
    controls.tile[:5] = 1011
    _, found, _ = pack(islands, controls, tiles=TILES)
    assert (home_tiles(islands, found, TILES)[:5] == 2).all()
    controls.tile[0] = 1099
    with pytest.raises(LayoutError, match="1099"):
        pack(islands, controls, tiles=TILES)


def test_a_locked_place_is_kept_to_the_bit_and_kept_clear():
    islands = some()
    _, before, _ = pack(islands)
    controls = no_controls(islands.count)
    controls.flags[[2, 7]] = LOCK_PLACE
    _, found, placed = pack(islands, controls, before, seed=5)
    assert placed.all()
    assert np.array_equal(found[[2, 7]], before[[2, 7]])
    gaps_hold(islands, found, (TileSize(1001, 512, 512),), 4.0)


def test_locked_islands_that_overlap_are_told():
    islands = some(3)
    controls = no_controls(3)
    controls.flags[:2] = LOCK_PLACE
    on_top = identity(3)
    box = islands.bounds()
    on_top[:, :, 2] = 0.3 - box[:, :2]
    with pytest.raises(LayoutError, match="lie on one another"):
        pack(islands, controls, on_top)


def test_more_locked_islands_than_space_is_told():
    islands = island_set_of([shapely.box(0.001, 0.001, 0.999, 0.999), shapely.box(0, 0, 0.2, 0.2)])
    controls = no_controls(2)
    controls.flags[0] = LOCK_PLACE
    with pytest.raises(LayoutError, match="unlock"):
        pack(islands, controls)
    with pytest.raises(LayoutError, match="Every island is locked"):
        pack(islands, replace(controls, flags=np.full(2, LOCK_PLACE, np.uint8)))


def test_locked_turn_and_size_are_kept():
    islands = some()
    controls = no_controls(islands.count)
    controls.flags[:4] = LOCK_ROTATION | LOCK_SIZE
    attempt, found, _ = pack(islands, controls, rotate="free")
    assert found[:4, :, :2] == pytest.approx(identity(4)[:, :, :2])
    factor = np.sqrt(np.abs(np.linalg.det(found[:, :, :2])))
    assert factor[4:] == pytest.approx(np.full(10, attempt.scale))
    gaps_hold(islands, found, (TileSize(1001, 512, 512),), 4.0)


def test_only_islands_that_may_be_mirrored_are():
    # Only its mirror image lets the second angle fill the tile with the first.
    angle = shapely.Polygon([(0, 0), (1, 0), (1, 0.25), (0.4, 0.25), (0.4, 0.5), (0, 0.5)])
    islands = island_set_of([angle, affinity.scale(angle, -1, 1)] * 4)
    controls = no_controls(8)
    controls.flags[::2] = MAY_FLIP
    _, found, _ = pack(islands, controls, width=512, height=512)
    assert (np.linalg.det(found[1::2, :, :2]) > 0).all()
    _, free, _ = pack(islands, mirror=True)
    assert np.isfinite(free).all()
    gaps_hold(islands, free, (TileSize(1001, 512, 512),), 4.0)


def test_left_out_islands_lie_on_the_side_table():
    islands = some()
    controls = no_controls(islands.count)
    controls.flags[3] = LEAVE_OUT
    _, found, placed = pack(islands, controls)
    assert placed.tolist() == [i != 3 for i in range(islands.count)]
    assert islands.placed(found).bounds()[3, 2] < 0


def test_filling_around_touches_nothing_else():
    islands = some(20)
    _, before, _ = pack(islands, width=512, height=512)
    small = before.copy()
    small[:, :, :2] *= 0.5
    small[:, :, 2] = before[:, :, 2] * 0.5 + 0.2
    controls = replace(no_controls(20), chosen=np.arange(20) < 6)
    _, found, placed = pack(islands, controls, small, fixed_scale=True)
    assert placed.all()
    assert np.array_equal(found[6:], small[6:])
    assert not np.array_equal(found[:6], small[:6])
    home = smallest_gap(islands.placed(found).select(np.arange(20) < 6), 512, 512, 4.0).pixels
    assert home >= 4.0
    assert len(find_overlaps(islands.placed(found), 512, 512).pairs) == 0


def test_a_frozen_tile_is_not_touched():
    islands = some()
    two = (TileSize(1001, 512, 512), TileSize(1002, 512, 512))
    _, before, _ = pack(islands, tiles=two, order="spread")
    lying = home_tiles(islands, before, two)
    _, found, placed = pack(islands, placements=before, tiles=two[1:], frozen=two[:1], seed=9)
    assert placed.all()
    assert np.array_equal(found[lying == 0], before[lying == 0])
    assert (home_tiles(islands, found, two) == lying).all()


def test_a_bundle_stays_together():
    islands = some(24)
    controls = no_controls(24)
    controls.bundle[[1, 5, 9, 13, 17]] = 3
    attempt, found, placed = pack(islands, controls)
    assert placed.all()
    gaps_hold(islands, found, (TileSize(1001, 512, 512),), 4.0)
    bundled = islands.placed(found).select(controls.bundle == 3)
    box = bundled.bounds()
    hull = shapely.union_all(shapely.box(*box.T)).convex_hull.area
    assert np.abs(bundled.uv_area).sum() / hull > 0.3
    assert attempt.done


def test_a_bundle_sent_to_two_tiles_is_told():
    islands = some(6)
    controls = no_controls(6)
    controls.bundle[:2] = 0
    controls.tile[:2] = (1001, 1002)
    with pytest.raises(LayoutError, match="different tiles"):
        pack(islands, controls, tiles=TILES)


def regions(islands, found):
    """Mean area of the boxes around each object's islands."""
    box = islands.placed(found).bounds()
    groups = [box[islands.object_index == o] for o in range(4)]
    return np.mean(
        [(b[:, 2].max() - b[:, 0].min()) * (b[:, 3].max() - b[:, 1].min()) for b in groups]
    )


def test_tidy_lays_the_islands_of_an_object_in_one_region():
    islands = replace(some(32, seed=6), object_index=np.arange(32) % 4, unflattened=(0,) * 4)
    tight, loose, tidy = (pack(islands, tidy=t) for t in (0.0, 0.5, 1.0))
    for _, found, placed in (loose, tidy):
        assert placed.all()
        gaps_hold(islands, found, (TileSize(1001, 512, 512),), 4.0)
    assert regions(islands, tidy[1]) < 0.6 * regions(islands, tight[1])
    assert tidy[0].coverage < tight[0].coverage
    assert tight[0].tidy_cost is None
    assert 0 <= loose[0].tidy_cost <= tidy[0].tidy_cost
    # Both packs were quick here, so what it costs is the difference itself.
    assert tidy[0].tidy_cost == pytest.approx(tight[0].coverage - tidy[0].coverage, abs=0.03)


def test_upright_makes_boxes_tight():
    turned = [
        affinity.rotate(shapely.box(0, 0, 0.3, 0.05 + 0.01 * k), 13.0 * k + 5) for k in range(8)
    ]
    islands = island_set_of(turned)
    plain, upright = pack(islands, rotate="quarter"), pack(islands, rotate="quarter", upright=True)
    assert upright[0].coverage > 1.3 * plain[0].coverage
    box = islands.placed(upright[1]).bounds()
    filled = np.abs(islands.placed(upright[1]).uv_area) / (box[:, 2:] - box[:, :2]).prod(axis=1)
    assert filled == pytest.approx(np.ones(8))


def test_a_fixed_density_flows_to_the_next_tile_and_names_what_is_left():
    islands = island_set_of([shapely.box(0, 0, 0.45, 0.45)] * 9 + [shapely.box(0, 0, 1.2, 0.1)])
    tiles = tuple(TileSize(1001 + k, 512, 512) for k in range(3))
    _, found, placed = pack(islands, tiles=tiles, fixed_scale=True)
    assert placed.tolist() == [True] * 9 + [False]
    assert np.bincount(home_tiles(islands, found, tiles)[:9]).tolist() == [4, 4, 1]
    gaps_hold(islands, found, tiles, 4.0)


def test_left_out_islands_that_are_not_to_be_packed_stay_too():
    islands = some(6)
    controls = replace(no_controls(6), chosen=np.arange(6) < 3)
    controls.flags[5] = LEAVE_OUT
    _, found, _ = pack(islands, controls, fixed_scale=True)
    assert np.array_equal(found[5], identity(6)[5])


def test_what_is_laid_aside_lies_clear_of_what_lies_there():
    islands = island_set_of([shapely.box(0, 0, 0.4, 0.4)] * 9)
    _, first, placed = pack(islands, fixed_scale=True)
    controls = replace(no_controls(9), chosen=placed)
    controls.flags[np.flatnonzero(placed)[0]] = LEAVE_OUT
    _, found, _ = pack(islands, controls, first, fixed_scale=True)
    assert np.array_equal(found[~placed], first[~placed])
    assert len(find_overlaps(islands.placed(found), 512, 512).pairs) == 0


def test_a_time_limit_holds_with_bundles():
    islands = some(40)
    controls = no_controls(40)
    controls.bundle[:8] = 0
    rules = PackSettings(512, 512, padding=4.0, margin=2.0, effort="thorough", seconds=1.5)
    told = list(pack_islands(islands, identity(40), rules, controls=controls))
    assert told[-1][0].done
    assert told[-1][2].all()
    # Thorough effort counts hundreds of steps for so many islands, the quick one before it a few;
    # no machine gets
    # half through the hundreds in time.
    assert all(a.step < a.steps / 2 for a, _, _ in told if a.steps > 100 and a.step < a.steps)


def test_each_tile_measures_as_it_would_alone():
    islands = some(20)
    _, found, _ = pack(islands, tiles=TILES, order="spread")
    whole = measure_tiles(islands, found, TILES, 4.0)
    home = home_tiles(islands, found, TILES)
    assert (whole.tile == home).all()
    gaps = []
    for k, tile in enumerate(TILES):
        own = islands.select(home == k)
        local = found[home == k].copy()
        local[:, :, 2] -= tile.corner
        alone = measure(own, local, tile.width, tile.height, 4.0)
        assert whole.tile_coverage[k] == pytest.approx(alone.coverage)
        assert whole.tile_density[k] == pytest.approx(alone.density_all)
        assert whole.density[home == k] == pytest.approx(alone.density)
        gaps.append(alone.gap.pixels)
    assert whole.gap.pixels == pytest.approx(min(gaps))


def test_a_layout_over_a_tile_s_edge_or_in_no_tile_is_outside():
    islands = island_set_of([shapely.box(0, 0, 0.2, 0.2)] * 4)
    places = identity(4)
    places[:, :, 2] = [(0.1, 0.1), (0.9, 0.1), (1.3, 0.1), (5.1, 0.1)]
    figures = measure_tiles(
        islands, places, (TileSize(1001, 512, 512), TileSize(1002, 256, 256)), 4.0
    )
    assert figures.outside.tolist() == [False, True, False, True]
    assert figures.tile.tolist() == [0, -1, 1, -1]
    assert figures.density.tolist() == pytest.approx([512, 256, 256, 512])
