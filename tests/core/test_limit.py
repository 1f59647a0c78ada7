"""What sets the scale: sets for which that is known by construction."""

from dataclasses import replace

import numpy as np
import pytest
import shapely

from quilt_core.pack import PackSettings, explain, no_controls, pack_islands
from quilt_core.pack.limit import room_to_grow
from quilt_core.scene.flags import LOCK_PLACE, LOCK_ROTATION
from quilt_core.scene.placement import identity
from tests.core.shapes import island_set_of

pytestmark = pytest.mark.slow

SIZE = 512
SETTINGS = PackSettings(SIZE, SIZE, 2.0, 2.0, effort="quick")


def explained(polygons, settings=SETTINGS, controls=None, placements=None, **more):
    islands = island_set_of(polygons)
    controls = controls or no_controls(islands.count)
    *_, (_, found, _) = pack_islands(
        islands,
        identity(islands.count) if placements is None else placements,
        settings,
        controls=controls,
    )
    pixels = np.full((islands.count, 2), float(SIZE))
    names = tuple(f"piece {i}" for i in range(islands.count))
    return explain(islands, found, settings, controls, (), pixels, names, **more)


def fixes(limit):
    return {fix.kind: fix.factor for fix in limit.fixes}


STRIP = [shapely.box(0, 0, 1, 0.02), *(shapely.box(0, 0, 0.05, 0.05) for _ in range(12))]


def test_a_strip_as_long_as_the_sheet_sets_the_scale_and_the_fixes_are_geometry():
    limit = explained(STRIP)
    assert limit.kind == "longest island"
    assert limit.islands == (0,)
    assert "piece 0 spans the tile" in limit.text
    found = fixes(limit)
    # A strip of length 1 and width 0.02 fits a unit square's diagonal at (sqrt(2) - 0.02) = 1.39.
    assert 1.2 < found["free turns"] < 1.4
    # Cut in two the halves could be twice as long.
    assert 1.6 < found["cut"] <= 2.02
    # Twice as wide a sheet holds a strip of twice the length; another sheet of the same size does
    # not help.
    assert found["tile shape"] == pytest.approx(2.0, rel=0.05)
    assert "another tile" not in found
    assert [c.kind for c in limit.fixes] == ["cut", "free turns", "tile shape"], (
        "another tile comes last"
    )


def test_a_strip_whose_turn_is_locked_is_told_so():
    controls = no_controls(len(STRIP))
    controls.flags[0] = LOCK_ROTATION
    limit = explained(STRIP, replace(SETTINGS, rotate="free"), controls)
    assert limit.kind == "turns"
    assert fixes(limit)["unlock turns"] > 1.2


def test_padding_that_takes_half_the_sheet_is_what_binds():
    boxes = [shapely.box(0, 0, 0.1, 0.1)] * 64
    limit = explained(boxes, replace(SETTINGS, padding=24.0, margin=0.0))
    assert limit.kind == "padding"
    # Eight boxes and seven gaps fill 512 px: side 43 px; with half the gaps 53.5 px.
    assert fixes(limit)["padding"] == pytest.approx(53.5 / 43, rel=0.06)


def test_where_nothing_holds_it_back_it_is_the_shapes():
    rng = np.random.default_rng(3)
    boxes = [shapely.box(0, 0, *size) for size in rng.uniform(0.1, 0.3, (30, 2))]
    limit = explained(boxes, replace(SETTINGS, padding=0.5))
    assert limit.kind == "shapes"
    assert fixes(limit)["another tile"] == pytest.approx(np.sqrt(2), rel=0.1)


def test_without_fixes_it_takes_no_pack_and_at_a_fixed_size_nothing_binds():
    assert explained(STRIP, try_fixes=False).fixes == ()
    assert explained(STRIP, replace(SETTINGS, fixed_scale=True)) is None
    assert explained(STRIP, stop=lambda: True) is None


def test_the_room_of_a_bundle_is_that_of_the_whole():
    islands = island_set_of(
        [shapely.box(0, 0, 0.25, 0.1), shapely.box(0.25, 0, 0.5, 0.1), shapely.box(0, 0, 0.1, 0.1)]
    )
    free = np.ones(3, bool)
    settings = PackSettings(100, 100, 0.0, 0.0)
    pixels = np.full((3, 2), 100.0)
    room = room_to_grow(islands, identity(3), settings, free, pixels, np.array([7, 7, -1]))
    assert room.tolist() == pytest.approx([2, 2, 10])
    alone = room_to_grow(islands, identity(3), settings, free, pixels, np.full(3, -1))
    assert alone.tolist() == pytest.approx([4, 4, 10])


def test_places_that_are_locked_are_a_fix():
    boxes = [shapely.box(0.3, 0.3, 0.4, 0.4), *(shapely.box(0, 0, 0.3, 0.3) for _ in range(4))]
    controls = no_controls(len(boxes))
    controls.flags[0] = LOCK_PLACE
    limit = explained(boxes, controls=controls)
    assert limit.kind == "places"
    assert fixes(limit)["unlock places"] > 1.03
