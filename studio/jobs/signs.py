"""Signs of life of a worker's process, apart from those of the work: a machine that is gone gives none."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from django.conf import settings
from django.db import DatabaseError, connection
from django.utils import timezone

from studio.models import Job

EVERY = min(settings.SILENT_SECONDS / 5, 4.0)


@contextmanager
def signs_of_life(job: Job) -> Iterator[None]:
    """Keep telling that the process which works on a job is there."""
    if settings.HUEY["immediate"]:
        yield
        return
    over = threading.Event()

    def tell() -> None:
        while not over.wait(EVERY):
            try:
                mine = Job.objects.filter(pk=job.pk, attempts=job.attempts, state=Job.RUNNING)
                mine.update(alive=timezone.now())
            except DatabaseError:
                pass  # it is told again soon
        connection.close()

    thread = threading.Thread(target=tell, name="signs of life", daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join(timeout=2)
