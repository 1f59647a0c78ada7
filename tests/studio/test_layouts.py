"""Revisions, jobs, undo and redo, exports."""

import io
import json
import signal
import socket
import struct
import subprocess
import sys
import zipfile
from datetime import timedelta

import numpy as np
import psutil
import pytest
from django.db import OperationalError, connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from PIL import Image

from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.placement import identity
from studio import storage
from studio.actions.errors import Refused
from studio.actions.history.change import Made, check_idle, edit_atlas, finish_job
from studio.arrays import load_layout
from studio.jobs import queue
from studio.jobs import run as jobs
from studio.jobs.reporter import LostClaim, Reporter
from studio.jobs.run import queue_forgotten_jobs
from studio.models import Job, Revision, Source
from studio.state import members_of, read_state, tiles_of
from tests.core.meshes import QUAD_OBJ, json_of, plain_glb
from tests.studio.conftest import step_of


def figures(client, atlas):
    atlas.refresh_from_db()
    return client.get(f"/api/revisions/{atlas.head_id}/").json()["figures"]


def pack(act, atlas, **more):
    return act(atlas, "pack", size="512x512", effort="quick", **more)


@pytest.mark.slow
def test_even_out_then_pack_then_undo_and_redo(gathered, act, client):
    act(gathered, "project", "patch", house_density=300)
    assert act(gathered, "even-out").status_code == 202
    evened = figures(client, gathered)
    assert (evened["density"]["min"], evened["density"]["max"]) == (300, 300)
    assert pack(act, gathered).status_code == 202
    packed = figures(client, gathered)
    assert packed["overlapping"] == 0
    assert packed["gap_px"] >= 4, "as is usual for a tile of 512 px"
    assert packed["coverage"] > evened["coverage"]
    assert act(gathered, "undo").json()["redo"] == "pack"
    assert figures(client, gathered)["density"] == evened["density"]
    assert tiles_of(gathered.head)[0].width == 2048
    act(gathered, "redo")
    assert figures(client, gathered) == packed
    assert tiles_of(gathered.head)[0].width == 512
    for verb in ("pack", "even-out", "house density", "gather"):
        assert client.get(f"/api/projects/{gathered.project_id}/").json()["undo"] == verb
        act(gathered, "undo")
    answer = act(gathered, "undo")
    assert answer.status_code == 409
    assert "nothing to undo" in answer.json()["what"]


def test_a_new_action_after_undo_ends_the_way_forward_but_nothing_is_lost(gathered, act):
    act(gathered, "even-out", density=300)
    act(gathered, "undo")
    act(gathered, "even-out", density=200)
    assert act(gathered, "redo").status_code == 409
    assert Revision.objects.filter(verb="even-out").count() == 2


@pytest.mark.parametrize("verb", ["even-out", "pack", "undo", "redo", "export"])
def test_a_stale_step_is_refused_with_what_changed(verb, gathered, act):
    old = step_of(gathered)
    act(gathered, "even-out", density=300)
    answer = act(gathered, verb, change=old)
    assert answer.status_code == 409
    assert "even-out" in answer.json()["what"]
    assert answer.json()["head"] == step_of(gathered)
    assert answer.json()["by"] == "you"


def test_work_on_a_layout_excludes_other_work(gathered, act):
    Job.objects.create(
        project=gathered.project,
        atlas=gathered,
        kind="pack",
        state=Job.RUNNING,
        heartbeat=timezone.now(),
    )
    for verb in ("even-out", "pack", "undo"):
        assert act(gathered, verb).status_code == 409
    assert act(gathered, "export").status_code == 202


@pytest.mark.parametrize(
    "body",
    [
        {"density": "none"},
        {"like": 99},
        {"like": "nothing"},
        {"density": 0},
        {"target": "number"},
    ],
)
def test_even_out_with_a_target_that_gives_nothing_fails_with_a_word(body, gathered, act):
    head = gathered.head_id
    answer = act(gathered, "even-out", **body)
    if "like" in body:
        job = Job.objects.filter(kind="even-out").get()
        assert job.state == "failed" and job.error["fix"]
    else:
        assert answer.status_code == 400
    gathered.refresh_from_db()
    assert gathered.head_id == head


def test_even_out_to_a_picked_island_and_with_weights(gathered, act, client):
    first = members_of(gathered.head)[0].object
    assert act(gathered, "atlas", "patch", object=first, weight=2).status_code == 200
    act(gathered, "even-out", like=1)
    assert figures(client, gathered)["island_density"] == pytest.approx([2048, 1024, 1024])


