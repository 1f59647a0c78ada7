"""A project as a file: its layouts, history and files come out in another installation as they were."""

from __future__ import annotations

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from quilt_cli.main import main
from studio import storage
from studio.models import Change, Note, Project, Revision, RunLine
from studio.state import read_state
from tests.core.projects import archive_of, entries_of, project_bytes, with_records
from tests.studio.conftest import step_of

pytestmark = [
    pytest.mark.django_db(transaction=True),
    pytest.mark.usefixtures("folder"),
    pytest.mark.slow,
]


@pytest.fixture
def worked(gathered, act, client):
    """A project with edits, an undone step, notes, a line and a draft."""
    assert act(gathered, "pack", effort="quick").status_code == 202
    assert act(gathered, "pack", effort="quick", padding=5, draft=True).status_code == 202
    assert act(gathered, "control", islands=[0], weight=0.5).status_code == 200
    assert client.post(f"/api/atlases/{gathered.pk}/remember/", {"name": "x"}, content_type="application/json").status_code == 201  # fmt: skip
    about = {"text": "Hm.", "atlas": gathered.pk}
    assert client.post(f"/api/projects/{gathered.project_id}/notes/", about, content_type="application/json").status_code == 201  # fmt: skip
    body = {"change": step_of(gathered)}
    assert client.post(f"/api/projects/{gathered.project_id}/undo/", body, content_type="application/json").status_code == 200  # fmt: skip
    gathered.refresh_from_db()
    return gathered


def saved(client, project) -> bytes:
    return b"".join(client.get(f"/api/projects/{project}/project.quilt"))


def brought_in(client, data):
    return client.post("/api/project-files/", {"file": SimpleUploadedFile("p.quilt", data)})


@pytest.mark.slow
def test_a_project_comes_out_as_it_went_in(worked, client, act):
    data = saved(client, worked.project_id)
    # Numbers of another installation are others: rows come before those that come in.
    assert (
        client.post(
            "/api/projects/", {"name": "Between"}, content_type="application/json"
        ).status_code
        == 201
    )
    answer = brought_in(client, data)
    assert answer.status_code == 201, answer.content
    made = Project.objects.get(pk=answer.json()["id"])
    old = Project.objects.get(pk=worked.project_id)
    assert made.settings == old.settings and len(made.redo) == len(old.redo) == 1
    atlas = made.atlases.get()
    for there, here in ((atlas.head, worked.head),):
        assert (read_state(there).islands == read_state(here).islands).all()
    geometry = [
        client.get(f"/api/revisions/{a.head_id}/placements/").content for a in (atlas, worked)
    ]
    assert geometry[0] == geometry[1]
    assert client.get(f"/api/revisions/{atlas.head_id}/geometry.glb").status_code == 200
    steps = [client.get(f"/api/projects/{p.pk}/history/").json()["steps"] for p in (made, old)]
    assert [s["verb"] for s in steps[0]] == [s["verb"] for s in steps[1]]
    drafts = [Revision.objects.filter(atlas=a, draft=True).count() for a in (atlas, worked)]
    assert drafts == [1, 1]
    assert Note.objects.get(project=made).atlas == atlas
    line = RunLine.objects.get(project=made)
    assert line.atlases.get() == atlas and not line.made_from and not line.results.exists()
    # Nothing of it refers to the old one.
    for change in Change.objects.filter(project=made):
        assert all(a == atlas.pk for a, _ in change.atlases)
        assert all(
            f"/{atlas.pk}/" in name or name.startswith("settings") for name in change.touched
        )
    # One works on: redo, undo all the way, pack, and the old one stays as it is.
    before = old.head_id
    for verb in ("redo", "undo", "undo"):
        body = {"change": step_of(atlas)}
        assert client.post(f"/api/projects/{made.pk}/{verb}/", body, content_type="application/json").status_code == 200  # fmt: skip
    assert act(atlas, "pack", effort="quick", padding=3).status_code == 202
    assert act(atlas, "export").status_code == 202
    old.refresh_from_db()
    assert old.head_id == before


def test_it_goes_out_again_as_it_came_in(worked, client):
    """The records to the letter: nothing is lost on the way, and no number of a row stands in them."""
    data = saved(client, worked.project_id)
    client.post("/api/projects/", {"name": "Between"}, content_type="application/json")
    made = brought_in(client, data).json()["id"]
    one, two = entries_of(data), entries_of(saved(client, made))
    assert one.pop("quilt.json") and two.pop("quilt.json")  # when they were written
    assert one.keys() == two.keys()
    assert all(one[name] == two[name] for name in one)


@pytest.mark.slow
def test_a_draft_of_an_unwrap_is_kept_in_the_copy(send, atlas, act, client):
    """What it tells of objects by their numbers is about those of the copy."""
    bare = b"o Crate\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n"
    assert send(bare__obj=bare).status_code == 201
    assert act(atlas, "unwrap", draft=True).status_code == 202
    client.post("/api/projects/", {"name": "Between"}, content_type="application/json")
    made = Project.objects.get(pk=brought_in(client, saved(client, atlas.project_id)).json()["id"])
    here = made.atlases.get()
    draft = Revision.objects.get(atlas=here, draft=True)
    (row,) = draft.params["figures"]
    assert row["id"] == made.mesh_objects.get().pk and "objects" not in draft.params
    body = {"change": step_of(here)}
    assert client.post(f"/api/drafts/{draft.pk}/", body, content_type="application/json").status_code == 200  # fmt: skip
    here.refresh_from_db()
    assert len(read_state(here.head).islands) == 1


@pytest.mark.slow
def test_what_the_command_line_adds_is_a_step_in_the_application(worked, client, tmp_path):
    path = tmp_path / "pier.quilt"
    path.write_bytes(saved(client, worked.project_id))
    assert main(["pack", str(path), "--effort", "quick", "--in-place"]) == 0
    made = Project.objects.get(pk=brought_in(client, path.read_bytes()).json()["id"])
    assert (made.head.verb, made.head.author) == ("pack", "command line")
    atlas = made.atlases.get()
    body = {"change": step_of(atlas)}
    assert client.post(f"/api/projects/{made.pk}/undo/", body, content_type="application/json").status_code == 200  # fmt: skip
    atlas.refresh_from_db()
    assert (read_state(atlas.head).islands == read_state(worked.head).islands).all()


def test_what_is_no_project_is_refused_and_leaves_nothing(worked, client):
    """What is wrong in all ways is the core's test; here: in words, and nothing is stored."""
    data = saved(client, worked.project_id)
    count, files = Project.objects.count(), len(list(storage.listed()))
    fresh = b"o x\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nf 1/1 2/2 3/3\n"
    wrong = project_bytes({"fresh.obj": fresh})
    for bad in (
        b"no zip",
        with_records(data, lambda p: p["objects"].pop()),
        with_records(wrong, lambda p: p["bases"][0].update(islands=5)),
        # The hash of somebody else's file opens nothing: a project file holds all that it names.
        archive_of({k: v for k, v in entries_of(data).items() if not k.startswith("files/")}),
    ):
        answer = brought_in(client, bad)
        assert answer.status_code == 400 and answer.json()["what"] and answer.json()["fix"]
    assert Project.objects.count() == count
    assert len(list(storage.listed())) == files
