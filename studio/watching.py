"""What those who run an installation look at: whether it is well, figures for Prometheus, logs with ids, Django's admin."""

from __future__ import annotations

import logging
import os
import time
import uuid
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
    """Whether this process can work: its database, storage and queue answer. 503 when one of them does not."""
    found = {"database": _database(), "storage": _storage(), "queue": _queue()}
    well = all(value == "ok" for value in found.values())
    return JsonResponse({"ok": well, **found}, status=200 if well else 503)


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
