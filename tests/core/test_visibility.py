"""What is seen of islands: boxes, pits and inner walls whose answers are known; speed is measured by the benchmark."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from quilt_cli.main import main
from quilt_core.bake.visibility import Views, freed, measure_visibility, proposals, screen_px
from quilt_core.errors import LayoutError
from tests.core.high_poly import icosphere, pit, surface
from tests.core.visibility_samples import box


def islands(points, of):
    """A surface whose islands are told."""
    return replace(
        surface(points, np.repeat(surface(points).faces()[:, None], 3, 1)), island=np.asarray(of)
    )


@pytest.mark.slow
def test_a_box_is_seen_all_over_and_its_bottom_from_below_only():
    points, of = box()
    seen = measure_visibility(islands(points, of))
    np.testing.assert_array_equal(seen.share, 1.0)
    assert seen.above[0] == 0.0 and seen.above[1] == 1.0
    # Of all directions a wall sees a half; what it sees is at cosines that are 1/2 on average (Archimedes).
    np.testing.assert_allclose(seen.often, 0.5, atol=0.06)
    np.testing.assert_allclose(seen.facing, 0.5, atol=0.06)
    np.testing.assert_allclose(seen.area, 1.0)
    (found,) = proposals(seen)
    assert (found.island, found.weight, found.kind) == (0, 0.5, "below")
    # A quarter of one of six walls is left of it.
    assert freed(seen, [found]) == pytest.approx(0.75 / 6)
    assert proposals(seen, np.full(6, 0.5)) == ()


@pytest.mark.slow
def test_what_lies_within_is_never_seen_but_alone():
    outer, of_outer = box()
    inner, of_inner = box(0.5)
    points = np.concatenate([outer, inner])
    both = replace(
        islands(points, np.concatenate([of_outer, of_inner + 6])),
        obj=np.repeat([0, 1], 12),
        names=("outer", "inner"),
    )
    seen = measure_visibility(both)
    np.testing.assert_array_equal(seen.share[6:], 0.0)
    assert {p.island for p in proposals(seen) if p.kind == "never"} == set(range(6, 12))
    np.testing.assert_array_equal(measure_visibility(both, Views(alone=True)).share, 1.0)
    # Walls turned inward are seen where both sides count.
    turned, _ = box(inward=True)
    assert measure_visibility(islands(turned, of_outer)).share.max() == 0.0
    assert measure_visibility(islands(turned, of_outer), Views(both_sides=True)).share.min() == 1.0


@pytest.mark.slow
def test_from_above_and_from_cameras():
    points, of = box()
    above = measure_visibility(islands(points, of), Views("above"))
    assert above.share[0] == 0.0 and above.share[1:].min() == 1.0
    # A camera before one wall sees that wall alone, from two metres.
    front = measure_visibility(islands(points, of), Views("cameras", cameras=((0.0, 0.0, 2.5),)))
    np.testing.assert_array_equal(front.share, [0, 0, 0, 1, 0, 0])
    assert front.distance[3] == pytest.approx(2.03, abs=0.05)
    # 1,080 px over 50 degrees at two metres: 579 px per metre.
    density = np.full(6, 579.0)
    assert screen_px(front, density, 1.0)[3] == pytest.approx(1.0, abs=0.03)
    with pytest.raises(LayoutError, match="no camera"):
        Views("cameras")
    with pytest.raises(LayoutError, match="“below”"):
        Views("below")


@pytest.mark.slow
def test_the_floor_of_a_pit_is_seen_through_its_mouth():
    points = pit(1.0, 3.0)
    of = (points[..., 2].max(axis=1) > 0).astype(int)
    seen = measure_visibility(islands(points, of), Views(up=(0, 0, 1)))
    assert seen.share[0] > 0.9
    # From the floor's middle a cone of half the angle atan(1/3) is open: (1 - cos) / 2 of all directions.
    assert seen.often[0] == pytest.approx((1 - np.cos(np.arctan(1 / 3))) / 2, abs=0.015)


def test_islands_without_area_or_number_do_no_harm():
    ball = icosphere(2)
    of = np.where(np.arange(len(ball)) % 2, -1, 0)
    points = ball.copy()
    points[0] = points[0, 0]
    points[2, 0] = np.nan
    seen = measure_visibility(islands(points, of), total=500)
    assert seen.share[0] == pytest.approx(1.0, abs=0.05)
    with pytest.raises(LayoutError, match="no island"):
        measure_visibility(islands(points[:1], [0]))
    with pytest.raises(LayoutError, match="given up"):
        measure_visibility(islands(ball, 0 * of), tell=lambda done: False)


@pytest.mark.slow
def test_the_command_tells_what_is_never_seen(tmp_path, capsys):
    outer, inner = box()[0], box(0.5)[0]
    rows = np.concatenate([outer, inner]).reshape(-1, 3)
    text = "".join(f"v {x} {y} {z}\n" for x, y, z in rows) + "vt 0 0\nvt 1 0\nvt 0 1\n"
    for name, first in (("crate", 0), ("kernel", 36)):
        text += f"o {name}\n"
        text += "".join(
            "f " + " ".join(f"{first + 3 * k + c + 1}/{c + 1}" for c in range(3)) + "\n"
            for k in range(12)
        )
    path = tmp_path / "box.obj"
    path.write_text(text)
    assert main(["visibility", str(path), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    kernel = [row for row in answer["atlases"][0]["islands"] if row["object"] == "kernel"]
    assert kernel and all(row["share"] == 0 and row["weight"] == 0.1 for row in kernel)
    # Six walls of a quarter square metre at a tenth of the density, and the bottom at a half, of 7.5 m².
    assert answer["atlases"][0]["freed"] == pytest.approx((1.5 * 0.99 + 0.75) / 7.5, abs=1e-3)
    assert (
        main(["visibility", str(path), "--views", "cameras", "--cameras", "0,0,9", "--alone"]) == 0
    )
    assert "little visible" in capsys.readouterr().out
    assert main(["visibility", str(path), "--views", "cameras", "--cameras", "0,0"]) == 2


@pytest.mark.slow
def test_a_room_is_seen_from_within_by_those_who_stand_near():
    # A closed room of 4 m whose walls face inward: nobody outside sees them, whoever stands 1 to 2 m off does.
    room = islands(box(4.0, inward=True)[0], np.zeros(12, np.int64))
    assert measure_visibility(room).share[0] == pytest.approx(0.0, abs=0.02)
    near = measure_visibility(room, Views("band", near=1.0, far=2.0))
    assert near.share[0] == pytest.approx(1.0, abs=1e-3)
    assert 1.0 <= near.distance[0] <= 2.0
    # Whoever is 10 m away of a wall stands outside.
    assert measure_visibility(room, Views("band", near=10.0, far=12.0)).share[0] == 0.0
    # The same wall of an open box is seen from however far, and a texel takes fewer px the farther one stands.
    outside = islands(box(4.0)[0], np.zeros(12, np.int64))
    close, away = (measure_visibility(outside, Views("band", near=d, far=d)) for d in (5.0, 10.0))
    px = [screen_px(one, np.array([100.0]), 1.0)[0] for one in (close, away)]
    assert px[0] == pytest.approx(2 * px[1], rel=0.02)
    with pytest.raises(LayoutError):
        Views("band", near=3.0, far=2.0)
