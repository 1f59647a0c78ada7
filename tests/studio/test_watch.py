"""A watched folder: newer versions come in by themselves once they are written, and nothing else does."""

from __future__ import annotations

import os
import time

import pytest

from studio.models import Job, MeshObject, RunLine, Source
from tests.studio.update_samples import obj_file

pytestmark = pytest.mark.django_db


@pytest.fixture
def yard(send, atlas, client, tmp_path):
    """A project of one file, a folder in which it lies, and helpers."""
    old = obj_file(("crate", 0, 1), ("bench", 9, 2))
    assert send(yard__obj=old).status_code == 201
    atlas.refresh_from_db()

    class Yard:
        folder = tmp_path

        def write(self, *boxes, seconds_ago=60.0, name="yard.obj"):
            path = tmp_path / name
            path.write_bytes(obj_file(*boxes))
            then = time.time() - seconds_ago
            os.utime(path, (then, then))

        def watch(self, path=tmp_path, run_lines=False):
            body = {"path": str(path), "run_lines": run_lines}
            return client.put(
                f"/api/projects/{atlas.project_id}/watch/", body, content_type="application/json"
            )

        def look(self):
            return client.post(f"/api/projects/{atlas.project_id}/watch/")

    here = Yard()
    here.write(("crate", 0, 1), ("bench", 9, 2))
    return here


def test_a_newer_file_is_brought_in_once_it_is_written(yard, atlas):
    assert yard.look().status_code == 204, "nothing is watched yet"
    assert yard.watch().json()["watched"] == 1
    found = yard.look().json()
    assert (found["waiting"], found["started"], found["wrong"]) == ([], "", "")
    # While it is being written it waits.
    yard.write(("crate", 0, 1), ("bench", 9, 3), ("lamp", 20, 1), seconds_ago=0)
    assert yard.look().json() | {"path": "", "change": 0} == {
        "change": 0,
        "path": "", "run_lines": False, "watched": 1, "waiting": ["yard.obj"], "started": "", "wrong": "",
    }  # fmt: skip
    yard.write(("crate", 0, 1), ("bench", 9, 3), ("lamp", 20, 1), seconds_ago=30)
    assert yard.look().json()["started"] == "yard.obj"
    job = Job.objects.filter(kind="update").latest("pk")
    assert job.state == Job.DONE and job.result["new"] == ["lamp"], job.error
    assert Source.objects.filter(replaced=None, is_mesh=True).count() == 1
    assert yard.look().json()["waiting"] == []
    assert MeshObject.objects.filter(source__replaced=None).count() == 3


def test_what_differs_from_the_start_comes_at_the_first_look(yard):
    yard.write(("crate", 0, 2), ("bench", 9, 2))
    yard.watch()
    assert yard.look().json()["started"] == "yard.obj"


def test_a_broken_file_is_told_once_and_tried_again_when_it_changes(yard):
    yard.watch()
    (yard.folder / "yard.obj").write_bytes(b"o nothing\nf 1 2 3\n")
    os.utime(yard.folder / "yard.obj", (1e9, 1e9))
    assert yard.look().json()["started"] == "yard.obj"
    assert Job.objects.filter(kind="update").latest("pk").state == Job.FAILED
    assert yard.look().json()["started"] == ""
    yard.write(("crate", 0, 1), ("bench", 9, 5))
    assert yard.look().json()["started"] == "yard.obj"
    assert Job.objects.filter(kind="update").latest("pk").state == Job.DONE


@pytest.mark.slow
def test_lines_follow_when_that_is_wanted(yard, act, atlas, client):
    assert act(atlas, "pack", effort="quick").status_code == 202
    made = client.post(
        f"/api/atlases/{atlas.pk}/remember/", {"name": "x"}, content_type="application/json"
    )
    line = made.json()["id"]
    assert client.post(f"/api/run-lines/{line}/run/").status_code == 202
    yard.watch(run_lines=True)
    assert yard.look().json()["started"] == ""
    yard.write(("crate", 0, 1), ("bench", 9, 4))
    assert yard.look().json()["started"] == "yard.obj"
    before = RunLine.objects.get(pk=line).results.count()
    assert yard.look().json()["started"] == "line “x”"
    assert RunLine.objects.get(pk=line).results.count() == before + 1
    assert yard.look().json()["started"] == ""


def test_only_folders_that_may_be_watched(yard, client, atlas, settings, tmp_path):
    assert yard.watch(tmp_path / "nowhere").status_code == 400
    assert yard.watch("assets").status_code == 400
    settings.WATCH_ROOTS = [str(tmp_path / "shared")]
    (tmp_path / "shared" / "yard").mkdir(parents=True)
    assert yard.watch().status_code == 400
    assert yard.watch(tmp_path / "shared" / ".." / "shared" / "yard").status_code == 200
    assert yard.watch(tmp_path / "shared" / "..").status_code == 400
    # A link does not lead out of the folder.
    (tmp_path / "shared" / "yard" / "yard.obj").symlink_to(tmp_path / "yard.obj")
    assert yard.look().json()["watched"] == 0
    settings.WATCH_ROOTS, settings.DEMAND_TOKEN = [], True
    answer = client.put(
        f"/api/projects/{atlas.project_id}/watch/", {"path": str(tmp_path)}, content_type="application/json",
        headers={"Authorization": f"Bearer {settings.TOKEN}"},
    )  # fmt: skip
    assert answer.status_code == 400 and "QUILT_WATCH_ROOTS" in answer.json()["fix"]
    settings.DEMAND_TOKEN = False
    assert client.delete(f"/api/projects/{atlas.project_id}/watch/").status_code == 204
    assert yard.look().status_code == 204
