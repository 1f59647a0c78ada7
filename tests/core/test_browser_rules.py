"""The house band and the home of an island are ruled here; the browser, which previews them, is
tested with the same cases."""

import json
from pathlib import Path

import numpy as np
import pytest
import shapely

from quilt_core.measure.density import house_band
from quilt_core.measure.gap_loops import distance2
from quilt_core.scene.flags import for_the_browser
from quilt_core.scene.tiles import TileSize, tiles_of_boxes

CASES = json.loads(
    (Path(__file__).resolve().parents[2] / "web/src/editor/rules.cases.json").read_text()
)


def test_the_house_band():
    assert len(CASES["bands"]) > 10
    for case in CASES["bands"]:
        assert list(house_band(case["house"], case["tolerance"])) == pytest.approx(
            case["band"], rel=1e-15
        )


def test_the_home_of_an_island():
    tiles = [TileSize(*row) for row in CASES["tiles"]]
    homes = tiles_of_boxes(np.array([case["box"] for case in CASES["homes"]], float), tiles)
    numbers = [tiles[k].number if k >= 0 else 0 for k in homes]
    assert numbers == [case["tile"] for case in CASES["homes"]]
    assert 0 in numbers
    assert len(set(numbers)) == 4


DISTANCES = json.loads(
    (
        Path(__file__).resolve().parents[2] / "web/src/editor/geometry/distance.cases.json"
    ).read_text()
)


@pytest.mark.parametrize("case", DISTANCES)
def test_how_far_apart_two_edges_are(case):
    """The browser tells distances while islands are dragged; the core's count."""
    one, two = (np.array(case[name], float) for name in "ab")
    found = np.sqrt(distance2(one, two, np.inf, np.zeros(4)))
    assert found == pytest.approx(case["distance"], abs=1e-12)
    lines = shapely.LineString(one.reshape(2, 2)), shapely.LineString(two.reshape(2, 2))
    assert found == pytest.approx(lines[0].distance(lines[1]), abs=1e-9)


def test_the_browser_has_the_bits_of_islands_as_they_are_here():
    kept = Path(__file__).resolve().parents[2] / "web/src/editor/flags.generated.ts"
    assert kept.read_text() == for_the_browser() + "\n"