@pytest.mark.parametrize(
    "body",
    [
        {"width": 7},
        {"padding": 400, "width": 512, "height": 512},
        {"rotate": "wild"},
        {"effort": "endless"},
    ],
)
def test_pack_settings_are_checked_before_a_job_starts(body, gathered, act):
    answer = act(gathered, "pack", **body)
    assert answer.status_code == 400
    assert answer.json()["what"]
    assert not Job.objects.filter(kind="pack").exists()


def test_what_does_not_fit_lies_on_the_side_table(gathered, act, client):
    act(gathered, "even-out", density=400)
    pack(act, gathered, density="fixed")
    f = figures(client, gathered)
    assert f["side_table"] == 2
    assert f["outside"] == 0


@pytest.mark.parametrize(("keep", "state"), [(True, "done"), (False, "cancelled")])
def test_cancel_keeps_the_best_or_drops_it(keep, state, gathered, act, client, monkeypatch):
    head = gathered.head_id
    started = queue.run_job
    monkeypatch.setattr(queue, "run_job", lambda job_id: None)
    job = pack(act, gathered).json()["id"]
    Job.objects.filter(pk=job).update(state=Job.RUNNING)
    assert (
        client.post(
            f"/api/jobs/{job}/cancel/", {"keep": keep}, content_type="application/json"
        ).status_code
        == 200
    )
    Job.objects.filter(pk=job).update(state=Job.QUEUED)
    Job.objects.filter(pk=job).update(cancel="")
    asked = iter(["", "", ""])
    monkeypatch.setattr(
        "studio.jobs.reporter.Reporter.stop",
        lambda self: next(asked, "keep" if keep else "drop"),
    )
    started.call_local(job)
    assert Job.objects.get(pk=job).state == state
    gathered.refresh_from_db()
    assert (gathered.head_id != head) is keep
    assert (
        client.post(f"/api/jobs/{job}/cancel/", {}, content_type="application/json").status_code
        == 409
    )


def test_a_job_cancelled_before_it_started_does_nothing(gathered, act, monkeypatch):
    started = queue.run_job
    monkeypatch.setattr(queue, "run_job", lambda job_id: None)
    job = pack(act, gathered).json()["id"]
    Job.objects.filter(pk=job).update(cancel="keep")
    started.call_local(job)
    assert Job.objects.get(pk=job).state == "cancelled"


def test_jobs_of_a_dead_worker_run_once_more_and_then_fail(gathered, monkeypatch):
    monkeypatch.setattr(queue, "run_job", lambda job_id: None)
    old = timezone.now() - timedelta(minutes=5)
    job = Job.objects.create(
        project=gathered.project,
        kind="measure",
        state=Job.RUNNING,
        heartbeat=old,
        params={"revision": gathered.head_id},
    )
    assert jobs.recover_stale_jobs() == 1
    job.refresh_from_db()
    assert (job.state, job.attempts) == ("queued", 1)
    Job.objects.filter(pk=job.pk).update(state=Job.RUNNING)
    jobs.recover_stale_jobs()
    job.refresh_from_db()
    assert job.state == "failed"
    assert "for the second time" in job.error["what"]
    assert jobs.recover_stale_jobs() == 0


def test_work_that_stands_still_is_ended_from_outside_and_its_atlas_is_free(gathered, monkeypatch):
    monkeypatch.setattr(queue, "run_job", lambda job_id: None)
    stuck = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"])
    process = psutil.Process(stuck.pid)
    worker = f"{socket.gethostname()} {stuck.pid} {process.create_time():.2f}"
    facts = {
        "project": gathered.project,
        "atlas": gathered,
        "kind": "measure",
        "state": Job.RUNNING,
        "worker": worker,
    }
    try:
        job = Job.objects.create(heartbeat=timezone.now(), attempts=1, **facts)
        assert jobs.recover_stale_jobs() == 0, "it only works"
        Job.objects.filter(pk=job.pk).update(heartbeat=timezone.now() - timedelta(minutes=5))
        assert jobs.recover_stale_jobs() == 1
        assert stuck.wait(timeout=10) == -signal.SIGKILL
        job.refresh_from_db()
        assert job.state == Job.FAILED
        assert "stood still" in job.error["what"]
        check_idle(gathered)
    finally:
        stuck.kill()
    again = Job.objects.create(heartbeat=timezone.now(), **facts)
    assert jobs.recover_stale_jobs() == 1, "a worker that is gone is noticed at once"
    again.refresh_from_db()
    assert (again.state, again.attempts) == (Job.QUEUED, 1)


