"""What those look at who run an installation: health, figures, lines of the log, the admin."""

from __future__ import annotations

import json
import logging
import shutil
import sys
from datetime import timedelta

import pytest
from django.contrib.auth import get_user_model
from django.core.files.storage import default_storage
from django.db import IntegrityError, OperationalError
from django.urls import clear_url_caches
from django.utils import timezone
from redis.exceptions import RedisError

from studio.lines import AwayInOneLine, JsonLines, job_id
from studio.models import Job

pytestmark = pytest.mark.django_db


def test_health_names_what_is_away(client, monkeypatch):
    answer = client.get("/healthz")
    assert answer.status_code == 200
    parts = ("database", "storage", "disk", "queue", "workers")
    assert answer.json() == {"ok": True, **dict.fromkeys(parts, "ok")}

    def away(self, name):
        raise OSError("gone")

    monkeypatch.setattr(default_storage.__class__, "exists", away)
    answer = client.get("/healthz")
    assert answer.status_code == 503 and answer.json()["storage"] == "away"
    assert list(answer.json()["fix"]) == ["storage"]


def test_health_tells_a_full_disk_and_work_that_nobody_does(client, project, monkeypatch, settings):
    usage = shutil.disk_usage("/")
    with monkeypatch.context() as patched:
        patched.setattr(shutil, "disk_usage", lambda path: usage._replace(free=1_000_000))
        answer = client.get("/healthz")
    assert answer.status_code == 503 and answer.json()["disk"] == "full (1 MB left)"
    assert "QUILT_DATA_DIR" in answer.json()["fix"]["disk"]
    settings.HUEY = {**settings.HUEY, "immediate": False}
    job = Job.objects.create(project=project, kind="pack")
    assert client.get("/healthz").status_code == 200, "it waits for a moment only"
    Job.objects.update(created=timezone.now() - timedelta(minutes=5))
    assert client.get("/healthz").json()["workers"] == "none at work"
    Job.objects.create(project=project, kind="pack", state=Job.RUNNING)
    assert client.get("/healthz").status_code == 200, f"{job.pk} waits its turn"


def test_figures_tell_answers_and_jobs(client, project):
    client.get("/api/projects/")
    client.get("/api/projects/999999/")
    Job.objects.create(project=project, kind="pack")
    told = client.get("/metrics").content.decode()
    assert (
        'quilt_answers_total{method="GET",status="404",view="api/projects/<int:project_id>/"}'
        in told
    )
    assert 'quilt_jobs{kind="pack",state="queued"} 1.0' in told
    assert "quilt_oldest_job_seconds" in told and "quilt_action_seconds_bucket" in told


def test_requests_have_ids_and_lines_are_json(client):
    assert len(client.get("/api/me/")["X-Request-ID"]) == 16
    assert client.get("/api/me/", headers={"X-Request-ID": "abc-1"})["X-Request-ID"] == "abc-1"
    assert client.get("/api/me/", headers={"X-Request-ID": "x" * 99})["X-Request-ID"] != "x" * 99
    token = job_id.set("17")
    try:
        record = logging.LogRecord("studio", logging.WARNING, "f", 1, "it took %s s", (3,), None)
        line = json.loads(JsonLines().format(record))
    finally:
        job_id.reset(token)
    assert (line["message"], line["level"], line["job"]) == ("it took 3 s", "warning", "17")


@pytest.mark.parametrize(
    ("name", "error", "lines"),
    [
        ("huey.consumer", RedisError("Connection refused.\nmore"), 1),
        ("huey", OperationalError("the server closed the connection"), 1),
        ("huey", ValueError("a fault"), 4),
        ("huey", IntegrityError("a row of that kind is there"), 4),
        ("studio", OperationalError("the server closed the connection"), 4),
    ],
)
def test_what_is_away_is_one_line_of_the_log_and_faults_keep_their_stack(name, error, lines):
    try:
        raise error
    except type(error):
        record = logging.LogRecord(name, logging.ERROR, "f", 1, "asking %s:", (3,), sys.exc_info())
    assert AwayInOneLine().filter(record)
    told = logging.Formatter().format(record).splitlines()
    assert told[0].startswith("asking 3:") and (len(told) == 1) == (lines == 1)
    assert any(str(error).splitlines()[0] in line for line in told)


@pytest.mark.slow
def test_the_admin_is_for_staff(settings, client, project, admin_client):
    settings.ACCOUNTS = True
    import importlib

    from quilt_site import urls

    importlib.reload(urls)
    clear_url_caches()
    Job.objects.create(project=project, kind="pack", state=Job.FAILED, message="It went wrong.")
    try:
        for page in ("job", "project", "invitation", "apitoken"):
            assert admin_client.get(f"/admin/studio/{page}/").status_code == 200, page
        assert admin_client.get("/admin/studio/job/add/").status_code == 403
        assert client.get("/admin/studio/job/").status_code == 302
        user = get_user_model().objects.create_user("plain", password="a lamp over the harbour")
        client.force_login(user)
        assert client.get("/admin/studio/job/").status_code == 302
    finally:
        settings.ACCOUNTS = False
        importlib.reload(urls)
        clear_url_caches()
