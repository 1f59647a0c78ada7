"""Files whose textures are painted for other UVs than those that are written say so."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from quilt_cli.main import main
from quilt_core.document.state import spans
from quilt_core.formats.file_materials import facts_of
from quilt_core.operations.files import LayoutSettings, file_document
from quilt_core.operations.operation import Progress
from quilt_core.operations.painted import in_words, painted_elsewhere
from tests.core.painted import plain_device

SAID = "painted for the UVs as they were"


@pytest.fixture
def document(tmp_path):
    (tmp_path / "one.glb").write_bytes(plain_device(1, 64, 3))
    return file_document([tmp_path / "one.glb"], LayoutSettings(), None, Progress())


def elsewhere(document, layout=None):
    layout = layout or document.layout
    return painted_elsewhere(
        layout,
        lambda key: facts_of(document.sources[key].scene(), document.sources[key].siblings()),
    )


def moved(document, u, turn=1.0):
    layout = document.layout
    placements = layout.placements.copy()
    first = slice(*spans(layout.state.members)[0])
    placements[first, 0, 2] += u
    placements[first, :, :2] *= turn
    assert not np.array_equal(placements, layout.placements)
    islands = layout.state.islands.copy()
    islands["placement"] = placements
    return elsewhere(document, replace(layout, state=replace(layout.state, islands=islands)))


def test_textures_fit_where_nothing_moved_or_by_whole_tiles_of_one_that_repeats(document):
    assert elsewhere(document) == []
    assert moved(document, 1.0) == []


def test_textures_do_not_fit_where_islands_moved_by_a_part_of_a_tile_or_grew(document):
    name = document.layout.members[0].name
    assert moved(document, 0.25) == [name]
    assert moved(document, -0.25, 0.5) == [name]


@pytest.mark.slow
def test_pack_of_a_painted_file_says_so_unless_it_is_meant(tmp_path, capsys):
    (tmp_path / "one.glb").write_bytes(plain_device(1, 64, 3))
    args = ["pack", str(tmp_path / "one.glb"), "--size", "256", "--effort", "quick", "--json"]
    assert main([*args, "--out", str(tmp_path / "a")]) == 0
    assert SAID in json.dumps(json.loads(capsys.readouterr().out))
    assert main([*args, "--out", str(tmp_path / "b"), "--layout-only"]) == 0
    assert SAID not in capsys.readouterr().out


def test_it_is_said_of_a_few_by_name_and_of_the_rest_by_number():
    assert in_words(["a"]).startswith("a is painted")
    assert in_words(list("abcdefg")).startswith("a, b, c, d and 3 more are painted")
