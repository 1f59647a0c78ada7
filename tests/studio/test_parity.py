"""Parity: an operation does the same to files and to an atlas, as both doors lead to the same room."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from quilt_cli.main import main
from quilt_core.document.project.file import open_project
from quilt_core.formats import read_scene
from quilt_core.operations.project import project_document, read_project
from quilt_core.operations.registry import OPERATIONS
from studio import storage
from studio.arrays import load_layout
from studio.models import Job, Source
from studio.state import read_state
from studio.transfer import ProjectRows
from tests.core.nightly_run_samples import tube
from tests.core.painted import plain_device
from tests.studio.conftest import step_of

PACK = {"padding": 4.0, "margin": 2.0, "effort": "quick", "rotate": "quarter", "seed": 3}


@pytest.fixture
def pipes(send, atlas, tmp_path):
    """Three pipes in a file, in an atlas and on disk."""
    parts, base = [], 0
    for k, sides in enumerate((6, 9, 14)):
        rows = []
        for row in tube(sides, 1.0 + k, f"pipe_{k}").splitlines():
            if row.startswith("f "):
                pairs = [pair.split("/") for pair in row.split()[1:]]
                row = "f " + " ".join(f"{int(a) + base}/{int(b) + base}" for a, b in pairs)
            rows.append(row)
        base += 2 * (sides + 1)
        parts.append("\n".join(rows) + "\n")
    data = "".join(parts).encode()
    (tmp_path / "pipes.obj").write_bytes(data)
    assert send(pipes__obj=data).status_code == 201
    atlas.refresh_from_db()
    return atlas


CHANGED = {
    "move": {"islands": ["pipe_1"], "moves": [[0.0, -1.0, 0.9, 1.0, 0.0, 0.1]], "verb": "turn"},
    "slide-to-contact": {"islands": ["pipe_0"], "direction": "left"},
    "make-room": {"islands": ["pipe_1"]},
    "continue-across": {"islands": ["pipe_2"], "repeats": (3.0, 3.0)},
    "in-order": {"islands": ["pipe_*"], "axis": "y"},
    "fit-into-gaps": {"islands": ["pipe_2"], "rotate": "none"},
    "pack-here": {"islands": ["pipe_1"], "region": [[0, 0], [500, 300]], "grow": True},
    "shrink-to-fit": {"islands": ["pipe_1"]},
    "even-out": {"density": 55.0, "islands": ["pipe_1"]},
    "pack": {"effort": "quick", "seed": 3, "density": "keep", "padding": 4.0, "margin": 2.0},
    "unwrap": {"which": "all", "stretch": 1.1},
    "copy-layout": {"source": "one", "to": ["two"]},
    "edit": {"verb": "project", "shape": "box", "islands": ["pipe_2"]},
}  # fmt: skip
"""Settings of operations that change a layout."""
COVERED = {
    "inspect", "visibility", "detail", "plan", "limit", "merge", "check", "bake", "textures", "export", "stacks", "look-alikes", "update", "gather",
    "channels", "report", "diff", *CHANGED,
}  # fmt: skip


def test_every_operation_has_a_case():
    assert set(OPERATIONS) == COVERED


def words(settings):
    out = []
    for name, value in settings.items():
        name = f"--{name.replace('_', '-')}"
        rows = value if isinstance(value, list) else [value]
        if isinstance(rows[0], list | tuple):
            out += [f"{name}={','.join(map(str, row))}" for row in rows]
        else:
            out += [name] if value is True else [name, *map(str, rows)]
    return out


def on_files(tmp_path, capsys, name, out, *files, **settings):
    """The answer of the command line."""
    where = ["--out", str(tmp_path / out)] if OPERATIONS[name].files.writes else []
    code = main([name, *map(str, files), *where, "--json", "--size", "512", *words(settings)])
    told = json.loads(capsys.readouterr().out)
    assert code in (0, 1), told
    return told


def on_atlas(act, atlas, name, **settings):
    """The result of the job."""
    answer = act(atlas, name, **settings)
    assert answer.status_code == 202, answer.content
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE, job.error
    atlas.refresh_from_db()
    return job


def exported(client, act, atlas):
    """Files of the atlas as it is."""
    job = on_atlas(act, atlas, "export", layout_only=True)
    with zipfile.ZipFile(
        io.BytesIO(b"".join(client.get(f"/api/jobs/{job.pk}/download/")))
    ) as all_of_them:
        return {name: all_of_them.read(name) for name in all_of_them.namelist()}


@pytest.mark.parametrize("density", ["equal", "keep"])
@pytest.mark.slow
def test_a_pack_is_the_same_to_the_bit(client, act, pipes, tmp_path, capsys, density):
    told = on_files(
        tmp_path, capsys, "pack", "out", tmp_path / "pipes.obj", density=density, **PACK
    )["atlases"][0]
    job = on_atlas(act, pipes, "pack", density=density, size="512x512", **PACK)
    found = job.result["atlases"][0]
    for name in ("density", "coverage", "islands", "gap_px", "margin_px"):
        assert found[name] == told[name], name
    assert exported(client, act, pipes)["pipes.obj"] == (tmp_path / "out/pipes.obj").read_bytes()


@pytest.mark.slow
def test_what_is_unwrapped_has_the_same_figures(act, pipes, tmp_path, capsys):
    told = on_files(
        tmp_path, capsys, "unwrap", "flat", tmp_path / "pipes.obj", which="all", stretch=1.1
    )
    job = on_atlas(act, pipes, "unwrap", which="all", stretch=1.1)
    same = ("object", "islands", "seam", "stretch_l2", "stretch_p95", "energy", "flipped", "was")
    assert [[row[k] for k in same] for row in job.result["objects"]] == [
        [row[k] for k in same] for row in told["objects"]
    ]
    assert len(told["objects"]) == 3


@pytest.mark.slow
def test_findings_visibility_and_limits_are_the_same(client, act, pipes, tmp_path, capsys):
    on_files(tmp_path, capsys, "pack", "out", tmp_path / "pipes.obj", density="equal", **PACK)
    on_atlas(act, pipes, "pack", density="equal", size="512x512", **PACK)
    packed = tmp_path / "out/pipes.obj"
    told = on_files(tmp_path, capsys, "check", "", packed, padding=4, margin=2, house_density=512)[
        "atlases"
    ][0]
    found = on_atlas(act, pipes, "check", padding=4, margin=2).result["atlases"][0]
    assert found["totals"] == told["totals"]
    assert found["gap_px"] == pytest.approx(told["gap_px"], abs=1e-3)
    assert found["stretch"] == pytest.approx(told["stretch"], rel=1e-4)
    told = on_files(tmp_path, capsys, "visibility", "", packed, views="above")["atlases"][0]
    found = on_atlas(act, pipes, "visibility", views="above").result["atlases"][0]
    for ours, theirs in zip(found["islands"], told["islands"], strict=True):
        assert ours["share"] == theirs["share"] and ours["weight"] == theirs["weight"]


def test_detail_is_the_same_and_its_weights_are_given_in_one_step(
    client, act, send, atlas, tmp_path, capsys
):
    (tmp_path / "lamp.glb").write_bytes(plain_device(1, 64, 4))
    assert send(lamp__glb=plain_device(1, 64, 4)).status_code == 201
    limits = {"decibels": 20, "colour": 20}
    told = on_files(tmp_path, capsys, "detail", "", tmp_path / "lamp.glb", **limits)["atlases"][0]
    found = on_atlas(act, atlas, "detail", **limits).result["atlases"][0]
    assert found["islands"] == told["islands"] and len(told["islands"]) == 4
    given = {"islands": [3, 1, 0], "weights": [0.3, 0.1, 0.25]}
    assert act(atlas, "control", **given).status_code == 200
    atlas.refresh_from_db()
    kept = client.get(f"/api/revisions/{atlas.head_id}/").json()["controls"]["weight"]
    assert kept == pytest.approx([0.25, 0.1, 1, 0.3], rel=1e-6)
    refused = act(atlas, "control", islands=[0, 1], weights=[1.0])
    assert refused.status_code == 400 and "1 weights for 2 islands" in refused.json()["what"]


@pytest.mark.slow
def test_textures_are_the_same_picture(client, act, send, atlas, tmp_path, capsys):
    (tmp_path / "lamp.glb").write_bytes(plain_device(1, 64, 4))
    assert send(lamp__glb=plain_device(1, 64, 4)).status_code == 201
    on_atlas(act, atlas, "pack", size="512x512", **PACK)
    (tmp_path / "packed").mkdir()
    (tmp_path / "packed/lamp.glb").write_bytes(exported(client, act, atlas)["lamp.glb"])
    on_files(
        tmp_path,
        capsys,
        "textures",
        "set",
        tmp_path / "packed/lamp.glb",
        kinds=["id", "checker"],
        padding=4,
        margin=2,
    )
    job = on_atlas(act, atlas, "textures", kinds=["id", "checker"])
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        names = archive.namelist()
        assert sorted(names) == sorted(p.name for p in (tmp_path / "set").glob("*.png"))
        for name in names:
            ours, theirs = (
                Image.open(io.BytesIO(archive.read(name))),
                Image.open(tmp_path / "set" / name),
            )
            assert ours.tobytes() == theirs.tobytes(), name


def test_evening_out_is_the_same_to_the_bit(client, act, pipes, tmp_path, capsys):
    told = on_files(tmp_path, capsys, "even-out", "even", tmp_path / "pipes.obj", density=77)
    act(
        pipes,
        "tiles",
        "put",
        tiles=[{"number": 1001, "width": 512, "height": 512, "label": "", "frozen": False}],
    )
    found = on_atlas(act, pipes, "even-out", density=77).result
    assert found["atlases"][0]["density"] == told["atlases"][0]["density"]
    assert exported(client, act, pipes)["pipes.obj"] == (tmp_path / "even/pipes.obj").read_bytes()


@pytest.mark.slow
def test_what_an_atlas_holds_and_what_would_do_are_the_same(client, act, pipes, tmp_path, capsys):
    on_atlas(act, pipes, "pack", density="equal", size="512x512", **PACK)
    packed = tmp_path / "packed.obj"
    packed.write_bytes(exported(client, act, pipes)["pipes.obj"])
    told = on_files(tmp_path, capsys, "inspect", "", packed)
    found = on_atlas(act, pipes, "inspect").result
    assert found["total"] == pytest.approx(told["total"], rel=1e-4, abs=1e-4)
    told = on_files(tmp_path, capsys, "plan", "", packed, density=300, padding=4, coverage=0.7)
    found = on_atlas(act, pipes, "plan", density=300, padding=4, coverage=0.7).result
    assert found["rows"] == told["rows"]
    told = on_files(tmp_path, capsys, "limit", "", packed, density="equal", **PACK)["atlases"][0]
    found = on_atlas(act, pipes, "limit", density="equal", **PACK).result["limit"]
    assert found["kind"] == told["kind"] and found["islands"] == told["islands"]


@pytest.fixture
def twins(send, atlas, tmp_path):
    """Two pipes of one shape, and an odd one."""
    text, base = "", 0
    for name, sides, radius in (("one", 9, 1.0), ("two", 9, 1.5), ("odd", 7, 1.0)):
        for row in tube(sides, radius, name).splitlines():
            if row.startswith("f "):
                pairs = [pair.split("/") for pair in row.split()[1:]]
                row = "f " + " ".join(f"{int(a) + base}/{int(b) + base}" for a, b in pairs)
            text += row + "\n"
        base += 2 * (sides + 1)
    (tmp_path / "twins.obj").write_text(text)
    assert send(twins__obj=text.encode()).status_code == 201
    atlas.refresh_from_db()
    return atlas


@pytest.mark.slow
def test_copies_and_edits_have_the_same_figures(act, twins, tmp_path, capsys):
    told = on_files(tmp_path, capsys, "copy-layout", "copied", tmp_path / "twins.obj", source="one")
    found = on_atlas(act, twins, "copy-layout", source="one").result
    same = ("object", "mirrored", "misfit", "matches", "stretch_l2")
    assert [[row[k] for k in same] for row in found["objects"]] == [
        [row[k] for k in same] for row in told["objects"]
    ]
    assert [row["object"] for row in told["objects"]] == ["two"]
    act(twins, "undo")
    asked = {"verb": "project", "shape": "box"}
    told = on_files(
        tmp_path, capsys, "edit", "edited", tmp_path / "twins.obj", islands=["odd"], **asked
    )
    found = on_atlas(act, twins, "edit", islands=["odd"], **asked).result
    same = ("object", "islands", "seam", "stretch_l2", "note")
    assert [[row[k] for k in same] for row in found["objects"]] == [
        [row[k] for k in same] for row in told["objects"]
    ]


@pytest.mark.slow
def test_maps_and_merged_textures_are_the_same_picture(client, act, send, atlas, tmp_path, capsys):
    assert send(lamp__glb=plain_device(1, 64, 4)).status_code == 201
    on_atlas(act, atlas, "pack", size="512x512", **PACK)
    (tmp_path / "lamp.glb").write_bytes(exported(client, act, atlas)["lamp.glb"])
    for name, settings in (
        ("bake", {"pairs": "itself", "maps": ["normal", "id"], "width": 64, "distance": 0.01}),
        ("merge", {"width": 128}),
    ):
        more = {"layout": "kept"} if name == "merge" else {}
        # The old textures are those of the file as it came: a merged layout begins there, too.
        on_files(tmp_path, capsys, name, name, tmp_path / "lamp.glb", **settings, **more)
        job = on_atlas(act, atlas, name, **settings)
        ours = images(b"".join(client.get(f"/api/jobs/{job.pk}/download/")))
        theirs = {p.name: Image.open(p).tobytes() for p in (tmp_path / name).rglob("*.png")}
        assert theirs and ours.keys() == theirs.keys()
        if name == "bake":
            assert ours == theirs


def images(data):
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {
            name.rpartition("/")[2]: Image.open(io.BytesIO(archive.read(name))).tobytes()
            for name in archive.namelist()
            if name.endswith(".png")
        }


@pytest.mark.slow
def test_a_step_of_a_run_sheet_is_the_command(pipes, tmp_path, capsys):
    on_files(tmp_path, capsys, "pack", "out", tmp_path / "pipes.obj", density="equal", **PACK)
    settings = ", ".join(
        f"{k} = {json.dumps(v)}" for k, v in {**PACK, "density": "equal", "size": 512}.items()
    )
    (tmp_path / "s.toml").write_text(
        f'version = 1\n[[line]]\nname = "a"\nfiles = ["pipes.obj"]\nout = "run"\nsteps = [{{ do = "pack", {settings} }}]\n'
    )
    assert main(["run", str(tmp_path / "s.toml")]) == 0
    assert (tmp_path / "run/pipes.obj").read_bytes() == (tmp_path / "out/pipes.obj").read_bytes()


def test_the_list_of_operations_is_the_registry(client, db):
    told = {row["name"]: row for row in client.get("/api/operations/").json()}
    assert list(told) == list(OPERATIONS)
    assert {"name": "apart_gap", "unit": "px", "default": 32.0}.items() <= next(
        one for one in told["pack"]["options"] if one["name"] == "apart_gap"
    ).items()


def test_a_setting_that_nobody_hears_is_refused(act, pipes):
    answer = act(pipes, "pack", paddding=3)
    assert answer.status_code == 400 and "paddding" in answer.json()["what"]
    answer = act(pipes, "pack", padding=5000)
    assert answer.status_code == 400 and "1024" in str(answer.json())


@pytest.mark.parametrize("name", CHANGED)
@pytest.mark.slow
def test_a_project_file_is_changed_as_the_atlas_is(
    request, transactional_db, client, act, tmp_path, capsys, name
):
    """The artist's layout, with a weight and a lock, by both doors: the same state to the bit."""
    pipes = request.getfixturevalue("twins" if name == "copy-layout" else "pipes")
    on_atlas(act, pipes, "pack", density="equal", size="512x512", **PACK)
    for said in ({"weight": 1.5}, {"lock_size": True}):
        assert act(pipes, "control", islands=[0], **said).status_code == 200
    pipes.refresh_from_db()
    if name in ("shrink-to-fit", "make-room"):
        # Larger by a part, about its middle: too near to others.
        layout = load_layout(pipes.head)
        box = layout.islands.placed(layout.placements).bounds()[1]
        x, y = (box[:2] + box[2:]) / 2
        larger = [[1.06, 0, -0.06 * x, 0, 1.06, -0.06 * y]]
        assert act(pipes, "move", islands=[1], moves=larger).status_code == 200
    if name == "continue-across":
        # Islands that meet along seams.
        on_atlas(act, pipes, "edit", verb="project", shape="box", islands=["pipe_2"])
    path = tmp_path / "yard.quilt"
    path.write_bytes(b"".join(client.get(f"/api/projects/{pipes.project_id}/project.quilt")))
    code = main([name, str(path), "--in-place", "--json", *words(CHANGED[name])])
    told = json.loads(capsys.readouterr().out)
    answer = act(pipes, name, **CHANGED[name])
    job = Job.objects.filter(atlas=pipes, kind=name).first()
    assert code in (0, 1), told
    assert answer.status_code in (200, 202), answer.content
    pipes.refresh_from_db()
    with path.open("rb") as handle:
        there = project_document(open_project(handle, "yard")).layout.state
    here = read_state(pipes.head)
    assert (here.islands == there.islands).all() and here.tiles == there.tiles
    assert [m.islands for m in here.members] == [m.islands for m in there.members]
    if answer.status_code == 202:
        same = set(job.result) & set(told) - {"objects", "atlases", "notes", "ok", "seconds"}
        assert {key: job.result[key] for key in same} == {key: told[key] for key in same}


