"""A disk that is full, in each writing step: clear words, nothing half written, and all goes on once there is room."""

from __future__ import annotations

import errno
from contextlib import contextmanager

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection

from studio import storage
from studio.actions.errors import FULL, is_full
from studio.models import Change, Job, Note, Preset, Project, Revision, RunLine, Source
from studio.state import read_state
from tests.core.meshes import QUAD_OBJ
from tests.studio.conftest import step_of

pytestmark = pytest.mark.django_db(transaction=True)
JSON = "application/json"
COUNTED = (Project, Change, Revision, Source, Job, Preset, RunLine, Note)


@contextmanager
def full_database():
    """SQLite may take no further page, as where the disk is full."""
    if connection.vendor != "sqlite":
        pytest.skip("PostgreSQL's disk cannot be filled from here")
    with connection.cursor() as cursor:
        # What is free within the file is used up first.
        cursor.execute("PRAGMA max_page_count")
        (before,) = cursor.fetchone()
        cursor.execute("CREATE TABLE IF NOT EXISTS ballast (b BLOB)")
        cursor.execute("PRAGMA page_count")
        (pages,) = cursor.fetchone()
        cursor.execute(f"PRAGMA max_page_count = {pages}")
        for size in (40_000, 4_000, 900, 200, 50):
            try:
                while True:
                    cursor.execute("INSERT INTO ballast VALUES (zeroblob(%s))", [size])
            except Exception as error:
                assert is_full(error), error
    try:
        yield
    finally:
        with connection.cursor() as cursor:
            cursor.execute(f"PRAGMA max_page_count = {before}")
            cursor.execute("DROP TABLE ballast")


@contextmanager
def full_storage(monkeypatch):
    """No file can be stored."""

    def write(name, data):
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(storage, "write_whole", write)
        yield


def counts(atlas):
    """What is there, and the newest layout to the bit."""
    atlas.refresh_from_db()
    state = read_state(atlas.head)
    return [model.objects.count() for model in COUNTED], state.islands.tobytes(), step_of(atlas)  # fmt: skip


STEPS = {
    "a new project": lambda c, a, k: c.post("/api/projects/", {"name": "Quay " * 20}, content_type=JSON),
    "files": lambda c, a, k: c.post(f"/api/projects/{a.project_id}/files/", {"files": SimpleUploadedFile("more.obj", QUAD_OBJ * 40)}),
    "a move": lambda c, a, k: c.post(f"/api/atlases/{a.pk}/move/", {"change": step_of(a), "verb": "move", "islands": [0, 1, 2], "moves": [[1, 0, 0.1, 0, 1, 0]]}, content_type=JSON),
    "controls": lambda c, a, k: c.post(f"/api/atlases/{a.pk}/control/", {"change": step_of(a), "islands": [0, 1, 2], "weight": 0.2 + 0.01 * k}, content_type=JSON),
    "tiles": lambda c, a, k: c.put(f"/api/atlases/{a.pk}/tiles/", {"change": step_of(a), "tiles": [{"number": 1001 + n, "width": 512 + k, "height": 512} for n in range(90)]}, content_type=JSON),
    "rules": lambda c, a, k: c.patch(f"/api/projects/{a.project_id}/", {"change": step_of(a), "house_density": 333.0 + k}, content_type=JSON),
    "an atlas": lambda c, a, k: c.post(f"/api/projects/{a.project_id}/atlases/", {"change": step_of(a), "name": "Shed", "objects": []}, content_type=JSON),
    "a copy": lambda c, a, k: c.post(f"/api/projects/{a.project_id}/duplicate/"),
    "a pack": lambda c, a, k: c.post(f"/api/atlases/{a.pk}/pack/", {"change": step_of(a), "effort": "quick", "islands": [0, 1, 2] * 700}, content_type=JSON),
    "an export": lambda c, a, k: c.post(f"/api/atlases/{a.pk}/export/", {"change": step_of(a)}, content_type=JSON),
}  # fmt: skip


@pytest.mark.parametrize("step", STEPS)
@pytest.mark.slow
def test_a_full_database_refuses_in_words_and_nothing_is_half_written(step, gathered, client):
    before = counts(gathered)
    with full_database():
        for k in range(40):
            # A small row may fit into what is left of a page.
            answer = STEPS[step](client, gathered, k)
            if answer.status_code == 507:
                break
            before = counts(gathered)
        assert answer.status_code == 507, answer.content
        told = answer.json()
        assert told["what"] == FULL and "Make room" in told["fix"]
        assert client.get(f"/api/projects/{gathered.project_id}/").status_code == 200
        assert counts(gathered) == before
    answer = STEPS[step](client, gathered, 50)
    assert answer.status_code in (200, 201, 202), answer.content


JOBS = {
    "export": {},
    "merge": {"width": 64},
    "textures": {"kinds": ["layout"]},
    "report": {},
    "bake": {"maps": ["normal"], "width": 64},
}


@pytest.mark.parametrize("kind", JOBS)
@pytest.mark.slow
def test_a_job_that_finds_no_room_for_its_files_fails_in_words(kind, gathered, act, monkeypatch):
    layout = read_state(gathered.head).islands.tobytes()
    with full_storage(monkeypatch):
        answer = act(gathered, kind, **JOBS[kind])
        assert answer.status_code in (202, 507), answer.content
        if answer.status_code == 202:
            job = Job.objects.get(pk=answer.json()["id"])
            assert job.state == Job.FAILED and job.error["what"] == FULL, job.error
            assert "Make room" in job.error["fix"]
    gathered.refresh_from_db()
    assert read_state(gathered.head).islands.tobytes() == layout
    job = Job.objects.get(pk=act(gathered, kind, **JOBS[kind]).json()["id"])
    assert job.state == Job.DONE, job.error


def test_an_upload_that_finds_no_room_is_refused_and_nothing_is_there(gathered, send, monkeypatch):
    before = counts(gathered)
    with full_storage(monkeypatch):
        answer = send(more__obj=QUAD_OBJ.replace(b"0.5", b"0.75"))
        assert answer.status_code == 507 and answer.json()["what"] == FULL
    assert counts(gathered) == before
    assert send(more__obj=QUAD_OBJ.replace(b"0.5", b"0.75")).status_code == 201


def test_other_faults_are_not_taken_for_a_full_disk():
    assert not is_full(OSError(errno.EACCES, "Permission denied"))
    assert not is_full(ValueError("database or disk is full of fish"))
    wrapped = RuntimeError("it failed")
    wrapped.__cause__ = OSError(errno.EDQUOT, "Disk quota exceeded")
    assert is_full(wrapped)
