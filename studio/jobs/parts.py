"""Large jobs in parts: all workers there are do them, the one that has the job among them, and it puts them together.

A part is a job of its own with a parent, so it is claimed, watched, tried again and cancelled as any other.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.models import Sum
from django.utils import timezone

from studio.actions.access import acting_user
from studio.actions.errors import Conflict, Refused
from studio.actions.stop_jobs import cancel_parts
from studio.jobs.queue import claim, run_job, start_job
from studio.jobs.reporter import Reporter
from studio.models import Atlas, Job

LOOK_EVERY = 0.2
TELL_EVERY = 0.5
"""Seconds between two looks at how far the parts are."""
OPEN = (Job.QUEUED, Job.RUNNING)


@dataclass(frozen=True)
class Part:
    """A part that is to be done.

    Parameters
    ----------
    kind : str
        Of job.
    params : dict
    atlas : int, optional
    claims : bool
        Whether it changes the atlas's layout: nobody else may be about to.
    further : sequence of int
        Other atlases that it changes.
    """

    kind: str
    params: dict[str, Any]
    atlas: int | None = None
    claims: bool = False
    further: Sequence[int] = ()


def do_parts(
    job: Job,
    reporter: Reporter,
    lanes: Sequence[Sequence[Part]],
    share: tuple[float, float] = (0.0, 1.0),
    told: str = "parts",
) -> list[Job]:
    """Do the parts of a job; those of one lane one after another, the lanes beside each other.

    Parameters
    ----------
    job : Job
        Which is at work here.
    reporter : Reporter
    lanes : sequence of sequences of Part
        The same whenever the job is begun: what was done before it was interrupted is not done again.
    share : (float, float)
        Of the job's progress: where it begins and where it ends.
    told : str
        What the parts are called.

    Returns
    -------
    list of Job
        One for each part in order, however it ended; when the user asked to stop, those that were begun.
    """
    numbers = _numbers(lanes)
    total = sum(map(len, lanes))
    with _telling(job, share, total, told):
        while True:
            rows = {row.part: row for row in Job.objects.filter(parent=job).order_by("part")}
            asked = reporter.stop()
            if asked:
                cancel_parts(job, keep=asked == "keep")
            else:
                _begin(job, lanes, numbers, rows)
            waiting = Job.objects.filter(parent=job, state__in=OPEN).order_by("part")
            mine = waiting.filter(state=Job.QUEUED).first()
            if mine is not None and not asked:
                _do_here(mine, job)
            elif waiting.exists():
                time.sleep(LOOK_EVERY)
            elif asked or Job.objects.filter(parent=job).count() >= total:
                return list(Job.objects.filter(parent=job).order_by("part"))


def _numbers(lanes: Sequence[Sequence[Part]]) -> list[list[int]]:
    out, first = [], 0
    for lane in lanes:
        out.append(list(range(first, first + len(lane))))
        first += len(lane)
    return out


def _begin(job: Job, lanes: Sequence[Sequence[Part]], numbers: list[list[int]], rows: dict[int | None, Job]) -> None:  # fmt: skip
    """Queue the next part of each lane whose last one has ended."""
    for lane, own in zip(lanes, numbers, strict=True):
        known = [rows[n] for n in own if n in rows]
        if len(known) < len(lane) and not any(row.state in OPEN for row in known):
            _start(job, own[len(known)], lane[len(known)])


def _start(job: Job, number: int, part: Part) -> None:
    mine: Any = {"parent": job, "part": number}
    try:
        if part.claims and part.atlas is not None:
            claim(part.kind, part.atlas, part.params, further=part.further, **mine)
        else:
            atlas = Atlas.objects.get(pk=part.atlas) if part.atlas is not None else None
            start_job(part.kind, job.project, atlas, part.params, **mine)
    except (Conflict, Refused) as error:
        Job.objects.create(
            kind=part.kind, project=job.project, atlas_id=part.atlas, params=part.params, state=Job.FAILED, user_id=acting_user(),
            message=str(error)[:255], error={"what": error.what, "where": error.where, "fix": error.fix}, finished=timezone.now(), **mine,
        )  # fmt: skip


def _do_here(part: Job, job: Job) -> None:
    """Do a part in this process, unless another one was faster."""
    from studio.lines import job_id

    run_job.call_local(part.pk)
    job_id.set(str(job.pk))


def first_error(parts: Sequence[Job]) -> Refused | None:
    """What went wrong in a part, as an error of the whole."""
    for part in parts:
        if part.state == Job.FAILED and part.error:
            return Refused(part.error["what"], part.error["where"], part.error["fix"])
    return None


@contextmanager
def _telling(job: Job, share: tuple[float, float], total: int, told: str) -> Iterator[None]:
    """Keep telling how far the parts are, while this process is busy with one of them."""
    if settings.HUEY["immediate"]:
        yield
        return
    over = threading.Event()

    def tell() -> None:
        while not over.wait(TELL_EVERY):
            with suppress(DatabaseError):  # it is told again soon
                _tell(job, share, total, told)
        connection.close()

    thread = threading.Thread(target=tell, name="how far the parts are", daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join(timeout=2)


def _tell(job: Job, share: tuple[float, float], total: int, told: str) -> None:
    parts = Job.objects.filter(parent=job)
    done = parts.exclude(state__in=OPEN).count()
    sums = parts.filter(state__in=OPEN).aggregate(Sum("progress"))["progress__sum"] or 0.0
    hands = parts.filter(state=Job.RUNNING).values("worker").distinct().count()
    said = f"{done} of {total} {told}" + (f", {hands} at work" if hands > 1 else "")
    mine = Job.objects.filter(pk=job.pk, attempts=job.attempts, state=Job.RUNNING, cancel="")
    mine.update(
        progress=share[0] + (share[1] - share[0]) * min((done + sums) / max(total, 1), 1.0),
        message=said,
        heartbeat=timezone.now(),
    )
