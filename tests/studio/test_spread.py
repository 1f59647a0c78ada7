"""Large jobs in parts: done by whoever is there, put together as if one had done them, stopped and begun again."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest

from quilt_core.bake.kept import as_bytes, from_bytes
from studio.actions.check import bake_maps as rehearsal
from studio.actions.errors import Refused
from studio.actions.stop_jobs import cancel_job
from studio.jobs import kinds
from studio.jobs.parts import Part, do_parts, first_error
from studio.jobs.reporter import Reporter
from studio.models import Atlas, Job
from studio.state import read_state
from tests.core.bake_findings_samples import glb
from tests.core.high_poly import plane, surface
from tests.studio.conftest import step_of
from tests.studio.merge_samples import job_of
from tests.studio.update_samples import obj_file

pytestmark = pytest.mark.django_db
TILES = 6


@pytest.fixture
def plates(send, atlas, act):
    """A plate on each of six tiles, and a wavy fine one for each."""
    files = {}
    for k in range(TILES):
        low = plane(2)
        wave = plane(30, lambda x, y, k=k: 0.01 * np.sin((9 + 3 * k) * x))
        shift = (3.0 * k, 0, 0)
        files[f"Plate{k}, low"] = surface(low.points + shift, uv=low.uv * 0.9 + (k + 0.05, 0.05))
        files[f"Plate{k}, high"] = surface(wave.points + shift, uv=plane(30).uv * 0.1 + 8)
    assert send(plates__glb=glb(**files)).status_code == 202
    rows = [{"number": 1001 + k, "width": 64, "height": 64} for k in range(TILES + 1)]
    assert act(atlas, "tiles", method="put", tiles=rows).status_code == 200
    atlas.refresh_from_db()
    return atlas


@pytest.mark.slow
def test_a_bake_of_many_tiles_is_the_same_in_parts(plates, act, monkeypatch):
    given = {"maps": ["normal", "occlusion", "height"], "width": 64, "rays": 16, "distance": 0.05}
    alone = job_of(act(plates, "bake", **given))
    assert alone.state == Job.DONE and not alone.parts.exists()
    monkeypatch.setattr(rehearsal, "MANY_TEXELS", 0)
    job = job_of(act(plates, "bake", **given))
    assert job.state == Job.DONE, job.error
    assert job.parts.count() == TILES + 1 and not job.parts.exclude(state=Job.DONE).exists()
    # What the parts had stored is referred to no more: it would stay for ever.
    assert {str(part.result) for part in job.parts.all()} == {"{'cleared': True}"}
    same = [k for k in alone.result if k.startswith("image ") or k in ("findings", "maps", "seams", "pairs", "whole")]  # fmt: skip
    assert len(same) > 3 * TILES
    for key in same:
        assert job.result[key] == alone.result[key], key
    assert not rehearsal._KEPT_CASE, "nothing is held once it is done"


@pytest.mark.slow
def test_parts_are_no_jobs_of_their_own_for_the_user(plates, act, client, monkeypatch):
    monkeypatch.setattr(rehearsal, "MANY_TEXELS", 0)
    job = job_of(act(plates, "bake", maps=["normal"], width=64))
    told = client.get(f"/api/projects/{plates.project_id}/jobs/").json()
    assert job.pk in [row["id"] for row in told]
    assert "bake part" not in [row["kind"] for row in told]


@pytest.mark.slow
def test_tiles_come_back_to_the_bit(plates, monkeypatch, act):
    seen = []
    monkeypatch.setattr(rehearsal, "MANY_TEXELS", 0)
    real = rehearsal.bake_part
    monkeypatch.setattr(kinds, "bake_part", lambda *a: seen.append(real(*a)) or seen[-1])
    job_of(act(plates, "bake", maps=["normal"], width=64))
    (one,) = from_bytes(seen[2])
    (again,) = from_bytes(as_bytes([one]))
    assert one.tile == again.tile and one.tile.number == 1003 and one.whole
    for name, values in one.maps.items():
        assert values.dtype == np.float32 and values.tobytes() == again.maps[name].tobytes()
    for name in ("owner", "rim", "source"):
        assert (getattr(one.texels, name) == getattr(again.texels, name)).all()
    assert (one.rays == again.rays).all() and (one.triangles == again.triangles).all()


class Piece(msgspec.Struct):
    name: str


@pytest.fixture
def whole(project, monkeypatch):
    """A running job, and parts that note down in which order they are done."""
    log = []

    def do(job, asked, reporter):
        log.append(asked.name)
        if asked.name == "bad":
            raise Refused("It is torn.", "bad", "Mend it.")
        if asked.name == "stop":
            cancel_job(job.parent, keep=False)
        return {"name": asked.name}

    monkeypatch.setitem(kinds.JOB_KINDS, "piece", (Piece, do))
    job = Job.objects.create(kind="pieces", project=project, state=Job.RUNNING)
    return job, log


def pieces(*lanes):
    return [[Part("piece", {"name": name}) for name in lane.split()] for lane in lanes]


def test_lanes_are_done_in_order_and_what_was_done_is_not_done_again(whole, project):
    job, log = whole
    Job.objects.create(kind="piece", project=project, parent=job, part=0, params={"name": "a1"}, state=Job.DONE, result={"name": "a1"})  # fmt: skip
    parts = do_parts(job, Reporter(job), pieces("a1 a2 a3", "b1 b2"))
    assert [p.params["name"] for p in parts] == ["a1", "a2", "a3", "b1", "b2"]
    assert sorted(log) == ["a2", "a3", "b1", "b2"]
    assert log.index("a2") < log.index("a3") and log.index("b1") < log.index("b2")
    assert first_error(parts) is None


def test_a_part_that_fails_is_told_and_the_others_are_done(whole):
    job, _ = whole
    parts = do_parts(job, Reporter(job), pieces("bad a2", "b1"))
    assert [p.state for p in parts] == [Job.FAILED, Job.DONE, Job.DONE]
    error = first_error(parts)
    assert (error.what, error.where, error.fix) == ("It is torn.", "bad", "Mend it.")


def test_parts_that_have_not_begun_are_ended_with_the_whole(whole, monkeypatch):
    job, log = whole
    monkeypatch.setattr("studio.jobs.reporter.LISTEN_EVERY", -1)
    parts = do_parts(job, Reporter(job), pieces("stop never"))
    assert log == ["stop"] and [p.params["name"] for p in parts] == ["stop"]
    job.refresh_from_db()
    assert job.cancel == "drop"


@pytest.mark.slow
def test_the_run_sheet_is_one_job_and_lines_of_an_atlas_wait_for_each_other(send, act, atlas, client):  # fmt: skip
    assert send(yard__obj=obj_file(("crate", 0, 1), ("bench", 9, 2))).status_code == 201
    assert act(atlas, "pack", effort="quick", padding=8, margin=4).status_code == 202
    sheet = f"/api/projects/{atlas.project_id}/run-sheet/"
    lines = [
        client.post(f"/api/atlases/{atlas.pk}/remember/", {"name": name}, content_type="application/json").json()["id"]
        for name in ("one", "two", "three")
    ]  # fmt: skip
    # The second one bakes pairs that are not there; the third one is done nevertheless.
    steps = client.get(sheet).json()[1]["steps"]
    steps.insert(1, {"do": "bake", "settings": {"maps": ["normal"], "width": 64, "pairs": "named"}})
    client.patch(f"/api/run-lines/{lines[1]}/", {"steps": steps}, content_type="application/json")
    answer = client.post(sheet, {"lines": lines}, content_type="application/json")
    assert answer.status_code == 202, answer.content
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE, job.error
    assert job.result["lines"] == [lines[0], lines[2]] and job.result["left"] == 0
    (failed,) = job.result["failed"]
    assert failed["line"] == lines[1] and failed["what"] and failed["fix"]
    assert [line["state"] for line in client.get(sheet).json()] == ["current", "failed", "current"]
    ends = list(job.parts.order_by("part").values_list("created", "finished"))
    assert all(ended <= begun for (_, ended), (begun, _) in zip(ends, ends[1:], strict=False))
    # Of other projects nothing is done.
    assert client.post(sheet, {"lines": [lines[0], 9999]}, content_type="application/json").status_code == 400  # fmt: skip


@pytest.mark.slow
def test_a_line_whose_atlas_is_busy_is_told_and_left(send, act, atlas, client):
    assert send(yard__obj=obj_file(("crate", 0, 1))).status_code == 201
    assert act(atlas, "pack", effort="quick").status_code == 202
    line = client.post(f"/api/atlases/{atlas.pk}/remember/", {"name": "one"}, content_type="application/json").json()["id"]  # fmt: skip
    Job.objects.create(kind="pack", project=atlas.project, atlas=atlas, state=Job.RUNNING)
    before = read_state(Atlas.objects.get(pk=atlas.pk).head).islands.tobytes()
    answer = client.post(f"/api/projects/{atlas.project_id}/run-sheet/", {"lines": [line]}, content_type="application/json")  # fmt: skip
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE and job.result["failed"][0]["what"].startswith("A job is at work")
    assert read_state(Atlas.objects.get(pk=atlas.pk).head).islands.tobytes() == before
    assert step_of(atlas)
