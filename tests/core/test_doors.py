"""Doors made from the registry: what the command line takes, refuses, writes and keeps."""

from __future__ import annotations

import io
import json
import signal
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path

import pytest

from quilt_cli.main import main
from quilt_cli.reference import page
from quilt_core.errors import LayoutError
from quilt_core.operations import registry
from quilt_core.operations.operation import FileUse, Operation, figure
from quilt_core.options import option, options_of, plain_settings, settings_from
from tests.core.painted import plain_device
from tests.core.run_samples import quad

DOCS = Path(__file__).parents[2] / "docs"


def run(capsys, *words):
    code = main([str(word) for word in words])
    told = capsys.readouterr()
    return code, told.out, told.err


@pytest.fixture
def crate(tmp_path):
    """An OBJ with a material and a texture, below a folder of its own."""
    folder = tmp_path / "in"
    folder.mkdir()
    (folder / "crate.obj").write_text(quad(mtl="crate.mtl"))
    (folder / "crate.mtl").write_text("newmtl wood\nmap_Kd wood.png\n")
    (folder / "wood.png").write_bytes(b"\x89PNG made up")
    return folder / "crate.obj"


PACK = ("--size", "256", "--effort", "quick", "--json")


def test_the_page_about_the_command_line_is_the_registry():
    assert (DOCS / "command-line.md").read_text(encoding="utf-8") == page(), (
        "make it anew: python -m quilt_cli.reference > docs/command-line.md"
    )


@pytest.mark.parametrize("operation", registry.OPERATIONS.values(), ids=lambda one: one.name)
def test_an_operation_says_all_that_doors_need(operation):
    assert operation.help.endswith(".") and operation.example and callable(operation.run)
    assert callable(operation.tell)
    if operation.changes == "layout":
        assert callable(operation.find("what"))
    for one in options_of(operation.settings):
        assert one.help and one.form, one.name
        if one.kind in ("whole", "number"):
            assert one.low is not None and one.high is not None, one.name
        if not one.needed and not one.choices:
            assert one.value(one.plain(one.default)) == one.default, one.name


@dataclass(frozen=True)
class Count:
    """Settings of an operation that only this test knows."""

    least: int = option(0, "faces that an object has at least", low=0, high=1000)


@dataclass(frozen=True)
class Counted:
    """What it found."""

    objects: int = figure("how many there are")

    @property
    def ok(self) -> bool:
        return self.objects > 0


def count(document, settings, progress):
    found = [
        m for m in document.layout.members if len(m.base_layout().face_island) >= settings.least
    ]
    return Counted(len(found))


def tell_count(result):
    return [f"{result.objects} objects"]


@pytest.mark.slow
def test_a_new_operation_is_at_the_doors_at_once(crate, capsys, monkeypatch):
    own = Operation(
        name="count", help="Count objects.", home=__name__, settings_name="Count", result_name="Counted",
        runs="count", example="a.obj", files=FileUse(),
    )  # fmt: skip
    monkeypatch.setitem(registry.OPERATIONS, "count", own)
    code, out, _ = run(capsys, "count", crate, "--json")
    assert code == 0 and json.loads(out)["objects"] == 1
    assert run(capsys, "count", crate, "--least", "9")[0] == 1
    code, out, _ = run(capsys, "count", crate, "--least", "5000", "--json")
    assert code == 2 and "at most 1000" in json.loads(out)["error"]["fix"]
    assert "## count" in page() and "`--least N`" in page()
    sheet = crate.parent / "s.toml"
    sheet.write_text(
        'version = 1\n[[line]]\nname = "a"\nfiles = ["crate.obj"]\nsteps = [{ do = "count", least = 1 }]\n'
    )
    assert run(capsys, "run", sheet)[0] == 0


def test_options_are_checked_and_written_alike():
    @dataclass(frozen=True)
    class Gaps:
        padding: float = option(8.0, "gap", unit="px", low=0, high=16)
        names: tuple[str, ...] = option((), "of objects")
        sizes: dict[str, int] = option({}, "by role", low=1, high=9, shape="ROLE=PX")
        way: str = option("one", "which way", choices=("one", "two"))

    gaps = settings_from(Gaps, {"padding": "4", "names": ["a"], "sizes": ["b=2"]}, words=True)
    assert gaps == Gaps(4.0, ("a",), {"b": 2})
    assert plain_settings(gaps) == {"padding": 4.0, "names": ["a"], "sizes": {"b": 2}}
    assert settings_from(Gaps, plain_settings(gaps)) == gaps
    for wrong in (
        {"padding": 17},
        {"padding": float("nan")},
        {"padding": True},
        {"way": "three"},
        {"sizes": {"b": 0}},
        {"wings": 2},
    ):
        with pytest.raises(LayoutError) as told:
            settings_from(Gaps, wrong)
        assert told.value.fix


@pytest.mark.slow
def test_what_a_mesh_names_comes_along_or_is_named_where_it_is(crate, tmp_path, capsys):
    assert run(capsys, "pack", crate, "--out", tmp_path / "out", *PACK)[0] == 0
    assert (tmp_path / "out/wood.png").read_bytes() == crate.with_name("wood.png").read_bytes()
    assert "map_Kd wood.png" in (tmp_path / "out/crate.mtl").read_text()
    assert run(capsys, "pack", crate, "--out", tmp_path / "lean", "--refer", *PACK)[0] == 0
    assert not (tmp_path / "lean/wood.png").exists()
    (named,) = [
        row.split(maxsplit=1)[1]
        for row in (tmp_path / "lean/crate.obj").read_text().splitlines()
        if row.startswith("mtllib")
    ]
    assert (tmp_path / "lean" / named).resolve() == crate.with_name("crate.mtl").resolve()


