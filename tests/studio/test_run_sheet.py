"""The run sheet of a project: lines from what was done by hand, what is out of date and why, and what fails."""

from __future__ import annotations

import io
import re
import tomllib
import zipfile
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test.utils import CaptureQueriesContext

from quilt_cli.main import main
from quilt_core.document.project.file import open_project
from quilt_core.operations.project import project_document
from quilt_core.operations.registry import operation
from quilt_core.options import settings_from
from quilt_core.run.sheet import read_sheet
from quilt_core.run.steps import Call
from studio.actions.run.targets import lanes
from studio.models import Job, MeshObject, Revision, RunLine
from studio.state import read_state
from tests.studio.conftest import step_of
from tests.studio.update_samples import obj_file

pytestmark = pytest.mark.django_db


@pytest.fixture
def sheet(send, act, atlas, client):
    """A packed atlas, and helpers of its run sheet."""
    assert send(yard__obj=obj_file(("crate", 0, 1), ("bench", 9, 2))).status_code == 201
    assert act(atlas, "pack", effort="quick", padding=8, margin=4).status_code == 202
    atlas.refresh_from_db()

    class Sheet:
        def lines(self):
            return client.get(f"/api/projects/{atlas.project_id}/run-sheet/").json()

        def remember(self, name="yard"):
            answer = client.post(
                f"/api/atlases/{atlas.pk}/remember/",
                {"name": name},
                content_type="application/json",
            )
            assert answer.status_code == 201, answer.content
            return answer.json()

        def change(self, line, **body):
            return client.patch(f"/api/run-lines/{line}/", body, content_type="application/json")

        def run(self, line):
            answer = client.post(f"/api/run-lines/{line}/run/")
            assert answer.status_code == 202, answer.content
            return Job.objects.get(pk=answer.json()["id"])

    return Sheet()


def test_a_line_whose_steps_do_not_cure_it_says_so(sheet, act, atlas):
    """A line that only evens out leaves what lies on one another where it lies."""
    line = sheet.remember()
    steps = [{"do": "even-out", "settings": {"density": 9000}}]
    assert sheet.change(line["id"], steps=steps).status_code == 200
    job = sheet.run(line["id"])
    assert job.state == Job.DONE, job.error
    (now,) = sheet.lines()
    after = now["runs"][0]["layouts"][0]["after"]
    assert after["errors"] > 0
    assert any("(" in text for text in after["against"])


