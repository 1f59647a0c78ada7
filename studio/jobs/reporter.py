"""What a running job tells: progress, best figures, a heartbeat; and what it hears: cancel.

The heartbeat comes from the work itself, whenever it tells or asks something: work that stands
still has none.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

import numpy as np
from django.conf import settings
from django.db import OperationalError
from django.utils import timezone
from numpy.typing import NDArray

from quilt_core.operations.operation import Progress
from studio.models import Job

log = logging.getLogger(__name__)

WRITE_EVERY = 0.3
LISTEN_EVERY = 0.25
BEAT_EVERY = min(settings.STALE_SECONDS / 10, 3.0)


class LostClaim(Exception):
    """The job was taken for dead and is run by someone else now, or is over."""


class Reporter(Progress):
    """Progress of one job, written at least twice a second while there is news."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self._written = 0.0
        self._heard_at = 0.0
        self._heard = ""
        self._beaten = time.monotonic()
        self._shown: NDArray[np.float64] | None = None

    def report(
        self,
        done: float,
        message: str,
        figures: Mapping[str, Any] | None = None,
        placements: Any = None,
    ) -> None:
        """Tell how far the job is, from 0 to 1, with the best layout so far where there is
        one."""
        now = time.monotonic()
        if now - self._written < WRITE_EVERY:
            return
        self._written = self._beaten = now
        changes: dict[str, Any] = {
            "progress": min(max(done, 0.0), 1.0),
            "message": message[:255],
            "heartbeat": timezone.now(),
        }
        if figures is not None:
            changes["figures"] = dict(figures)
        if placements is not None and placements is not self._shown:
            self._shown = placements
            changes["preview"] = placements.astype("<f4").tobytes()
        if self._write(**changes) == 0:
            raise LostClaim

    def stop(self) -> str:
        """ "" to go on, "keep" or "drop" when the user asked to stop."""
        now = time.monotonic()
        if now - self._beaten > BEAT_EVERY:
            self._beaten = now
            self._write(heartbeat=timezone.now())
        if not self._heard and now - self._heard_at > LISTEN_EVERY:
            self._heard_at = now
            with _locked_for_now():
                self._heard = Job.objects.values_list("cancel", flat=True).get(pk=self.job.pk)
        return self._heard

    def _write(self, **changes: Any) -> int | None:
        """Rows written: 0 when the claim is lost, None when the database was locked."""
        mine = Job.objects.filter(pk=self.job.pk, attempts=self.job.attempts, state=Job.RUNNING)
        with _locked_for_now():
            return mine.update(**changes)
        return None


@contextmanager
def _locked_for_now() -> Iterator[None]:
    """News of a job can wait: what a locked database does not take is told, or asked, again
    soon."""
    try:
        yield
    except OperationalError as error:
        log.warning("the news of a job had to wait: %s", error)
