"""The command line's contract: options, JSON, exit codes."""

import json
import subprocess
import sys

import pytest

from quilt_cli.main import main
from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.placement import identity
from tests.core.cli_samples import run
from tests.core.meshes import QUAD_OBJ, plain_glb

pytestmark = pytest.mark.slow


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "props.obj").write_bytes(QUAD_OBJ)
    (tmp_path / "plate.glb").write_bytes(plain_glb())
    return tmp_path


def test_inspect_tells_every_object(folder, capsys):
    code, out, err = run(
        capsys, "inspect", folder / "props.obj", folder / "plate.glb", "--size", "1024", "--json"
    )
    answer = json.loads(out)
    assert code == 0
    assert [o["object"] for o in answer["objects"]] == ["Plate", "Left plate", "Right plate"]
    assert answer["objects"][1]["density"] == {
        "min": 512.0,
        "mean": 512.0,
        "max": 512.0,
    }
    assert {o["overlapping"] for o in answer["objects"]} == {1}
    assert "reading" in err


def test_a_name_neither_moves_the_cursor_nor_turns_the_line_round(folder, capsys):
    text = (
        (folder / "props.obj").read_bytes().replace(b"o Left plate", "o \u202egpj\u200b".encode())
    )
    (folder / "odd.obj").write_bytes(text)
    _, out, _ = run(capsys, "inspect", folder / "odd.obj")
    assert "\\u202egpj\\u200b" in out and out.replace("\n", "").isprintable()
    _, out, _ = run(capsys, "inspect", folder / "odd.obj", "--json")
    assert "\u202egpj\u200b" in json.dumps(json.loads(out), ensure_ascii=False), (
        "JSON keeps it as it is"
    )


def test_pack_many_files_into_one_tile_and_check_them(folder, capsys):
    out_folder = folder / "out"
    code, out, _ = run(
        capsys,
        "pack",
        folder / "props.obj",
        folder / "plate.glb",
        "--out",
        out_folder,
        "--size",
        "512x256",
        "--padding",
        "4",
        "--margin",
        "2",
        "--effort",
        "quick",
        "--sheet",
        folder / "sheet.svg",
        "--json",
    )
    told = json.loads(out)
    assert code == 0
    assert set(told) >= {"atlases", "files", "ok", "notes", "without_uvs", "limits"}
    (answer,) = told["atlases"]
    assert answer["islands"] == 3
    assert answer["gap_px"] >= 4
    assert answer["margin_px"] >= 2
    assert (folder / "sheet.svg").read_text().count("<g ") == 3
    scenes = [
        read_scene(name, (out_folder / name).read_bytes()) for name in ("props.obj", "plate.glb")
    ]
    islands = concatenate([island_set(o, 0, 1.0) for s in scenes for o in s.objects])
    figures = measure(islands, identity(3), 512, 256)
    assert figures.gap.pixels >= 4 - 1e-4
    assert figures.coverage == pytest.approx(answer["coverage"], abs=1e-5)
    code, out, _ = run(
        capsys,
        "check",
        out_folder / "props.obj",
        out_folder / "plate.glb",
        "--size",
        "512x256",
        "--padding",
        "4",
        "--json",
    )
    assert code == 0
    assert json.loads(out)["ok"] is True


def test_check_finds_faults_and_exits_with_1(folder, capsys):
    code, out, _ = run(capsys, "check", folder / "props.obj", "--json")
    finding = json.loads(out)["atlases"][0]["findings"][0]
    assert code == 1
    assert finding["kind"] == "overlap"
    assert finding["object"] == "Left plate"
    assert finding["amount"] == pytest.approx(0.25 * 2048 * 2048)
    assert finding["unit"] == "texel"