@pytest.mark.slow
def test_a_line_is_remembered_done_and_out_of_date_for_a_reason(sheet, act, atlas, client):
    assert act(atlas, "export").status_code == 202
    line = sheet.remember()
    assert [s["do"] for s in line["steps"]] == ["pack", "check", "export"]
    assert (
        line["steps"][0]["settings"]["effort"] == "quick"
        and "islands" not in line["steps"][0]["settings"]
    )
    assert (line["state"], line["because"]) == ("out of date", ["it has not run yet"])
    job = sheet.run(line["id"])
    assert job.state == Job.DONE, job.error
    (now,) = sheet.lines()
    assert now["state"] == "current"
    (run,) = now["runs"]
    assert run["results"] == ["files"] and run["layouts"][0]["after"]["errors"] == 0
    assert run["layouts"][0]["after"]["against"] == []
    body = b"".join(client.get(f"/api/run-lines/{line['id']}/results/files.zip"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        assert "yard.obj" in archive.namelist()
    # Each change is told as what it is.
    assert act(atlas, "control", islands=[0], weight=0.5).status_code == 200
    assert sheet.lines()[0]["because"] == [
        "crate's islands were told something else (locks, stacks, weights)"
    ]
    assert act(atlas, "undo").status_code == 200
    assert sheet.lines()[0]["state"] == "current", "what it was made from is there again"
    steps = now["steps"]
    steps[0]["settings"]["padding"] = 16
    assert sheet.change(line["id"], steps=steps).json()["because"] == ["pack: padding 8 → 16"]
    assert sheet.run(line["id"]).state == Job.DONE
    assert sheet.lines()[0]["state"] == "current"
    assert (
        act(atlas, "move", verb="move", islands=[0], moves=[[1, 0, 0.01, 0, 1, 0]]).status_code
        == 200
    )
    assert sheet.lines()[0]["because"] == ["islands of crate were moved since"]
    assert sheet.change(line["id"], hold=True).json()["state"] == "held"


@pytest.mark.slow
def test_a_line_that_breaks_the_rules_fails_and_puts_the_layout_back(sheet, act, atlas):
    line = sheet.remember()
    assert sheet.run(line["id"]).state == Job.DONE
    atlas.refresh_from_db()
    before = read_state(atlas.head)
    steps = sheet.lines()[0]["steps"]
    # Less padding than the rules of the check want: packed, then found wanting.
    steps[0]["settings"] |= {"padding": 0, "margin": 0}
    steps.insert(1, {"do": "bake", "settings": {"maps": ["normal"], "width": 64, "pairs": "named"}})
    assert sheet.change(line["id"], steps=steps).status_code == 200
    job = sheet.run(line["id"])
    assert job.state == Job.FAILED
    atlas.refresh_from_db()
    after = read_state(atlas.head)
    assert (after.islands["placement"] == before.islands["placement"]).all()
    assert atlas.head.verb == "put back" and atlas.head.figures, "nobody waits for its figures"
    (now,) = sheet.lines()
    assert now["state"] == "failed" and now["because"][0]
    # The earlier result is still told, and the line is tried again once something changes.
    assert now["runs"][0]["layouts"][0]["after"] is not None
    assert act(atlas, "control", islands=[0], weight=0.5).status_code == 200
    assert sheet.lines()[0]["state"] == "out of date"


@pytest.mark.slow
def test_steps_with_nothing_to_do_pass_and_settings_of_any_shape_are_told(sheet, act, atlas):
    line = sheet.remember("Hof “Süd” 🏮\n")
    flatten = {"do": "unwrap", "settings": {}}
    assert sheet.change(line["id"], steps=[flatten, *line["steps"]]).status_code == 200
    job = sheet.run(line["id"])
    assert job.state == Job.DONE, job.error
    atlas.refresh_from_db()
    before = read_state(atlas.head)
    for settings, said in (
        ({"maps": 3}, "step 2, bake, maps"), ({"width": "wide"}, "step 2, bake, width"),
        ({"size": 64}, "no setting “size”"), ({"rays": 5000}, "at most 4096"),
    ):  # fmt: skip
        wrong = [line["steps"][0], {"do": "bake", "settings": settings}]
        answer = sheet.change(line["id"], steps=wrong)
        assert answer.status_code == 400 and said in str(answer.json()), answer.json()
    atlas.refresh_from_db()
    assert (read_state(atlas.head).islands["placement"] == before.islands["placement"]).all()


def test_layouts_are_copied_and_edits_done_again_by_a_line(sheet, act, atlas):
    crate = MeshObject.objects.get(name="crate").pk
    assert act(atlas, "copy-layout", source=crate).status_code == 202
    line = sheet.remember()
    # Which objects were selected is not kept with a layout, so that such a step is written by hand.
    assert "copy-layout" not in [step["do"] for step in line["steps"]]
    steps = [
        {"do": "edit", "settings": {"verb": "project", "shape": "plane", "axis": "z", "islands": ["crate"]}},
        {"do": "copy-layout", "settings": {"source": "crate", "to": ["bench"]}},
        {"do": "pack", "settings": {"effort": "quick"}},
    ]  # fmt: skip
    assert sheet.change(line["id"], steps=steps).status_code == 200
    job = sheet.run(line["id"])
    assert job.state == Job.DONE, job.error
    atlas.refresh_from_db()
    # A strip of three quads that are projected along z is one island, and so is its copy.
    assert [m.islands for m in read_state(atlas.head).members] == [1, 1]
    gone = [{"do": "in-order", "settings": {"islands": ["barrel"]}}]
    assert sheet.change(line["id"], steps=gone).status_code == 200
    job = sheet.run(line["id"])
    assert job.state == Job.FAILED and "“barrel” names no island" in job.error["what"]


def sheet_file(client, atlas):
    return client.get(f"/api/projects/{atlas.project_id}/run-sheet.toml").content


def read_in(client, atlas, data):
    file = SimpleUploadedFile("run-sheet.toml", data)
    return client.post(f"/api/projects/{atlas.project_id}/run-sheet.toml", {"file": file})


def test_the_sheet_is_a_file_for_the_command_line(sheet, client, atlas):
    line = sheet.remember("Yard 𝔸: all of it " + 60 * "x")
    data = sheet_file(client, atlas)
    given = tomllib.loads(data.decode())
    (row,) = given["line"]
    assert row["files"] == [f"{atlas.project.name}.quilt"] and row["atlas"] == [atlas.name]
    assert [s["do"] for s in row["steps"]] == ["pack", "check"]
    assert read_sheet("run-sheet.toml", data).lines[0].name == row["name"]
    assert client.delete(f"/api/run-lines/{line['id']}/").status_code == 204
    assert sheet.lines() == []


STEPS = [
    {"do": "unwrap", "settings": {"seams": "angle", "angle": 50.0, "seconds": 3, "seed": 7}},
    {"do": "even-out", "settings": {"density": 300}},
    {"do": "pack", "settings": {"padding": 6, "margin": 3, "rotate": "none", "effort": "quick", "density": "fixed", "tidy": 0.4}},
    {"do": "merge", "settings": {"width": 256, "format": "webp", "roles": {"normal": 512}, "joint": True}},
    {"do": "bake", "settings": {"maps": ["normal", "id"], "width": 512, "distances": {"crate": 0.5}, "ids": "island"}},
    {"do": "check", "settings": {}},
    {"do": "export", "settings": {}},
]  # fmt: skip


def test_the_file_says_what_the_application_does(sheet, client, atlas, act):
    """Every setting goes out and comes in again; the command line takes each of them."""
    line = sheet.remember()["id"]
    assert sheet.change(line, steps=STEPS).status_code == 200
    data = sheet_file(client, atlas)
    (row,) = read_sheet("run-sheet.toml", data).lines
    for step, ours in zip(row.steps, STEPS, strict=True):
        kinds = Call(step, Path()).settings()
        theirs = {k: v for k, v in step.settings.items() if k != "atlas"}
        own = operation(step.do).settings
        assert kinds[own] == settings_from(own, ours["settings"]) == settings_from(own, theirs)
    assert client.delete(f"/api/run-lines/{line}/").status_code == 204
    answer = read_in(client, atlas, data)
    assert answer.status_code == 200, answer.content
    (made,) = sheet.lines()
    for step, ours in zip(made["steps"], STEPS, strict=True):
        own = operation(step["do"]).settings
        assert settings_from(own, step["settings"]) == settings_from(own, ours["settings"])
    # Once more it takes the place of the line that is there.
    assert read_in(client, atlas, data.replace(b"300", b"301")).status_code == 200
    (again,) = sheet.lines()
    assert again["id"] == made["id"] and again["steps"][1]["settings"]["density"] == 301


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        (b"pack", b"nix", "does “nix”"), (b"tidy = 0.4", b"tidy = 4", "tidy"), (b".quilt\",", b".obj\",", "mesh files"),
        (b"atlas = [\n    ", b"atlas = [\n    \"other\", ", "not there"), (b"version", b"versiom", "versiom"),
        (b"[[line]]", b"[[lines]]", "lines"),
    ],
)  # fmt: skip
def test_a_sheet_that_is_none_of_the_project_s_is_refused(sheet, client, atlas, old, new, said):
    sheet.change(sheet.remember()["id"], steps=STEPS)
    data = sheet_file(client, atlas)
    assert old in data
    answer = read_in(client, atlas, data.replace(old, new, 1))
    assert answer.status_code == 400 and re.search(said, str(answer.json())), answer.json()
    (row,) = sheet.lines()
    assert row["steps"][0]["settings"]["angle"] == 50


