"""Project files: what is not right is refused in words before any of it is used; what is right goes through every operation."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from quilt_cli.main import main
from quilt_core.errors import FileFormatError, QuiltError
from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.operations.files import LayoutSettings, file_document
from quilt_core.operations.operation import Progress
from quilt_core.operations.pack import run as pack
from quilt_core.operations.pack_settings import Pack
from quilt_core.operations.project import project_document, read_project
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.flags import CONTROLS
from quilt_core.scene.placement import identity
from tests.core.examples import examples
from tests.core.meshes import QUAD_OBJ, plain_glb
from tests.core.projects import (
    archive_of,
    entries_of,
    project_bytes,
    with_arrays,
    with_islands,
    with_records,
)

GOOD = project_bytes({"props/props.obj": QUAD_OBJ, "plate.glb": plain_glb()})


def opened(data: bytes):
    return read_project(io.BytesIO(data), "pier.quilt")


def run(capsys, *argv):
    code = main([str(a) for a in argv])
    out = capsys.readouterr()
    return code, out.out, out.err


def test_a_document_of_it_is_what_the_files_are():
    document = project_document(opened(GOOD))
    assert document.name == "Pier" and document.house_density == 512
    (layout,) = document.layouts
    assert (layout.state.padding == 6 and [m.name for m in layout.members] == ["Plate", "Left plate", "Right plate"]) or layout.islands.count == 3  # fmt: skip
    assert layout.islands.count == sum(m.row.islands for m in layout.members)


RECORDS = {
    "a field that nobody knows": lambda p: p["sources"][0].update(more=1),
    "a wrong type": lambda p: p["sources"][0].update(size="many"),
    "a number that is none": lambda p: p["changes"][0]["settings"].update(house_density=-1),
    "a reference to nothing": lambda p: p["objects"][0].update(source=9),
    "a reference below zero": lambda p: p["objects"][0].update(source=-1),
    "a ring among parents": lambda p: p["changes"][0].update(parent=0),
    "a ring among states": lambda p: p["states"][0].update(parent=0),
    "a ring among base layouts": lambda p: p["bases"][0].update(parent=0),
    "a path that leads out": lambda p: p["sources"][0].update(name="../secret.obj"),
    "a path from the root": lambda p: p["sources"][0].update(name="/etc/passwd"),
    "a drive": lambda p: p["sources"][0].update(name="C:\\secret.obj"),
    "a control sign in a name": lambda p: p["sources"][0].update(name="a\nb.obj"),
    "an object of another file": lambda p: p["objects"][0].update(number=7),
    "more faces than there are": lambda p: p["objects"][0].update(faces=99),
    "more islands than there are": lambda p: p["bases"][0].update(islands=9),
    "a part that is none": lambda p: p["states"][0]["members"][0].update(part=[5]),
    "a member twice over its layout": lambda p: p["states"][0]["members"][0].update(islands=7),
    "a state that differs from nothing": lambda p: p["states"][0].update(whole=False),
    "an atlas that is elsewhere": lambda p: p["atlases"][0].update(state=None),
    "a layout without tiles": lambda p: p["states"][0].update(tiles=[]),
    "a head that is none": lambda p: p.update(head=4),
    "a redo that is none": lambda p: p.update(redo=[3]),
    "a file that is not there": lambda p: p["sources"][0].update(sha256="0" * 64),
    "a hash that is none": lambda p: p["sources"][0].update(sha256="../../x"),
    "a size that is not its own": lambda p: p["sources"][0].update(size=3),
    "rules that are none": lambda p: p["changes"][0]["settings"].update(rules={"nix": 1}),
    "a preset that is none": lambda p: p.update(presets=[{"name": "x", "settings": {"nix": 1}}]),
    "a preset out of bounds": lambda p: p.update(presets=[{"name": "x", "settings": {"padding": -5}}]),
    "a line that does nothing known": lambda p: p.update(lines=[{"atlas": 0, "name": "x", "steps": [{"do": "nix"}]}]),
    "a line of no atlas": lambda p: p.update(lines=[{"atlas": 3, "name": "x", "steps": [{"do": "pack"}]}]),
    "a profile that is none": lambda p: p.update(profiles=[{"name": "x", "what": {"nix": 1}}]),
    "a note about nothing": lambda p: p.update(notes=[{"kind": "nix", "text": "a", "author": "b", "made": "2026-11-01T10:00:00Z"}]),
    "an answer to itself": lambda p: p.update(notes=[{"kind": "atlas", "answers": 0, "text": "a", "author": "b", "made": "2026-11-01T10:00:00Z"}]),
}  # fmt: skip


@pytest.mark.parametrize("what", RECORDS)
def test_records_that_do_not_fit_are_refused(what):
    with pytest.raises(FileFormatError) as caught:
        opened(with_records(GOOD, RECORDS[what]))
    assert caught.value.where.startswith("pier.quilt") and caught.value.fix


ARRAYS = {
    "an island that there is not": ("triangle_island", lambda a: a + 99),
    "an island below none": ("corner_island", lambda a: a - 9),
    "a face that there is not": ("surface_triangle_face", lambda a: a + 10_000),
    "another length": ("edge_island", lambda a: a[:-1]),
    "another type": ("triangle_island", lambda a: a.astype(np.float32)),
    "no numbers": ("triangles", lambda a: a * np.nan),
    "another shape": ("uv", lambda a: a.ravel()),
    "corners of another mesh": ("uv", lambda a: a[:-1]),
}


@pytest.mark.parametrize("what", ARRAYS)
def test_arrays_that_do_not_fit_are_refused(what):
    with pytest.raises(FileFormatError):
        opened(with_arrays(GOOD, *ARRAYS[what]))


def _field(name, value):
    def change(rows):
        rows[name][0] = value
        return rows

    return change


ISLANDS = {
    "fewer": lambda rows: rows[:-1],
    "no place": _field("placement", np.nan),
    "a place beyond all": _field("placement", 1e30),
    "half on the side table": _field("unplaced", 7),
    "another type": lambda rows: np.zeros(len(rows)),
    "objects that run code": lambda rows: np.array([print], dtype=object),
}


@pytest.mark.parametrize("what", ISLANDS)
def test_islands_that_cannot_be_are_refused(what):
    with pytest.raises(FileFormatError):
        opened(with_islands(GOOD, ISLANDS[what]))


@pytest.mark.slow
def test_damaged_and_false_archives_are_refused():
    entries = entries_of(GOOD)
    key = next(name for name in entries if name.startswith("files/"))
    about = json.loads(entries["quilt.json"])
    wrong = {
        "no archive": b"no zip",
        "nothing": b"",
        "half of it": GOOD[: len(GOOD) // 2],
        "no contents": archive_of({k: v for k, v in entries.items() if k != "quilt.json"}),
        "no records": archive_of({k: v for k, v in entries.items() if k != "project.json"}),
        "a newer version": archive_of({**entries, "quilt.json": json.dumps({**about, "version": 3}).encode()}),
        "another format": archive_of({**entries, "quilt.json": json.dumps({**about, "format": "x"}).encode()}),
        "no JSON": archive_of({**entries, "quilt.json": b"{"}),
        "records of another hash": archive_of({**entries, "project.json": entries["project.json"] + b" "}),
        "a damaged file": archive_of({**entries, key: entries[key] + b"x"}),
        "a file too much": archive_of({**entries, "files/" + "0" * 64: b""}),
        "a path in it": archive_of({**entries, "../x": b""}),
        "a folder in it": archive_of({**entries, "files/a/b": b""}),
        "no islands": archive_of({k: v for k, v in entries.items() if not k.startswith("states")}),
        "a bomb": archive_of({**entries, "files/" + "1" * 64: bytes(64 << 20)}),
    }  # fmt: skip
    for what, data in wrong.items():
        with pytest.raises(FileFormatError):
            opened(data)
            pytest.fail(what)
    for what, said in ("a newer version", "version 3"), ("a bomb", "unpacks to"):
        with pytest.raises(FileFormatError, match=said):
            opened(wrong[what])


def test_profiles_of_version_1_are_read():
    """Its textures were called `picture`."""
    entries = entries_of(GOOD)
    project = json.loads(entries["project.json"])
    row = {"role": "mask", "channels": ["metal"]}
    project["profiles"] = [{"name": "x", "what": {"name": "x", "picture": [row]}}]
    records = json.dumps(project).encode()
    about = json.loads(entries["quilt.json"]) | {
        "version": 1,
        "sha256": hashlib.sha256(records).hexdigest(),
    }
    old = {**entries, "project.json": records, "quilt.json": json.dumps(about).encode()}
    (profile,) = opened(archive_of(old)).project.profiles
    assert profile.what == {"name": "x", "texture": [row]}


def test_entries_that_lie_about_their_size_are_refused():
    """A size in the directory that is not that of the data: PKWARE APPNOTE 4.3.12."""
    data = bytearray(GOOD)
    with zipfile.ZipFile(io.BytesIO(GOOD)) as archive:
        size = archive.getinfo("project.json").file_size
    mark = size.to_bytes(4, "little")
    at = data.rindex(mark)
    data[at : at + 4] = (size - 100).to_bytes(4, "little")
    with pytest.raises(FileFormatError):
        opened(bytes(data))


@settings(max_examples=examples(60), deadline=None, suppress_health_check=list(HealthCheck))
@given(st.integers(0, len(GOOD) - 1), st.integers(1, 255))
@pytest.mark.slow
def test_one_wrong_byte_is_an_error_in_words_or_none_at_all(place, by):
    data = bytearray(GOOD)
    data[place] ^= by
    try:
        file = opened(bytes(data))
        project_document(file)
    except QuiltError:
        pass


@pytest.mark.slow
def test_what_the_artist_said_holds_when_it_is_packed(tmp_path, capsys):
    """Locks, stacks, weights, distances and presets of the project, as an operation on its document has them."""

    def said(islands, state):
        islands["control"]["flags"][0] = CONTROLS["lock_place"]
        islands["placement"][0, :, 2] = 0.25
        islands["control"]["stack"][1:] = 0
        islands["control"]["weight"][1:] = 2.0

    data = project_bytes({"props.obj": QUAD_OBJ, "plate.glb": plain_glb()}, said)
    path = tmp_path / "pier.quilt"
    path.write_bytes(data)
    code, out, _ = run(capsys, "pack", path, "--atlas", "props A", "--effort", "quick", "--out", tmp_path / "b.quilt", "--json")  # fmt: skip
    assert code == 0, out
    before = project_document(opened(data))
    wanted = pack(before, Pack(effort="quick", padding=6, margin=3), Progress()).document.layout
    file = opened((tmp_path / "b.quilt").read_bytes())
    after = project_document(file).layout
    assert (after.state.islands == wanted.state.islands).all()
    assert (after.state.islands[0] == before.layout.state.islands[0]).all()
    assert (after.placements[1] == after.placements[2]).all() or after.stack[1] == after.stack[2] == 0  # fmt: skip
    step = file.project.changes[file.project.head]
    assert (step.verb, step.author, step.parent) == ("pack", "command line", 0)
    # Meshes come out with the same layout.
    code, out, _ = run(capsys, "export", tmp_path / "b.quilt", "--out", tmp_path / "build", "--json")  # fmt: skip
    assert code == 0, out
    scene = read_scene("props.obj", (tmp_path / "build/props.obj").read_bytes())
    sets = [island_set(o, 0, 1.0) for o in scene.objects]
    found = concatenate(sets)
    figures = measure(found, identity(found.count), 512, 512)
    assert figures is not None
    mine = after.islands.placed(after.placements)
    assert np.allclose(found.bounds(), mine.bounds()[: found.count], atol=1e-6)


@pytest.mark.slow
def test_a_preset_of_the_project_is_used_and_settings_go_before_it(tmp_path, capsys):
    data = with_records(GOOD, lambda p: p.update(presets=[{"name": "tight", "settings": {"padding": 2, "effort": "quick"}}]))  # fmt: skip
    path = tmp_path / "pier.quilt"
    path.write_bytes(data)
    for more, padding in ((), 2.0), (("--padding", "11"), 11.0):
        code, out, _ = run(capsys, "pack", path, "--preset", "tight", *more, "--out", tmp_path / "o.quilt", "--force", "--json")  # fmt: skip
        assert code == 0, out
        assert project_document(opened((tmp_path / "o.quilt").read_bytes())).layout.state.padding == padding  # fmt: skip


@pytest.mark.parametrize(
    ("words", "place"),
    [
        (["--atlas", "nix"], "--atlas"), (["--size", "64"], "--size"), (["--lock-place", "*"], "--lock-place"),
        (["--preset", "nix"], "--preset"), (["--refer"], "--refer"),
    ],
)  # fmt: skip
def test_what_a_project_says_by_itself_is_not_said_again(tmp_path, capsys, words, place):
    path = tmp_path / "pier.quilt"
    path.write_bytes(GOOD)
    code, out, _ = run(capsys, "pack", path, *words, "--out", tmp_path / "o", "--json")
    assert code == 2 and json.loads(out)["error"]["where"] == place
    assert not (tmp_path / "o").exists()


def test_in_place_adds_a_step_and_keeps_the_rest(tmp_path, capsys):
    path = tmp_path / "pier.quilt"
    path.write_bytes(GOOD)
    for steps in (2, 3):
        code, out, _ = run(capsys, "even-out", path, "--density", str(100 * steps), "--in-place", "--json")  # fmt: skip
        assert code == 0, out
        file = opened(path.read_bytes())
        assert len(file.project.changes) == steps
    assert (file.islands(0) == opened(GOOD).islands(0)).all()


def test_unwrapped_objects_have_base_layouts_in_the_file(tmp_path, capsys):
    bare = b"o Crate\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n"
    path = tmp_path / "pier.quilt"
    path.write_bytes(project_bytes({"bare.obj": bare}))
    code, out, _ = run(capsys, "unwrap", path, "--out", tmp_path / "b.quilt", "--json")
    assert code == 0, out
    file = opened((tmp_path / "b.quilt").read_bytes())
    made = file.project.bases[-1]
    assert made.parent == 0 and made.made == "unwrapped" and made.islands == 1
    assert project_document(file).layout.islands.count == 1


@pytest.mark.slow
def test_files_and_a_project_of_them_are_packed_the_same(tmp_path):
    """The same document by two ways in: the same layout to the bit."""
    (tmp_path / "props.obj").write_bytes(QUAD_OBJ)
    of_files = file_document([tmp_path / "props.obj"], LayoutSettings(size=(512, 512)), None, Progress())  # fmt: skip
    of_project = project_document(opened(project_bytes({"props.obj": QUAD_OBJ})))
    asked = Pack(effort="quick", padding=8, margin=4)
    one, two = (pack(d, asked, Progress()).document.layout for d in (of_files, of_project))
    assert (one.placements == two.placements).all()
