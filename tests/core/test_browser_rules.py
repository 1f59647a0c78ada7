"""The house band and the home of an island are ruled here; the browser, which previews them, is
tested with the same cases."""

import json
from pathlib import Path

import numpy as np
import pytest

from quilt_core.measure.density import house_band
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
