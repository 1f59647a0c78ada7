"""Backups: taken while at work, read through, and restored to the bit into an empty installation."""

from __future__ import annotations

import io
import json
import zipfile

import pytest
from django.core.management import CommandError, call_command

from studio import storage
from studio.actions.errors import Refused
from studio.actions.people.invite import new_account
from studio.backup import back_up, restore, tables, verify, write_to
from studio.models import Atlas, BaseLayout, Change, Job, Membership, Project, Revision, Source
from tests.studio.conftest import step_of

pytestmark = [
    pytest.mark.django_db(transaction=True),
    pytest.mark.usefixtures("folder"),
    pytest.mark.slow,
]


@pytest.fixture
def worked(gathered, act, client):
    """A project with some history, drafts, stored results and people."""
    assert act(gathered, "pack", effort="quick").status_code == 202
    assert act(gathered, "control", islands=[0], weight=0.5).status_code == 200
    assert act(gathered, "export").status_code == 202
    body = {"change": step_of(gathered)}
    assert client.post(f"/api/projects/{gathered.project_id}/undo/", body, content_type="application/json").status_code == 200  # fmt: skip
    user = new_account("mira", "a lamp over the quiet harbour")
    Membership.objects.create(project=gathered.project, user=user, role="owner")
    gathered.refresh_from_db()
    return gathered


def rows():
    """All rows of all tables, to compare."""
    return {
        model._meta.label: sorted(map(repr, model._base_manager.values_list()))
        for model in tables()
    }


def emptied(settings, tmp_path):
    """Another, empty installation."""
    call_command("flush", verbosity=0, interactive=False)
    settings.MEDIA_ROOT = tmp_path / "elsewhere"


@pytest.mark.slow
def test_a_backup_is_restored_to_the_bit(worked, settings, tmp_path, client, act):
    target = io.BytesIO()
    made = back_up(target)
    assert made["missing"] == [] and made["rows"]["studio.revision"] == Revision.objects.count()
    before = rows()
    place = f"/api/revisions/{worked.head_id}/placements/"
    placements, geometry = client.get(place).content, client.get(f"/api/revisions/{worked.head_id}/geometry.glb").content  # fmt: skip
    files = {key: storage.get(key) for key in Source.objects.values_list("sha256", flat=True)}
    verify(io.BytesIO(target.getvalue()))
    with pytest.raises(Refused, match="not empty"):
        restore(io.BytesIO(target.getvalue()))
    emptied(settings, tmp_path)
    assert not Project.objects.exists()
    restore(io.BytesIO(target.getvalue()))
    assert rows() == before
    assert client.get(place).content == placements
    assert client.get(f"/api/revisions/{worked.head_id}/geometry.glb").content == geometry
    assert all(storage.get(key) == data for key, data in files.items())
    # And one works on from there: undone steps can be redone, new rows get new numbers.
    body = {"change": step_of(worked)}
    assert client.post(f"/api/projects/{worked.project_id}/redo/", body, content_type="application/json").status_code == 200  # fmt: skip
    assert act(worked, "pack", effort="quick", padding=3).status_code == 202
    made = client.post("/api/projects/", {"name": "Next"}, content_type="application/json")
    assert made.status_code == 201
    exported = Job.objects.filter(kind="export").latest("pk")
    assert b"".join(client.get(f"/api/jobs/{exported.pk}/download/"))[:2] == b"PK"


def test_what_is_done_meanwhile_is_in_the_backup_or_not_but_never_half(worked, act):
    seen: list[int] = []

    def tell(said):
        # Somebody goes on working after the rows were read.
        if "rows" in said and not seen:
            seen.append(Change.objects.count())
            assert act(worked, "pack", effort="quick", padding=5).status_code == 202

    target = io.BytesIO()
    made = back_up(target, tell)
    assert made["rows"]["studio.change"] == seen[0] < Change.objects.count()
    verify(io.BytesIO(target.getvalue()))


@pytest.mark.parametrize("harm", ["file", "rows", "lost", "version", "no zip"])
def test_damage_is_found_and_nothing_is_restored(worked, harm, settings, tmp_path):
    target = io.BytesIO()
    back_up(target)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(target.getvalue())) as old, zipfile.ZipFile(out, "w") as new:
        lost = False
        for name in old.namelist():
            data = old.read(name)
            if harm == "file" and name.startswith("files/") and not lost:
                data, lost = data[:-1] + bytes([data[-1] ^ 1]), True
            if harm == "lost" and name.startswith("files/") and not lost:
                lost = True
                continue
            if harm == "rows" and name == "rows.jsonl":
                data = data.replace(b"Pier", b"Pear")
            if harm == "version" and name == "contents.json":
                data = json.dumps(json.loads(data) | {"version": 99}).encode()
            new.writestr(name, data)
    data = b"nothing" if harm == "no zip" else out.getvalue()
    emptied(settings, tmp_path)
    with pytest.raises(Refused):
        restore(io.BytesIO(data))
    assert not Project.objects.exists() and not Atlas.objects.exists()


def test_the_commands_say_what_they_do(worked, tmp_path, capsys):
    path = tmp_path / "backup.zip"
    call_command("backup", str(path))
    assert "files are whole" in capsys.readouterr().out
    with pytest.raises(CommandError, match="file of this name"):
        call_command("backup", str(path))
    call_command("restore", str(path), "--only-look")
    with pytest.raises(CommandError, match="not empty"):
        call_command("restore", str(path))
    with pytest.raises(CommandError, match="No such file"):
        call_command("restore", str(tmp_path / "nothing.zip"))
    assert BaseLayout.objects.exists()


def test_a_full_disk_leaves_nothing_half_written(worked, tmp_path):
    def write(out):
        out.write(b"some")
        raise OSError(28, "No space left on device")

    with pytest.raises(Refused, match="No space left"):
        write_to(tmp_path / "b.zip", write)
    assert list(tmp_path.glob("b.zip*")) == []
