"""``untold-quilt copy-layout``: look-alikes get the layout of one of them."""

import json

import numpy as np
import pytest

from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.placement import identity
from tests.core.cli_samples import run
from tests.core.cli_unwrap_samples import obj_of
from tests.core.look_alikes_samples import lumpy, shuffled
from tests.core.unwrap_samples import cube

pytestmark = pytest.mark.slow


@pytest.fixture
def folder(tmp_path):
    first = lumpy(1)
    (tmp_path / "bare.obj").write_bytes(obj_of(first, "First"))
    (tmp_path / "copy.obj").write_bytes(obj_of(shuffled(first, 2, scale=1)[0], "Copy"))
    (tmp_path / "twin.obj").write_bytes(obj_of(shuffled(first, 3, mirror=True, scale=1)[0], "Twin"))
    (tmp_path / "crate.obj").write_bytes(obj_of(cube(), "Crate"))
    assert run_quietly("unwrap", tmp_path / "bare.obj", "--out", tmp_path / "first.obj") == 0
    return tmp_path


def run_quietly(*argv):
    from quilt_cli.main import main

    return main([str(a) for a in argv])


def copy(capsys, folder, *argv):
    names = ("first.obj", "copy.obj", "twin.obj", "crate.obj")
    capsys.readouterr()
    files = [folder / name for name in names]
    code, text, err = run(
        capsys, "copy-layout", *files, "--source", "First", "--out", folder / "out", "--json", *argv
    )
    return code, json.loads(text), err


def uv_of(folder, name):
    (obj,) = read_scene(name, (folder / "out" / name).read_bytes()).objects
    return obj


def test_look_alikes_are_found_and_stacked_on_the_first(folder, capsys):
    code, answer, _ = copy(capsys, folder, "--stack")
    assert code == 0
    rows = {row["object"]: row for row in answer["objects"]}
    assert {name: row["mirrored"] for name, row in rows.items()} == {"Copy": False, "Twin": True}
    first = uv_of(folder, "first.obj")
    want = sorted(map(tuple, np.round(first.mesh.channels[0].per_corner, 7).tolist()))
    for name in ("copy.obj", "twin.obj"):
        mesh = uv_of(folder, name).mesh
        assert sorted(map(tuple, np.round(mesh.channels[0].per_corner, 7).tolist())) == want
    for row in rows.values():
        assert row["misfit"] == pytest.approx(0, abs=1e-5)
        assert 1 <= row["stretch_l2"] < 1.05
    assert (folder / "out" / "crate.obj").read_bytes() == (folder / "crate.obj").read_bytes()


@pytest.mark.slow
def test_copies_lie_apart_without_stack(folder, capsys):
    copy(capsys, folder)
    objects = [uv_of(folder, name) for name in ("first.obj", "copy.obj", "twin.obj")]
    islands = concatenate([island_set(obj, 0, 1.0) for obj in objects])
    figures = measure(islands, identity(islands.count), 2048, 2048)
    assert not len(figures.overlaps.pairs) and not figures.outside.any()
    assert figures.density == pytest.approx(np.full(islands.count, figures.density_all), rel=1e-4)


def test_what_cannot_be_copied_says_why(folder, capsys):
    for argv, word in (
        (("--to", "Crate"), "another topology"),
        (("--to", "Buoy"), "names no object"),
    ):
        code, answer, err = copy(capsys, folder, *argv)
        assert code == 2
        assert word in err
        assert set(answer["error"]) == {"what", "where", "fix"}
    code, _, err = run(
        capsys,
        "copy-layout",
        folder / "crate.obj",
        "--source",
        "Crate",
        "--out",
        folder / "x",
        "--json",
    )
    assert code == 2
    assert "has no UVs" in err