def test_the_heart_beats_only_while_the_work_gets_on(gathered, monkeypatch):
    old = timezone.now() - timedelta(minutes=1)
    job = Job.objects.create(
        project=gathered.project, kind="pack", state=Job.RUNNING, heartbeat=old
    )
    reporter = Reporter(job)
    reporter.stop()
    job.refresh_from_db()
    assert job.heartbeat == old, "not more often than needed"
    reporter._beaten -= 60
    reporter.stop()
    job.refresh_from_db()
    assert job.heartbeat > old


def test_an_unexpected_fault_ends_in_the_row_without_a_traceback(gathered, act, monkeypatch):
    monkeypatch.setattr("quilt_core.operations.even_out.run", lambda *a: 1 / 0)
    act(gathered, "even-out")
    job = Job.objects.filter(kind="even-out").get()
    assert job.state == "failed"
    assert "ZeroDivision" not in json.dumps(job.error)


def test_a_pack_that_comes_too_late_is_kept_as_a_draft(gathered, act):
    parent = gathered.head
    state = read_state(parent)
    act(gathered, "even-out", density=300)
    gathered.refresh_from_db()
    head = gathered.head_id
    late = finish_job(gathered.pk, parent, Made("pack", state))
    gathered.refresh_from_db()
    assert late.draft
    assert gathered.head_id == head


@pytest.mark.parametrize("value", [np.nan, np.inf, 1e12])
def test_places_that_are_no_numbers_are_never_stored(gathered, value):
    places = identity(3)
    places[1, 0, 2] = value
    with pytest.raises(Refused, match="as it was"):
        edit_atlas(
            gathered.pk, None, lambda head: Made("move", read_state(head).having(placements=places))
        )


def test_a_waiting_job_whose_message_got_lost_is_found_and_can_be_cancelled(gathered, client):
    old = timezone.now() - timedelta(minutes=5)
    facts = {"project": gathered.project, "atlas": gathered, "kind": "measure", "created": old}
    lost = Job.objects.create(params={"revision": gathered.head_id}, **facts)
    assert queue_forgotten_jobs() == 1
    lost.refresh_from_db()
    assert lost.state == Job.DONE
    waiting = Job.objects.create(params={"revision": gathered.head_id}, **facts)
    answer = client.post(
        f"/api/jobs/{waiting.pk}/cancel/", {"keep": True}, content_type="application/json"
    )
    assert answer.json()["state"] == Job.CANCELLED
    again = client.post(
        f"/api/jobs/{waiting.pk}/cancel/", {"keep": True}, content_type="application/json"
    )
    assert again.status_code == 409


def test_a_slow_worker_that_was_taken_for_dead_says_nothing_any_more(gathered):
    job = Job.objects.create(
        project=gathered.project,
        atlas=gathered,
        kind="measure",
        state=Job.RUNNING,
        heartbeat=timezone.now(),
    )
    slow = Reporter(job)
    Job.objects.filter(pk=job.pk).update(attempts=1)  # someone else runs it now
    with pytest.raises(LostClaim):
        slow.report(0.5, "still at it")
    job.refresh_from_db()
    assert job.message == ""


@pytest.mark.slow
def test_the_export_reads_back_as_the_layout_that_was_packed(gathered, act, client):
    act(gathered, "even-out", density="average")
    pack(act, gathered)
    act(gathered, "export")
    job = Job.objects.filter(kind="export").get()
    answer = client.get(f"/api/jobs/{job.pk}/download/")
    archive = zipfile.ZipFile(io.BytesIO(answer.content))
    assert {"props.obj", "plate.glb", "layout.1001.png", "layout.1001.svg", "figures.json"} <= set(
        archive.namelist()
    )
    scenes = [read_scene(name, archive.read(name)) for name in ("props.obj", "plate.glb")]
    islands = concatenate([island_set(o, 0, 1.0) for s in scenes for o in s.objects])
    measured = measure(islands, identity(3), 512, 512)
    want = figures(client, gathered)
    assert measured.coverage == pytest.approx(want["coverage"], abs=1e-5)
    assert measured.gap.pixels == pytest.approx(want["gap_px"], abs=1e-3)
    assert len(measured.overlaps.pairs) == 0