@pytest.mark.slow
def test_the_command_line_does_what_the_application_does(
    every_search, sheet, client, atlas, act, tmp_path, capsys
):
    """A line on the project file, with locks, stacks and weights that the sheet does not repeat: the same state to the bit."""
    line = sheet.remember()["id"]
    for said in ({"lock_rotation": True}, {"weight": 0.5}):
        assert act(atlas, "control", islands=[0], **said).status_code == 200
    steps = [{"do": "even-out", "settings": {"density": 90}}, {"do": "pack", "settings": {"effort": "quick", "seed": 5}}, {"do": "export", "settings": {}}]  # fmt: skip
    assert sheet.change(line, steps=steps).status_code == 200
    data = sheet_file(client, atlas)
    path = tmp_path / f"{atlas.project.name}.quilt"
    path.write_bytes(b"".join(client.get(f"/api/projects/{atlas.project_id}/project.quilt")))
    (tmp_path / "s.toml").write_bytes(data)
    assert main(["run", str(tmp_path / "s.toml")]) == 0
    # Saved once more it is current: when a project was written is no matter.
    again = b"".join(client.get(f"/api/projects/{atlas.project_id}/project.quilt"))
    assert again != path.read_bytes()
    path.write_bytes(again)
    capsys.readouterr()
    assert main(["run", str(tmp_path / "s.toml"), "--dry-run"]) == 0
    assert "current" in capsys.readouterr().out
    assert sheet.run(line).state == Job.DONE
    atlas.refresh_from_db()
    (made,) = (tmp_path / "build").rglob("*.quilt")
    with made.open("rb") as handle:
        state = project_document(open_project(handle, "made")).layout.state
    assert (state.islands == read_state(atlas.head).islands).all()
    assert list((tmp_path / "build").rglob("yard.obj"))