def test_stacks_are_the_same(act, twins, tmp_path, capsys):
    told = on_files(tmp_path, capsys, "stacks", "", tmp_path / "twins.obj")
    found = on_atlas(act, twins, "stacks").result
    assert found["candidates"] == told["candidates"] and told["candidates"]


def test_look_alikes_are_the_same(act, twins, tmp_path, capsys):
    told = on_files(tmp_path, capsys, "look-alikes", "", tmp_path / "twins.obj")
    found = on_atlas(act, twins, "look-alikes").result
    assert [{**row, "ids": None, "laid_out": None} for row in found["groups"]] == [
        {**row, "ids": None, "laid_out": None} for row in told["groups"]
    ]
    assert [len(row["objects"]) for row in told["groups"]] == [2]


@pytest.mark.slow
def test_a_newer_file_gets_the_same_layout(client, act, pipes, tmp_path, capsys):
    """Faces in another order and a bent vertex: the same UVs on the same faces, and the same figures."""
    rows = (tmp_path / "pipes.obj").read_text().splitlines()
    faces = [k for k, row in enumerate(rows) if row.startswith("f ")]
    rows[faces[0]], rows[faces[1]] = rows[faces[1]], rows[faces[0]]
    rows[1] = "v 0.01 0.02 0.03"
    newer = "\n".join(rows).encode()
    (tmp_path / "new").mkdir()
    (tmp_path / "new/pipes.obj").write_bytes(newer)
    told = on_files(tmp_path, capsys, "update", "up", tmp_path / "new/pipes.obj", layout=[str(tmp_path / "pipes.obj")])  # fmt: skip
    body = {"source": Source.objects.get(is_mesh=True).pk, "change": step_of(pipes), "files": [SimpleUploadedFile("pipes.obj", newer)]}  # fmt: skip
    answer = client.post(f"/api/atlases/{pipes.pk}/update/", body)
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE, job.error
    same = ("object", "came_from", "faces", "same", "by_face", "by_surface", "new", "gone", "moved")
    ours, theirs = ([[row[k] for k in same] for row in rows["objects"]] for rows in (job.result, told))  # fmt: skip
    assert ours == theirs
    pipes.refresh_from_db()
    out = exported(client, act, pipes)["pipes.obj"]
    for one, two in zip(read_scene("a.obj", out).objects, read_scene("b.obj", (tmp_path / "up/pipes.obj").read_bytes()).objects, strict=True):  # fmt: skip
        np.testing.assert_allclose(one.mesh.channels[0].per_corner, two.mesh.channels[0].per_corner, atol=1e-6)  # fmt: skip


