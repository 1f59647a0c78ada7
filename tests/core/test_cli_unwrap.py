"""``untold-quilt flatten``: what it takes, what it answers, what it writes."""

import json

import numpy as np
import pytest

from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.placement import identity
from tests.core.cli_samples import run
from tests.core.cli_unwrap_samples import obj_of
from tests.core.gltf_samples import validator_errors
from tests.core.meshes import QUAD_OBJ, json_of
from tests.core.unwrap_samples import sphere
from tests.studio.unwrap_samples import bare_glb, bare_obj, point_obj


@pytest.fixture
def folder(tmp_path):
    files = {"crate.obj": bare_obj(), "sign.obj": point_obj(), "float.glb": bare_glb()}
    files |= {"plates.obj": QUAD_OBJ, "buoy.obj": obj_of(sphere(8), "Buoy")}
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    return tmp_path


def flatten(capsys, folder, *argv):
    files = [
        folder / name for name in ("crate.obj", "sign.obj", "float.glb", "plates.obj", "buoy.obj")
    ]
    out = folder / "out"
    code, text, err = run(capsys, "unwrap", *files, "--out", out, "--json", "--size", 512, *argv)
    return code, json.loads(text), err, out


@pytest.mark.slow
def test_what_needs_it_is_flattened_at_one_density_and_the_rest_stays(folder, capsys):
    code, answer, _, out = flatten(capsys, folder)
    assert code == 0
    rows = {row["object"]: row for row in answer["objects"]}
    assert set(rows) == {"Crate", "Sign", "Float", "Buoy"}
    assert answer["left"] == ["Left plate", "Right plate"]
    assert (out / "plates.obj").read_bytes() == QUAD_OBJ
    for row in rows.values():
        assert set(row) == {
            "id", "object", "islands", "seam", "stretch_l2", "stretch_p95", "energy", "flipped",
            "symmetric", "self_overlap", "seconds", "was",
        }  # fmt: skip
        assert (row["flipped"], row["self_overlap"]) == (0, 0)
        assert 1 <= row["stretch_l2"] <= 1.05
    assert rows["Crate"]["seam"] == pytest.approx(7 / np.sqrt(6), abs=1e-4)
    scenes = [
        read_scene(n, (out / n).read_bytes())
        for n in ("crate.obj", "sign.obj", "float.glb", "buoy.obj")
    ]
    islands = concatenate([island_set(obj, 0, 1.0) for scene in scenes for obj in scene.objects])
    figures = measure(islands, identity(islands.count), 512, 512)
    assert figures.density == pytest.approx(np.full(islands.count, figures.density_all), rel=1e-3)
    assert not len(figures.overlaps.pairs) and not figures.outside.any()
    assert figures.gap.pixels >= 4 - 1e-2, "as is usual for a tile of 512 px"
    assert islands.unflattened == (0, 0, 0, 0)


@pytest.mark.slow
def test_new_vertices_of_a_glb_keep_to_the_format(folder, capsys):
    flatten(capsys, folder)
    doc = json_of((folder / "out" / "float.glb").read_bytes())
    (primitive,) = doc["meshes"][0]["primitives"]
    counts = {doc["accessors"][a]["count"] for a in primitive["attributes"].values()}
    assert len(counts) == 1
    # Four faces in one piece: six corners at the seams of a tetrahedron.
    assert counts == {6}
    assert validator_errors((folder / "out" / "float.glb").read_bytes(), folder) == []


@pytest.mark.slow
def test_objects_are_named_and_ways_of_cutting_differ(folder, capsys):
    _, answer, _, _ = flatten(
        capsys, folder, "--objects", "Cr*", "--seams", "angle", "--angle", "45"
    )
    assert [(row["object"], row["islands"]) for row in answer["objects"]] == [("Crate", 6)]
    _, answer, _, _ = flatten(capsys, folder, "--which", "all", "--objects", "*plate")
    assert {row["object"] for row in answer["objects"]} == {"Left plate", "Right plate"}
    _, answer, _, _ = flatten(capsys, folder, "--which", "missing")
    assert "Sign" in answer["left"]


@pytest.mark.slow
def test_what_cannot_be_done_says_why(folder, capsys):
    for argv, word in (
        (("--objects", "Anchor"), "names no object"),
        (("--objects", "Left plate"), "ask for all"),
        (("--stretch", "0.9"), "1.0005"),
        (("--channel", "3"), "channel"),
    ):
        code, answer, err, out = flatten(capsys, folder, *argv)
        assert code == 2
        assert word in err
        assert set(answer["error"]) == {"what", "where", "fix"}
        assert not out.exists()


@pytest.mark.slow
def test_at_hard_edges_a_drum_without_normals_has_a_side_and_two_caps(tmp_path, capsys):
    sides = 24
    turn = 2 * np.pi * np.arange(sides) / sides
    rows = [(np.cos(t), np.sin(t), z) for z in (0, 2) for t in turn]
    low, high = range(1, sides + 1), range(sides + 1, 2 * sides + 1)
    faces = [list(low)[::-1], list(high)]
    faces += [[k + 1, (k + 1) % sides + 1, (k + 1) % sides + 1 + sides, k + 1 + sides] for k in range(sides)]  # fmt: skip
    text = [f"v {x:.6f} {y:.6f} {z}" for x, y, z in rows]
    text += ["f " + " ".join(map(str, face)) for face in faces]
    (tmp_path / "drum.obj").write_text("\n".join(["o Drum", *text]))
    args = ["unwrap", str(tmp_path / "drum.obj"), "--which", "all", "--seams", "hard", "--json"]
    from quilt_cli.main import main

    for angle, islands in (("45", 3), ("10", 26)):
        more = ["--angle", angle, "--out", str(tmp_path / f"out{angle}.obj")]
        assert main([*args, *more]) == 0
        assert json.loads(capsys.readouterr().out)["objects"][0]["islands"] == islands
