"""What those who run an installation look at: whether it is well, figures for Prometheus, logs with ids, Django's admin."""

from __future__ import annotations

import logging
import os
import shutil
import tempfile
import time
import uuid
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.core.files.storage import default_storage
from django.db import DatabaseError, connection
from django.db.models import Count, Min
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from django_prometheus.exports import ExportToDjangoView
from prometheus_client import (
    REGISTRY,
    CollectorRegistry,
    Counter,
    Histogram,
    generate_latest,
)
from prometheus_client.core import GaugeMetricFamily

from studio.lines import request_id
from studio.middleware import Next

SLOW = 2.0
"""Seconds from which a request is told in the log."""

SECONDS = Histogram(
    "quilt_action_seconds", "How long answers take", ["method", "view"],
    buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10, 30),
)  # fmt: skip
ANSWERS = Counter("quilt_answers", "Answers by their status", ["method", "view", "status"])
log = logging.getLogger(__name__)


class Watched:
    """Gives each request an id, and counts and times its answer."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        given = request.headers.get("X-Request-ID", "")
        mine = (
            given
            if given.isascii() and 0 < len(given) <= 64 and given.isprintable()
            else uuid.uuid4().hex[:16]
        )
        token = request_id.set(mine)
        began = time.monotonic()
        try:
            answer = self.get_response(request)
            took = time.monotonic() - began
            view = request.resolver_match.route if request.resolver_match else "none"
            SECONDS.labels(request.method, view).observe(took)
            ANSWERS.labels(request.method, view, answer.status_code).inc()
            if took > SLOW:
                log.warning("%s %s took %.1f s", request.method, request.path, took)
            answer["X-Request-ID"] = mine
            return answer
        finally:
            request_id.reset(token)


class Jobs:
    """Jobs by kind and state, and how long the oldest one waits; asked of the database when it is read."""

    def describe(self) -> list[Any]:
        """Nothing beforehand: the database is not there yet."""
        return []

    def collect(self) -> Any:
        """For Prometheus."""
        from studio.models import Job

        jobs = GaugeMetricFamily("quilt_jobs", "Jobs by kind and state", labels=["kind", "state"])
        waits = GaugeMetricFamily(
            "quilt_oldest_job_seconds", "How long the oldest waiting job waits"
        )
        try:
            for kind, state, count in Job.objects.values_list("kind", "state").annotate(
                Count("pk")
            ):
                jobs.add_metric([kind, state], count)
            first = Job.objects.filter(state=Job.QUEUED).aggregate(Min("created"))["created__min"]
            waits.add_metric([], (timezone.now() - first).total_seconds() if first else 0.0)
        except DatabaseError:
            return
        yield jobs
        yield waits


REGISTRY.register(Jobs())


def metrics(request: HttpRequest) -> HttpResponse:
    """Figures for Prometheus: of all processes that answer here, where they are several."""
    answer: HttpResponse = ExportToDjangoView(request)
    if "PROMETHEUS_MULTIPROC_DIR" in os.environ:
        # What is asked of the database is not counted by anybody.
        registry = CollectorRegistry()
        registry.register(Jobs())
        answer.content += generate_latest(registry)
    return answer


def healthz(request: HttpRequest) -> HttpResponse:
    """Whether this process can work: its database, storage, disk and queue answer, and somebody does what waits. 503 when
    one of them does not, each with what to do."""
    found = {
        "database": _database(), "storage": _storage(), "disk": _disk(), "queue": _queue(),
        "workers": _workers(),
    }  # fmt: skip
    bad = {name: FIXES[name] for name, value in found.items() if value != "ok"}
    more = {"fix": bad} if bad else {}
    return JsonResponse({"ok": not bad, **found, **more}, status=503 if bad else 200)


FIXES = {
    "database": "See that the database runs and can be reached (DATABASE_URL).",
    "storage": "See that the storage of files can be reached (STORAGE_URL), and that the data folder may be written.",
    "disk": "Free some space, or move the data folder (QUILT_DATA_DIR) to a larger disk.",
    "queue": "See that Redis runs and can be reached (REDIS_URL).",
    "workers": "Start a worker: manage.py work.",
}
ROOM = 64 * 2**20
"""Bytes without which the next upload or edit fails soon."""
WAITS = 60.0
"""Seconds after which a job that waits while nobody works says that there is no worker."""


def _disk() -> str:
    try:
        room = min(
            shutil.disk_usage(path).free for path in (settings.DATA_DIR, tempfile.gettempdir())
        )
    except OSError:
        return "away"
    return "ok" if room >= ROOM else f"full ({room / 1e6:,.0f} MB left)"


def _workers() -> str:
    from studio.models import Job

    if settings.HUEY["immediate"]:
        return "ok"
    long_ago = timezone.now() - timedelta(seconds=WAITS)
    try:
        waits = Job.objects.filter(state=Job.QUEUED, created__lt=long_ago).exists()
        if waits and not Job.objects.filter(state=Job.RUNNING).exists():
            return "none at work"
    except DatabaseError:
        return "ok"  # the database says so itself
    return "ok"


def _database() -> str:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
        return "ok"
    except DatabaseError:
        return "away"


def _storage() -> str:
    try:
        default_storage.exists("healthz")
        return "ok"
    except Exception:
        return "away"


def _queue() -> str:
    from huey.contrib.djhuey import HUEY
    from redis.exceptions import RedisError

    if not settings.REDIS_URL or HUEY.immediate:
        return "ok"
    try:
        HUEY.storage.conn.ping()
        return "ok"
    except (RedisError, OSError):
        return "away"