@pytest.mark.slow
def test_results_are_stepped_through_and_taken(sheet, act, atlas, client):
    line = sheet.remember()["id"]
    atlas.refresh_from_db()
    first = atlas.head_id
    assert sheet.run(line).state == Job.DONE
    atlas.refresh_from_db()
    second = atlas.head_id
    assert act(atlas, "control", islands=[0], weight=0.5).status_code == 200
    assert sheet.lines()[0]["state"] == "out of date"
    assert sheet.run(line).state == Job.DONE
    (now,) = sheet.lines()
    (last,) = now["runs"][1]["layouts"]
    assert (last["revision"], last["earlier"]) == (second, first) and len(now["runs"]) == 2
    assert now["state"] == "current"
    # The earlier result is taken: a step like others, after which the line is current again.
    answer = client.post(
        f"/api/run-lines/{line}/put-back/",
        {"change": step_of(atlas), "revision": second},
        content_type="application/json",
    )
    assert answer.status_code == 200, answer.content
    atlas.refresh_from_db()
    places = [
        read_state(r).islands["placement"] for r in (atlas.head, Revision.objects.get(pk=second))
    ]
    assert (places[0] == places[1]).all()
    assert sheet.lines()[0]["state"] == "current"
    for wrong in (first + 10_000, second):
        answer = client.post(
            f"/api/run-lines/{line}/put-back/",
            {"change": step_of(atlas), "revision": wrong},
            content_type="application/json",
        )
        assert answer.status_code == (404 if wrong != second else 400)
    for run in (now["runs"][0]["id"], 10_000, "x"):
        assert client.get(f"/api/run-lines/{line}/results/files.zip?run={run}").status_code == 404


