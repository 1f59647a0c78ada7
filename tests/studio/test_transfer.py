"""A project as a file: its layouts, history and files come out in another installation as they were."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from studio.models import Change, Note, Project, Revision, RunLine
from studio.state import read_state
from tests.studio.conftest import step_of

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.usefixtures("folder")]


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
    return b"".join(client.get(f"/api/projects/{project}/project.zip"))


def brought_in(client, data):
    return client.post("/api/project-files/", {"file": SimpleUploadedFile("p.zip", data)})


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
    assert RunLine.objects.get(project=made).made == {}
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
    # And goes out again with the same rows.
    rows = [
        json.loads(zipfile.ZipFile(io.BytesIO(d)).read("contents.json"))["rows"]
        for d in (data, saved(client, old.pk))
    ]
    assert rows[0] == rows[1]


def test_what_is_no_project_is_refused_and_leaves_nothing(worked, client):
    data = saved(client, worked.project_id)
    count = Project.objects.count()
    assert brought_in(client, b"no zip").status_code == 400
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            body = old.read(name)
            new.writestr(name, body[:-1] + b"x" if name.startswith("files/") else body)
    assert brought_in(client, out.getvalue()).status_code == 400
    # The hash of somebody else's file opens nothing.
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        contents = json.loads(old.read("contents.json"))
        first, *left = [name for name in old.namelist() if name.startswith("files/")]
        contents |= {"files": len(left), "missing": [first.removeprefix("files/")]}
        for name in [*left, "rows.jsonl"]:
            new.writestr(name, old.read(name))
        new.writestr("contents.json", json.dumps(contents))
    answer = brought_in(client, out.getvalue())
    assert answer.status_code == 400 and "missing" in answer.json()["what"]
    # Rows that refer to what is not there.
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        lines = [line for line in old.read("rows.jsonl").splitlines(keepends=True) if b"studio.meshobject" not in line]  # fmt: skip
        contents = json.loads(old.read("contents.json"))
        contents["rows"]["studio.meshobject"] = 0
        contents["rows_sha256"] = hashlib.sha256(b"".join(lines)).hexdigest()
        for name in old.namelist():
            if name not in ("rows.jsonl", "contents.json"):
                new.writestr(name, old.read(name))
        new.writestr("rows.jsonl", b"".join(lines))
        new.writestr("contents.json", json.dumps(contents))
    answer = brought_in(client, out.getvalue())
    assert answer.status_code == 400 and "fit together" in answer.json()["what"]
    assert Project.objects.count() == count
