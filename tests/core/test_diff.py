"""What differs between layouts: known moves come out again, and cases made by hand."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quilt_cli.main import main
from quilt_core.measure.compare import LaidMesh, compare_islands
from tests.core.cli_samples import run
from tests.core.painted import plain_device

PIXEL = np.array([[1024.0, 1024.0]])
SHAPE = np.array([[0.1, 0.1], [0.3, 0.12], [0.28, 0.3], [0.15, 0.25]])


def laid(*polygons, island=None):
    uv = np.concatenate(polygons)
    offsets = np.cumsum([0, *map(len, polygons)])
    island = np.arange(len(polygons)) if island is None else np.array(island)
    return LaidMesh(uv, island, offsets, np.repeat(PIXEL, island.max() + 1, axis=0))


@settings(max_examples=60)
@given(
    st.floats(-179, 179),
    st.floats(0.3, 3),
    st.booleans(),
    st.floats(-0.5, 0.5),
    st.floats(-0.5, 0.5),
)
def test_a_known_move_comes_out_again(degrees, size, flip, u, v):
    a = np.radians(degrees)
    turn = size * np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    if flip:
        turn = turn @ np.diag([-1.0, 1.0])
    now = (SHAPE - SHAPE.mean(axis=0)) @ turn.T + SHAPE.mean(axis=0) + [u, v]
    found = compare_islands(laid(SHAPE), laid(now), 0.01)
    if not found.changed:
        assert np.abs(now - SHAPE).max() * 1024 <= 0.01
        return
    (one,) = found.changed
    assert one.flipped == flip
    assert one.off == 0
    assert one.turned == pytest.approx(degrees if one.turned else 0, abs=1e-2)
    assert one.size == pytest.approx(size, abs=1e-4)
    assert one.moved == pytest.approx(1024 * np.hypot(u, v), abs=0.02)


def test_a_corner_that_was_moved_is_told_in_px():
    now = SHAPE.copy()
    now[2] += [4 / 1024, 0]
    (one,) = compare_islands(laid(SHAPE), laid(now), 0.05).changed
    assert 1 < one.off < 4


def test_islands_that_were_joined_and_cut():
    squares = [SHAPE, SHAPE + 0.4, SHAPE + 0.6]
    older, newer = laid(*squares, island=[0, 1, 1]), laid(*squares, island=[0, 0, 1])
    found = compare_islands(older, newer, 0.05)
    assert [(one.island, one.was) for one in found.parted] == [(0, (0, 1)), (1, (1,))]
    assert (found.same, found.changed, found.gone) == (0, [], [])
    found = compare_islands(laid(*squares), laid(*squares, island=[0, -1, 1]), 0.05)
    assert (found.gone, found.same) == ([1], 2)


BOARDS = """o board
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0.1 0.1
vt 0.2 0.1
vt 0.2 0.2
vt 0.1 0.2
f 1/1 2/2 3/3 4/4
o slat
v 2 0 0
v 4 0 0
v 4 1 0
v 2 1 0
vt 0.5 0.5
vt 0.7 0.5
vt 0.7 0.6
vt 0.5 0.6
f 5/5 6/6 7/7 8/8
"""


@pytest.fixture
def boards(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "a.obj").write_text(BOARDS)
    return tmp_path


def differences(capsys, *words):
    code, out, _ = run(capsys, "diff", *words, "--json")
    return code, json.loads(out)


def test_the_same_layout_is_equal(boards, capsys):
    (boards / "b.obj").write_text("# another comment\n" + BOARDS)
    code, told = differences(capsys, "a.obj", "b.obj")
    assert (code, told["equal"]) == (0, True)
    assert {row["state"] for row in told["objects"]} == {"same"}
    assert run(capsys, "diff", "a.obj", "b.obj")[1].strip() == "nothing differs"


def test_a_smaller_board_is_told_with_its_density(boards, capsys):
    (boards / "b.obj").write_text(
        BOARDS.replace("vt 0.2 0.1", "vt 0.15 0.1")
        .replace("vt 0.2 0.2", "vt 0.15 0.15")
        .replace("vt 0.1 0.2", "vt 0.1 0.15")
    )
    code, told = differences(capsys, "a.obj", "b.obj", "--size", "1000")
    assert code == 1
    board, slat = told["objects"]
    assert (board["object"], board["state"], slat["state"]) == ("board", "changed", "same")
    (island,) = board["different"]
    # 0.1 tiles of 1000 px on a metre, then half of it; the middle goes 0.025 tiles along each axis.
    assert (board["density_before"], board["density"]) == (100, 50)
    assert island["size"] == 0.5
    assert island["moved_px"] == pytest.approx(25 * 2**0.5, abs=1e-3)
    assert "density 100 → 50 px/m" in board["changes"]


def test_objects_faces_and_vertices_that_differ(boards, capsys):
    new = BOARDS.replace("o slat", "o rail").replace("v 1 1 0", "v 1 1.5 0")
    (boards / "b.obj").write_text(new)
    code, told = differences(capsys, "b.obj", "--against", "a.obj")
    rows = {row["object"]: row for row in told["objects"]}
    assert code == 1
    assert (rows["rail"]["state"], rows["slat"]["state"]) == ("new", "gone")
    assert rows["board"]["changes"][0] == "vertices moved by up to 50.00% of its size"
    cut = BOARDS.replace("f 1/1 2/2 3/3 4/4", "f 1/1 2/2 3/3\nf 1/1 3/3 4/4")
    (boards / "c.obj").write_text(cut)
    told = differences(capsys, "a.obj", "c.obj")[1]
    assert told["objects"][0]["changes"] == ["1 → 2 faces"]


def test_another_texture_is_told_by_role(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    for name, seed in (("a", 1), ("b", 1), ("c", 2)):
        (tmp_path / f"{name}.glb").write_bytes(
            plain_device(seed, 64, 4).replace(f"Device {seed}".encode(), b"Device 1")
        )
    assert differences(capsys, "a.glb", "b.glb")[0] == 0
    code, told = differences(capsys, "a.glb", "c.glb")
    assert code == 1
    roles = [text for row in told["objects"] for text in row["textures"]]
    assert any(text.startswith("baseColor of") for text in roles)


def test_steps_of_a_project_and_two_projects(boards, capsys):
    assert main(["gather", "a.obj", "--out", "one.quilt", "--size", "512"]) == 0
    assert main(["pack", "one.quilt", "--effort", "quick", "--padding", "4", "--out", "two.quilt"]) == 0  # fmt: skip
    capsys.readouterr()
    for words in (["two.quilt"], ["two.quilt", "--step", "1"], ["one.quilt", "two.quilt"]):
        code, told = differences(capsys, *words)
        assert code == 1, words
        assert {row["state"] for row in told["objects"]} == {"changed"}
        assert any("padding" in text for text in told["settings"])
    assert differences(capsys, "two.quilt", "--step", "2")[0] == 0
    code, _out, err = run(capsys, "diff", "two.quilt", "--step", "7")
    assert code == 2 and "There is no step 7" in err
    code, told = differences(capsys, "one.quilt")  # the step before it was empty
    assert code == 1 and {row["state"] for row in told["objects"]} == {"new"}


def test_a_page_shows_both_layouts(boards, capsys):
    (boards / "b.obj").write_text(BOARDS.replace("vt 0.5 0.5", "vt 0.45 0.5"))
    assert run(capsys, "diff", "a.obj", "b.obj", "--report", "diff.html")[0] == 1
    page = (boards / "diff.html").read_text()
    assert page.count("<svg") == 1 and "stroke-dasharray" in page
    assert "1 island of another shape" in page
    assert "<script" not in page and "http" not in page.replace("http://www.w3.org", "")


def test_one_file_has_nothing_to_be_compared_with(boards, capsys):
    code, _, err = run(capsys, "diff", "a.obj")
    assert code == 2 and "nothing to compare" in err