def test_placements_and_geometry_for_the_browser(gathered, client):
    raw = client.get(f"/api/revisions/{gathered.head_id}/placements/").content
    assert np.frombuffer(raw, "<f4").reshape(-1, 6).tolist() == [[1, 0, 0, 0, 1, 0]] * 3
    glb = client.get(f"/api/revisions/{gathered.head_id}/geometry.glb").content
    scene = read_scene("g.glb", glb)
    assert [o.name for o in scene.objects] == ["Left plate", "Right plate", "Plate"]
    assert b"_ISLAND" in glb[:6000]
    assert client.get(f"/api/revisions/{gathered.head_id}/sheet.svg").content.count(b"<g ") == 3
    assert client.get("/api/checker.png").content[:4] == b"\x89PNG"


def test_only_an_address_that_names_its_content_is_kept_for_ever(gathered, client):
    digest = client.get(f"/api/revisions/{gathered.head_id}/").json()["revision"]["digest"]
    for part in ("placements/", "geometry.glb", "thumbnail.png"):
        address = f"/api/revisions/{gathered.head_id}/{part}"
        assert client.get(address)["Cache-Control"] == "private, no-cache"
        assert client.get(f"{address}?v=other")["Cache-Control"] == "private, no-cache"
        assert "immutable" in client.get(f"{address}?v={digest}")["Cache-Control"]


def test_a_picture_by_address_has_bounds(gathered, client):
    Revision.objects.filter(pk=gathered.head_id).update(tiles=[[1001, 16384, 4096, "", False]])
    image = Image.open(
        io.BytesIO(client.get(f"/api/revisions/{gathered.head_id}/sheet.png").content)
    )
    assert image.size == (4096, 1024)


@pytest.mark.slow
def test_the_schema_is_there_and_the_client_s_copy_is_current(client, db):
    from pathlib import Path

    import yaml

    served = yaml.safe_load(client.get("/api/schema/").content)
    kept = yaml.safe_load(
        (Path(__file__).resolve().parents[2] / "web" / "openapi.yaml").read_text()
    )
    assert served == kept


def test_a_locked_database_does_not_end_a_job(gathered, monkeypatch):
    job = Job.objects.create(
        kind="pack", project=gathered.project, state=Job.RUNNING, cancel="keep"
    )

    def locked(*args, **kwargs):
        raise OperationalError("database is locked")

    reporter = Reporter(job)
    with monkeypatch.context() as patch:
        patch.setattr("django.db.models.query.QuerySet.update", locked)
        patch.setattr("django.db.models.query.QuerySet.get", locked)
        reporter.report(0.5, "packing")
        assert reporter.stop() == ""
    reporter._written = reporter._heard_at = 0.0
    reporter.report(0.6, "packing")
    assert reporter.stop() == "keep"
    job.refresh_from_db()
    assert job.progress == 0.6


@pytest.mark.slow
def test_two_meshes_that_share_a_data_file_keep_it_apart_when_they_change(send, atlas, act, client):
    both = plain_glb()
    doc = json_of(both)
    start = 20 + struct.unpack_from("<I", both, 12)[0] + 8
    data = both[start : start + doc["buffers"][0]["byteLength"]]
    doc["buffers"][0]["uri"] = "all.bin"
    files = {
        "one__gltf": json.dumps(doc).encode(),
        "two__gltf": json.dumps(doc).encode(),
        "all__bin": data,
    }
    assert send(**files).status_code == 201
    pack(act, atlas)
    act(atlas, "export")
    job = Job.objects.get(kind="export")
    assert job.state == Job.DONE, job.error
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/jobs/{job.pk}/download/").content))
    assert archive.read("all.bin") == data, "the file that both had stays what it was"
    scenes = [
        read_scene(name, archive.read(name), lambda n: archive.read(n))
        for name in ("one.gltf", "two.gltf")
    ]
    islands = concatenate([island_set(o, 0, 1.0) for s in scenes for o in s.objects])
    assert len(measure(islands, identity(2), 512, 512).overlaps.pairs) == 0