def test_channels_are_told_the_same(client, act, send, atlas, tmp_path, capsys):
    (tmp_path / "lamp.glb").write_bytes(plain_device(1, 64, 4))
    assert send(lamp__glb=plain_device(1, 64, 4)).status_code == 201
    assert main(["channels", str(tmp_path / "lamp.glb"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    found = on_atlas(act, atlas, "channels").result
    assert [row["objects"] for row in found["listed"]] == [row["objects"] for row in told["listed"]]


@pytest.mark.slow
def test_a_report_says_the_same(client, act, pipes, tmp_path, capsys):
    on_atlas(act, pipes, "pack", density="equal", size="512x512", **PACK)
    path = tmp_path / "yard.quilt"
    path.write_bytes(b"".join(client.get(f"/api/projects/{pipes.project_id}/project.quilt")))
    assert main(["report", str(path), "--format", "json", "--out", str(tmp_path / "r")]) in (0, 1)
    (told,) = (tmp_path / "r").glob("[!.]*.json")
    job = on_atlas(act, pipes, "report")
    found = json.loads(storage.get(job.result["json"]))
    told = json.loads(told.read_text())
    shown = ("kind", "severity", "object", "island", "text")
    for one in (found, told):
        one["findings"] = [{k: row.get(k) for k in shown} for row in one["findings"]]
    own = ("made", "title", "settings")  # when it was made, and from what
    ours, theirs = ({k: v for k, v in one.items() if k not in own} for one in (found, told))
    assert ours == theirs


def test_what_differs_from_the_step_before_is_the_same(client, act, pipes, tmp_path, capsys):
    on_atlas(act, pipes, "pack", density="equal", size="512x512", **PACK)
    before = step_of(pipes)
    act(pipes, "move", **CHANGED["move"])
    pipes.refresh_from_db()
    path = tmp_path / "yard.quilt"
    path.write_bytes(b"".join(client.get(f"/api/projects/{pipes.project_id}/project.quilt")))
    assert main(["diff", str(path), "--json"]) == 1
    told = json.loads(capsys.readouterr().out)
    for settings in ({}, {"step": before}):
        found = on_atlas(act, pipes, "diff", **settings).result
        assert found["objects"] == told["objects"]
        assert [row["state"] for row in found["objects"]] == ["changed", "same", "same"]
    assert on_atlas(act, pipes, "diff", step=step_of(pipes)).result["equal"]


def test_what_is_gathered_is_the_same_project(client, send, atlas, tmp_path, capsys):
    """Objects, layouts to the bit, textures beside them, the house density that is proposed."""
    files = {"lamp.glb": plain_device(1, 64, 4), "pipe.obj": tube(6, 1.0, "pipe").encode()}
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    assert send(**{name.replace(".", "__"): data for name, data in files.items()}).status_code == 201  # fmt: skip
    path = tmp_path / "out/yard.quilt"
    words = ["gather", *(str(tmp_path / name) for name in files), "--name", atlas.project.name]
    assert main([*words, "--out", str(path), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    here = ProjectRows(atlas.project).record()
    with path.open("rb") as handle:
        there = read_project(handle, "yard").project
    assert there.settings == here.settings and told["house_density"] == here.settings.house_density
    named = [{s.name: (s.sha256, s.size, s.mesh, s.unit) for s in p.sources} for p in (here, there)]
    assert named[0] == named[1]

    def rows(project):
        """Objects and their layouts by name."""
        return {
            obj.name: (obj.number, obj.parent, obj.instances, obj.channels, obj.faces,
                       [(b.arrays, b.islands, b.useless, b.proportion, b.suggested) for b in project.bases if b.object == n])
            for n, obj in enumerate(project.objects)
        }  # fmt: skip

    assert rows(here) == rows(there)
    made = client.post("/api/project-files/", {"file": SimpleUploadedFile("yard.quilt", path.read_bytes())})  # fmt: skip
    assert made.status_code == 201, made.content
    assert main([*words, "--out", str(tmp_path / "out/yard.glb")]) == 2