def test_what_cannot_be_a_line_is_refused(sheet, act, atlas, client, send):
    line = sheet.remember()["id"]
    for steps in (
        [],
        [{"do": "fly"}],
        [{"do": "pack", "settings": {"padding": "wide"}}],
        [{"do": "pack", "settings": 3}],
    ):
        assert sheet.change(line, steps=steps).status_code == 400, steps
    body = {"change": step_of(atlas), "name": "Empty"}
    made = client.post(
        f"/api/projects/{atlas.project_id}/atlases/", body, content_type="application/json"
    )
    assert made.status_code == 201
    empty = made.json()["atlas"]
    answer = client.post(
        f"/api/atlases/{empty}/remember/", {"name": "x"}, content_type="application/json"
    )
    assert answer.status_code == 400 and "Nothing was done" in answer.json()["what"]
    assert client.get(f"/api/run-lines/{line}/results/files.zip").status_code == 404
    assert RunLine.objects.count() == 1


def test_many_lines_ask_the_database_no_more_than_one(sheet, atlas, client):
    def asked():
        with CaptureQueriesContext(connection) as queries:
            assert client.get(f"/api/projects/{atlas.project_id}/run-sheet/").status_code == 200
        return len(queries)

    sheet.remember()
    asked()  # the layout is read once
    one = asked()
    for k in range(6):
        sheet.remember(f"yard {k}")
    assert asked() == one


@pytest.fixture
def two(sheet, act, atlas, client):
    """The yard in two atlases, one object each: their ids, and a line of the first one."""
    assert act(atlas, "export").status_code == 202
    crate, bench = (client.get(f"/api/atlases/{atlas.pk}/").json()["head"]["id"], None)
    objects = client.get(f"/api/revisions/{crate}/").json()["objects"]
    bench = next(o["id"] for o in objects if o["name"] == "bench")
    body = {"change": step_of(atlas), "name": "benches", "objects": [bench]}
    made = client.post(f"/api/projects/{atlas.project_id}/atlases/", body, content_type="application/json")  # fmt: skip
    assert made.status_code == 201, made.content
    return (atlas.pk, made.json()["atlas"]), sheet.remember()["id"]


LINE = [
    {"do": "even-out", "settings": {"density": 90}}, {"do": "pack", "settings": {"effort": "quick", "seed": 3}},
    {"do": "check", "settings": {}}, {"do": "textures", "settings": {"layers": ["wireframe"]}}, {"do": "report", "settings": {}},
    {"do": "export", "settings": {}},
]  # fmt: skip


@pytest.mark.slow
def test_a_line_of_several_atlases(two, sheet, client, atlas):
    ids, line = two
    steps = [step for step in LINE if step["do"] != "textures"] + [
        {"do": "textures", "settings": {}}
    ]
    answer = sheet.change(line, atlases=list(ids), steps=steps)
    assert answer.status_code == 200, answer.content
    assert answer.json()["atlases"] == list(ids) and answer.json()["named"]
    job = sheet.run(line)
    assert job.state == Job.DONE, job.error
    assert set(job.further.values_list("pk", flat=True)) == {ids[1]}
    (now,) = sheet.lines()
    assert now["state"] == "current"
    (run,) = now["runs"]
    assert [row["atlas"] for row in run["layouts"]] == list(ids)
    assert now["present"] == [row["revision"] for row in run["layouts"]]
    assert all(row["after"]["errors"] == 0 for row in run["layouts"])
    for name, inside in (
        ("files", "benches/"),
        ("textures", "benches/"),
        ("report", "benches.html"),
    ):
        body = b"".join(client.get(f"/api/run-lines/{line}/results/{name}.zip"))
        with zipfile.ZipFile(io.BytesIO(body)) as archive:
            assert any(entry.startswith(inside) for entry in archive.namelist()), archive.namelist()
    # One of the two changes: the line is out of date, and both are put back where it fails.
    steps[1]["settings"] = {"effort": "quick", "padding": 16}
    steps[2] = {"do": "bake", "settings": {"maps": ["normal"], "width": 64, "pairs": "named"}}
    assert sheet.change(line, steps=steps).json()["state"] == "out of date"
    before = [Revision.objects.get(pk=pk) for pk in now["present"]]
    assert sheet.run(line).error["where"].startswith("step 3, bake")
    (after,) = sheet.lines()
    assert after["present"] == [row.pk for row in before], "what is shown is that of before"
    # The sheet names both, and comes in again.
    data = sheet_file(client, atlas)
    assert set(tomllib.loads(data.decode())["line"][0]["atlas"]) == {atlas.name, "benches"}
    assert client.delete(f"/api/run-lines/{line}/").status_code == 204
    (again,) = read_in(client, atlas, data).json()
    assert again["atlases"] == list(ids)