@pytest.mark.slow
def test_proportions_and_tolerance_are_said_by_the_user(gathered, act, client, send):
    first = client.get(f"/api/revisions/{gathered.head_id}/").json()["objects"][0]
    assert (first["proportion"], first["said"], first["suggested"]) == (1.0, False, None)

    def say(**given):
        return act(gathered, "atlas", "patch", object=first["id"], **given)

    def shape():
        gathered.refresh_from_db()
        return load_layout(gathered.head).placements[0, :, :2]

    assert say(proportion=4.0).status_code == 200
    gathered.refresh_from_db()
    told = client.get(f"/api/revisions/{gathered.head_id}/").json()["objects"][0]
    assert (told["proportion"], told["said"]) == (4.0, True)
    pack(act, gathered, rotate="none")
    assert shape()[0, 0] / shape()[1, 1] == pytest.approx(4.0)
    assert say(proportion=None).status_code == 200
    pack(act, gathered, rotate="none")
    assert shape()[0, 0] / shape()[1, 1] == pytest.approx(1.0)
    assert say(proportion=0).status_code == 400
    assert act(gathered, "project", "patch", uv_tolerance=1).status_code == 400
    assert act(gathered, "project", "patch", uv_tolerance=0.001).status_code == 200
    assert send(again__obj=QUAD_OBJ).status_code == 201
    assert [s.uv_tolerance for s in Source.objects.order_by("pk")] == [1e-5, 1e-5, 0.001]


@pytest.mark.slow
def test_files_of_one_name_are_all_there_and_none_is_lost(client, project, atlas, act):
    from django.core.files.uploadedfile import SimpleUploadedFile

    other = QUAD_OBJ.replace(b"Left", b"Third").replace(b"Right", b"Fourth")
    third = QUAD_OBJ.replace(b"Left", b"Fifth").replace(b"Right", b"Sixth")
    url = f"/api/projects/{project.pk}/files/"
    two = [SimpleUploadedFile("a.obj", QUAD_OBJ), SimpleUploadedFile("a.obj", other)]
    assert client.post(url, {"files": two}).status_code == 201
    assert client.post(url, {"files": [SimpleUploadedFile("a.obj", third)]}).status_code == 201
    act(atlas, "even-out", density=300)
    act(atlas, "export")
    job = Job.objects.filter(kind="export").get()
    with zipfile.ZipFile(
        io.BytesIO(client.get(f"/api/jobs/{job.pk}/download/").content)
    ) as archive:
        meshes = [name for name in archive.namelist() if name.endswith(".obj")]
        found = [
            obj.name for name in meshes for obj in read_scene("a.obj", archive.read(name)).objects
        ]
    assert len(set(meshes)) == 3
    assert sorted(found) == sorted(
        f"{w} plate" for w in ("Left", "Right", "Third", "Fourth", "Fifth", "Sixth")
    )


@pytest.mark.parametrize("seed", range(40))
def test_damaged_archives_are_refused_with_a_word(client, project, seed):
    from django.core.files.uploadedfile import SimpleUploadedFile

    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("props/a.obj", QUAD_OBJ)
        archive.writestr("props/plate.glb", plain_glb())
    rng = np.random.default_rng(seed)
    data = bytearray(out.getvalue())
    for at in rng.integers(0, len(data), rng.integers(1, 5)):
        data[at] ^= int(rng.integers(1, 256))
    answer = client.post(
        f"/api/projects/{project.pk}/files/", {"files": [SimpleUploadedFile("a.zip", bytes(data))]}
    )
    assert answer.status_code in (201, 400)
    if answer.status_code == 400:
        assert answer.json()["what"]
        assert answer.json()["fix"]


def boxes(count):
    """A file of so many objects with a face each."""
    lines = []
    for k in range(count):
        lines += [
            f"o part {k}",
            f"v {k} 0 0",
            f"v {k} 1 0",
            f"v {k} 0 1",
            "vt 0 0",
            "vt 1 0",
            "vt 0 1",
        ]
        lines.append("f " + " ".join(f"{n}/{n}" for n in range(3 * k + 1, 3 * k + 4)))
    return "\n".join(lines).encode()


def test_an_answer_about_many_objects_costs_few_queries_and_reads_each_array_once(
    send, atlas, client, monkeypatch
):
    asked, read, get = [], [], storage.get
    for count in (5, 60):
        assert send(**{f"many{count}__obj": boxes(count)}).status_code == 201
        atlas.refresh_from_db()
        address = f"/api/revisions/{atlas.head_id}/"
        with monkeypatch.context() as patched, CaptureQueriesContext(connection) as queries:
            patched.setattr(storage, "get", lambda key: (read.append(key), get(key))[1])
            assert len(client.get(address).json()["objects"]) >= count
        asked.append(len(queries))
        assert not read, "kept since they came in"
    assert asked[0] == asked[1], "as many for 65 objects as for 5"