def test_a_fixed_density_that_does_not_fit_names_what_is_left_over(folder, capsys):
    code, out, _ = run(
        capsys,
        "pack",
        folder / "props.obj",
        "--out",
        folder / "one.obj",
        "--size",
        "512",
        "--density",
        "400",
        "--effort",
        "quick",
        "--json",
    )
    (answer,) = json.loads(out)["atlases"]
    assert code == 1
    assert answer["density"] == pytest.approx(400)
    assert len(answer["left_over"]) == 1
    assert (folder / "one.obj").exists()


def test_density_keep_leaves_the_proportions(folder, capsys):
    code, out, _ = run(
        capsys,
        "pack",
        folder / "props.obj",
        "--out",
        folder / "k",
        "--density",
        "keep",
        "--effort",
        "quick",
        "--json",
    )
    assert code == 0
    assert json.loads(out)["atlases"][0]["coverage"] > 0.4


@pytest.mark.parametrize(
    "argv",
    [
        ["pack", "nowhere.obj", "--out", "x"],
        ["inspect", "nowhere.obj"],
        ["inspect"],
        ["pack", "a.obj"],
        ["inspect", "a.obj", "--size", "big"],
        ["inspect", "a.obj", "--unit", "0"],
        ["pack", "a.obj", "--out", "x", "--density", "-3"],
    ],
)
def test_bad_input_exits_with_2(argv, capsys):
    code, _, err = run(capsys, *argv)
    assert code == 2
    assert err


def test_bad_files_are_named_and_nothing_is_written(folder, capsys):
    (folder / "bad.obj").write_text("v 0 0 0\n")
    code, out, err = run(
        capsys, "pack", folder / "props.obj", folder / "bad.obj", "--out", folder / "o", "--json"
    )
    assert code == 2
    assert "bad.obj" in err
    assert json.loads(out)["error"]["what"]
    assert not (folder / "o").exists()


def test_objects_without_uvs_are_left_out_with_a_word(folder, capsys):
    (folder / "bare.obj").write_bytes(QUAD_OBJ.replace(b"f 5/1/1 6/2/1 7/3/1 8/4/1", b"f 5 6 7 8"))
    code, out, _ = run(
        capsys,
        "pack",
        folder / "bare.obj",
        "--out",
        folder / "o.obj",
        "--effort",
        "quick",
        "--json",
    )
    assert code == 0
    assert json.loads(out)["without_uvs"] == ["Right plate"]
    assert b"f 5 6 7 8" in (folder / "o.obj").read_bytes()


def test_an_unexpected_failure_has_its_own_code_and_is_told_as_json(tmp_path, capsys, monkeypatch):
    path = tmp_path / "a.obj"
    path.write_bytes(QUAD_OBJ)
    monkeypatch.setattr("quilt_core.measure.measure_tiles", lambda *a: 1 / 0)
    assert main(["inspect", str(path), "--json"]) == 3
    out = capsys.readouterr()
    assert json.loads(out.out)["error"]["fix"]
    assert "Traceback" not in out.err


def test_nobody_reading_is_no_traceback(tmp_path):
    path = tmp_path / "a.obj"
    path.write_bytes(QUAD_OBJ)
    command = f"{sys.executable} -m quilt_cli.main inspect {path} --json | head -c 1"
    said = subprocess.run(["bash", "-c", command], capture_output=True, text=True)
    assert "Traceback" not in said.stderr
    assert "BrokenPipe" not in said.stderr


def test_islands_that_are_points_in_uv_are_packed_without_growing(tmp_path, capsys):
    rows = []
    for k in range(12):
        rows += [f"v {3 * k + x} {y} 0" for x, y in ((0, 0), (1, 0), (0, 1))]
        rows += [f"vt {0.01 * k} 0.5"]
        rows += ["f " + " ".join(f"{3 * k + n}/{k + 1}" for n in (1, 2, 3))]
    (tmp_path / "points.obj").write_text("\n".join(rows))
    args = ("--out", tmp_path / "out", "--padding", "8", "--margin", "4", "--size", "2048")
    code, _, told = run(capsys, "pack", tmp_path / "points.obj", *args)
    assert code == 0, told
    assert (tmp_path / "out" / "points.obj").exists()