@pytest.mark.slow
def test_a_line_of_objects_in_a_channel(two, sheet, client, atlas, tmp_path):
    (first, second), line = two
    steps = [{"do": "unwrap", "settings": {"which": "all"}}, LINE[1], LINE[-1]]
    answer = sheet.change(line, objects=["bench"], channel=1, steps=steps)
    assert answer.status_code == 200, answer.content
    assert answer.json()["atlases"] == [second] and not answer.json()["named"]
    before = client.get(f"/api/atlases/{first}/").json()["head"]["id"]
    job = sheet.run(line)
    assert job.state == Job.DONE, job.error
    assert client.get(f"/api/atlases/{first}/").json()["head"]["id"] == before
    assert sheet.lines()[0]["state"] == "current"
    # The same on the project file.
    data = sheet_file(client, atlas)
    (row,) = tomllib.loads(data.decode())["line"]
    assert (row["objects"], row["channel"]) == (["bench"], 1) and "atlas" not in row
    path = tmp_path / f"{atlas.project.name}.quilt"
    path.write_bytes(b"".join(client.get(f"/api/projects/{atlas.project_id}/project.quilt")))
    (tmp_path / "s.toml").write_bytes(data)
    assert main(["run", str(tmp_path / "s.toml")]) == 0
    (made,) = (tmp_path / "build").rglob("*.quilt")
    head = Revision.objects.get(pk=client.get(f"/api/atlases/{second}/").json()["head"]["id"])
    with made.open("rb") as handle:
        state = project_document(open_project(handle, "made"), ["benches"]).layout.state
    assert (state.islands["placement"] == read_state(head).islands["placement"]).all()
    (tmp_path / "s.toml").write_bytes(data.replace(b"bench", b"banch"))
    assert main(["run", str(tmp_path / "s.toml")]) == 1
    (again,) = read_in(client, atlas, data).json()
    assert (again["objects"], again["channel"], again["atlases"]) == (["bench"], 1, [second])
    for wrong in ({"objects": ["nix"]}, {"channel": 9}, {"atlases": []}, {"atlases": [first], "channel": 1}):  # fmt: skip
        assert sheet.change(line, **wrong).status_code == 400, wrong
    assert sheet.change(line, atlases=[10_000]).status_code == 400


def test_lines_that_share_an_atlas_are_done_one_after_another(two, sheet):
    (first, second), line = two
    others = [sheet.remember(f"line {k}")["id"] for k in range(3)]
    assert sheet.change(others[0], atlases=[second]).status_code == 200
    rows = list(RunLine.objects.order_by("pk"))
    assert [[row.pk for row in lane] for lane in lanes(rows)] == [[line, *others[1:]], [others[0]]]
    assert sheet.change(others[2], atlases=[first, second]).status_code == 200
    assert [[row.pk for row in lane] for lane in lanes(rows)] == [[line, *others]]


def test_a_line_that_has_only_failed_so_far_is_told_after_a_change(sheet, act, atlas):
    line = sheet.remember()["id"]
    bake = {"do": "bake", "settings": {"maps": ["normal"], "width": 64, "pairs": "named"}}
    assert sheet.change(line, steps=[bake]).status_code == 200
    assert sheet.run(line).state == Job.FAILED
    assert sheet.lines()[0]["state"] == "failed"
    assert act(atlas, "control", islands=[0], weight=0.5).status_code == 200
    (now,) = sheet.lines()
    assert (now["state"], now["because"]) == ("out of date", ["it has not run yet"])