@pytest.mark.slow
def test_files_are_never_written_onto_unasked(crate, tmp_path, capsys):
    before = crate.read_bytes()
    code, out, _ = run(capsys, "pack", crate, "--out", crate.parent, *PACK)
    assert code == 2 and json.loads(out)["error"]["fix"] and crate.read_bytes() == before
    out_file = tmp_path / "out" / "crate.obj"
    out_file.parent.mkdir()
    out_file.write_text("somebody's own")
    assert run(capsys, "pack", crate, "--out", out_file.parent, *PACK)[0] == 2
    assert out_file.read_text() == "somebody's own" and len(list(out_file.parent.iterdir())) == 1
    assert run(capsys, "pack", crate, "--out", out_file.parent, "--force", *PACK)[0] == 0
    # Its own files it writes again, until somebody has changed them.
    assert run(capsys, "pack", crate, "--out", out_file.parent, *PACK)[0] == 0
    out_file.write_text("changed by hand")
    assert run(capsys, "pack", crate, "--out", out_file.parent, *PACK)[0] == 2
    assert run(capsys, "pack", crate, "--in-place", *PACK)[0] == 0
    assert crate.read_bytes() != before


def test_files_of_one_name_keep_their_folders(tmp_path, capsys):
    for folder, size in (("a", 1.0), ("b", 2.0)):
        (tmp_path / "in" / folder).mkdir(parents=True)
        (tmp_path / "in" / folder / "plate.obj").write_text(quad(size))
    files = sorted((tmp_path / "in").rglob("*.obj"))
    code, out, _ = run(capsys, "pack", *files, "--out", tmp_path / "out", *PACK)
    assert code == 0 and json.loads(out)["atlases"][0]["islands"] == 2
    written = sorted(
        p.relative_to(tmp_path / "out").as_posix() for p in (tmp_path / "out").rglob("*.obj")
    )
    assert written == ["a/plate.obj", "b/plate.obj"]


def test_a_file_comes_from_stdin(monkeypatch, capsys):
    class Pipe:
        buffer = io.BytesIO(plain_device(1, 64, 4))

    monkeypatch.setattr("sys.stdin", Pipe())
    code, out, _ = run(capsys, "inspect", "-", "--json")
    assert code == 0 and json.loads(out)["total"]["islands"] > 0


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["pack", "a.obj", "--pad", "3", "--out", "o"], "--pad"),
        (["pac", "a.obj"], "invalid choice"),
        (["pack", "a.obj", "--out", "o", "--padding"], "expected one argument"),
        (["pack", "none.obj", "--out", "o"], "none.obj"),
        (["pack", "a.obj"], "--out"),
        (["pack", "a.obj", "--out", "o", "--effort", "much"], "--effort"),
    ],
)
def test_bad_words_are_json_too(tmp_path, capsys, monkeypatch, words, said):
    (tmp_path / "a.obj").write_text(quad())
    monkeypatch.chdir(tmp_path)
    code, out, err = run(capsys, *words, "--json")
    error = json.loads(out)["error"]
    assert code == 2 and said in f"{error['what']} {error['where']} {error['fix']}", error
    assert set(error) == {"what", "where", "fix"} and "untold-quilt: " in err
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.obj"]


def test_the_version_is_told(capsys):
    code, out, _ = run(capsys, "--version")
    assert code == 0 and out.startswith("untold-quilt ")


def test_what_is_wrong_is_told_by_kind_and_against_an_older_file(tmp_path, capsys):
    mesh = tmp_path / "two.obj"
    one, other = (
        quad(),
        quad().replace("o Plate\n", "o Twin\n").replace("f 1/1 2/2 3/3 4/4", "f 5/5 6/6 7/7 8/8"),
    )
    mesh.write_text(one + other)
    code, out, _ = run(capsys, "check", mesh, "--json")
    found = json.loads(out)["atlases"][0]
    kinds = {finding["kind"] for finding in found["findings"]}
    assert code == 1 and "overlap" in kinds
    assert run(capsys, "check", mesh, "--ignore", "overlap", "--kinds", "outside")[0] == 0
    assert run(capsys, "check", mesh, "--against", mesh)[0] == 0, "nothing is new"
    clean = tmp_path / "one.obj"
    clean.write_text(one)
    assert run(capsys, "check", mesh, "--against", clean)[0] == 1


@pytest.mark.slow
def test_ctrl_c_ends_the_work_and_leaves_nothing(tmp_path):
    files = []
    for k in range(60):
        files.append(tmp_path / f"{k}.obj")
        files[-1].write_text(quad(1 + k / 7, name=f"P{k}"))
    command = [sys.executable, "-m", "quilt_cli.entry", "pack", *map(str, files), "--out", str(tmp_path / "out"),
               "--effort", "thorough", "--seconds", "600"]  # fmt: skip
    running = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    time.sleep(2.0)
    running.send_signal(signal.SIGINT)
    _, err = running.communicate(timeout=60)
    assert running.returncode == 130 and b"Stopped" in err
    assert not (tmp_path / "out").exists()
