"""Projects are renamed, deleted and brought back; what nothing refers to is cleared, and nothing
else."""

import os
import time
from datetime import timedelta
from pathlib import Path

import pytest
from django.core.files.storage import FileSystemStorage, default_storage
from django.core.management import call_command
from django.utils import timezone

from quilt_core.operations.operation import Progress
from studio import storage
from studio.actions.project.clean_projects import clear
from studio.actions.run.lines import do_line
from studio.models import (
    Atlas,
    FileReference,
    GivenTexture,
    Job,
    Project,
    RunLine,
    SavedProfile,
    Source,
    TileImage,
)
from studio.state import read_state
from studio.transfer import ProjectRows
from tests.studio.conftest import step_of

HOURS = 48


@pytest.fixture
def age(monkeypatch):
    """Make all that is stored two days old."""

    def in_a_folder():
        then = time.time() - 3600 * HOURS
        for path in Path(default_storage.location).rglob("*"):
            if path.is_file():
                os.utime(path, (then, then))

    def in_a_bucket():
        # Nobody can set times there: those of what was stored until now are read as older ones.
        time.sleep(1.1)  # they are in whole seconds
        age_of, listed, now = storage.age_of, storage.listed, int(time.time())

        def older(seconds):
            return seconds + 3600 * HOURS * (time.time() - seconds < now)

        monkeypatch.setattr(storage, "age_of", lambda name: older(age_of(name)))
        monkeypatch.setattr(
            storage, "listed", lambda: [(name, older(old)) for name, old in listed()]
        )

    return in_a_folder if isinstance(default_storage, FileSystemStorage) else in_a_bucket


def files():
    return {name.rpartition("/")[2] for name, _ in storage.listed()}


def test_a_project_is_renamed_deleted_and_brought_back(client, gathered):
    url = f"/api/projects/{gathered.project_id}/"
    given = {"name": "Quay", "change": step_of(gathered)}
    assert client.patch(url, given, content_type="application/json").json()["name"] == "Quay"
    waiting = Job.objects.create(kind="pack", project=gathered.project, atlas=gathered)
    assert client.delete(url).json()["deleted"]
    waiting.refresh_from_db()
    assert waiting.state == Job.CANCELLED
    assert client.delete(url).status_code == 409
    (listed,) = client.get("/api/projects/").json()
    assert listed["deleted"]
    assert client.post(f"{url}restore/").json()["deleted"] is None
    assert client.post(f"{url}restore/").status_code == 409
    assert client.get(f"/api/revisions/{gathered.head_id}/").status_code == 200, "as it was"


@pytest.mark.slow
def test_only_what_nothing_refers_to_is_cleared(client, gathered, act, age, capsys):
    act(gathered, "pack", effort="quick", seconds=1)
    act(gathered, "export")
    act(gathered, "report")
    client.get(f"/api/revisions/{gathered.head_id}/geometry.glb")
    given = storage.put(b"a picture that a material was given")
    GivenTexture.objects.create(source=Source.objects.first(), name="a.png", sha256=given)
    behind = storage.put(b"a picture behind a sheet")
    TileImage.objects.create(atlas=gathered, tile=1001, name="b.png", sha256=behind)
    stray, fresh = storage.put(b"nobody wants this"), storage.put(b"a job is about to want this")
    before = files()
    age()
    assert storage.put(b"a job is about to want this") == fresh, "stored again, it counts as new"
    call_command("clear_files")
    assert "0 projects and" in capsys.readouterr().out
    left = files()
    assert stray in before - left
    assert {given, behind} <= left
    assert fresh in left
    assert {
        name
        for name in before - left
        if not name.startswith(("geometry-", "thumbnail-", "materials-"))
    } == {stray}
    for source in Source.objects.all():
        assert storage.get(source.sha256)
    job = Job.objects.get(kind="export")
    assert client.get(f"/api/jobs/{job.pk}/download/").status_code == 200
    assert client.get(f"/api/revisions/{gathered.head_id}/geometry.glb").status_code == 200, (
        "made again"
    )


def test_references_follow_their_rows(client, gathered, act):
    """Each file that a row names has a reference, which changes and goes with it."""
    act(gathered, "report")
    named = ProjectRows(gathered.project).record().files()
    known = set(FileReference.objects.values_list("sha256", flat=True))
    assert named.keys() <= known
    job = Job.objects.get(kind="report")
    assert {job.result["html"], job.result["json"]} == set(
        job.stored.values_list("sha256", flat=True)
    )
    first, second = storage.put(b"first"), storage.put(b"second")
    where = {"atlas": gathered, "tile": 1001, "purpose": "behind"}
    for key in (first, second):
        row, _ = TileImage.objects.update_or_create(**where, defaults={"sha256": key, "name": "b"})  # fmt: skip
        assert row.stored.get().sha256 == key
    row.delete()
    assert not FileReference.objects.filter(sha256__in=(first, second)).exists()


def test_what_a_line_has_made_is_kept(client, gathered, act, age):
    """Reports and textures of a line, too, even when its job is forgotten."""
    steps = [{"do": "textures", "settings": {}}, {"do": "report", "settings": {}}]
    line = RunLine.objects.create(project=gathered.project, name="x", steps=steps)
    line.atlases.add(gathered)
    do_line(line, Progress())
    age()
    call_command("clear_files")
    made = dict(line.results.get().stored.values_list("purpose", "sha256"))
    assert set(made) == {"report", "textures"} and all(map(storage.has, made.values()))


@pytest.mark.parametrize(
    ("days", "busy", "gone"), [(6.9, False, False), (7.1, False, True), (7.1, True, False)]
)
def test_a_project_is_forgotten_after_a_week_unless_it_is_at_work(gathered, age, days, busy, gone):
    project = gathered.project
    if busy:
        Job.objects.create(kind="measure", project=project, state=Job.RUNNING)
    Project.objects.filter(pk=project.pk).update(deleted=timezone.now() - timedelta(days=days))
    age()
    projects, removed = clear()
    assert (projects == 1) == gone
    assert Project.objects.filter(pk=project.pk).exists() != gone
    if gone:
        assert removed
        assert files() == set()


@pytest.mark.slow
def test_a_copy_of_a_project_is_as_it_is_and_goes_its_own_way(client, gathered, act, age):
    act(gathered, "pack", effort="quick", seconds=1)
    act(gathered, "control", islands=[1], weight=2)
    GivenTexture.objects.create(source=Source.objects.first(), name="a.png", sha256="0" * 64)
    TileImage.objects.create(atlas=gathered, tile=1001, name="b.png", sha256="0" * 64)
    SavedProfile.objects.create(project=gathered.project, name="mine", what={})
    copy = client.post(f"/api/projects/{gathered.project_id}/duplicate/").json()
    assert copy["name"] == "Pier (copy)"
    assert (copy["objects"], copy["undo"], copy["house_density"]) == (
        3,
        "",
        gathered.project.house_density,
    )
    twin = Atlas.objects.get(pk=copy["atlases"][0]["id"])
    assert [row.name for row in twin.tile_images.all()] == ["b.png"]
    assert [row.name for row in twin.project.profiles.all()] == ["mine"]
    assert GivenTexture.objects.filter(source__project=twin.project).count() == 1
    gathered.refresh_from_db()
    mine, its = read_state(gathered.head), read_state(twin.head)
    assert its.islands.tobytes() == mine.islands.tobytes()
    assert {row.object for row in its.members} & {row.object for row in mine.members} == set()
    assert twin.head.figures == gathered.head.figures
    assert act(twin, "even-out", density=100).status_code == 202
    gathered.refresh_from_db()
    assert read_state(gathered.head).islands.tobytes() == mine.islands.tobytes()
    client.delete(f"/api/projects/{gathered.project_id}/")
    Project.objects.filter(pk=gathered.project_id).update(
        deleted=timezone.now() - timedelta(days=9)
    )
    age()
    assert clear()[0] == 1
    assert act(twin, "export", layout_only=True).status_code == 202
    assert Job.objects.get(project=copy["id"], kind="export").state == Job.DONE
