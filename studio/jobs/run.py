"""Run jobs, and look after those whose worker died."""

from __future__ import annotations

import logging
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import InterfaceError, OperationalError, transaction
from django.utils import timezone
from huey import crontab
from huey.contrib.djhuey import HUEY, db_periodic_task

from quilt_core.errors import QuiltError
from quilt_core.operations.operation import Stopped
from studio.actions.access import Actor, acting
from studio.actions.errors import FULL, is_full
from studio.jobs.kinds import do_job
from studio.jobs.queue import done_by, enqueue
from studio.jobs.reporter import LostClaim, Reporter
from studio.jobs.signs import signs_of_life
from studio.jobs.worker import end_worker, is_gone, this_worker
from studio.lines import job_id as job_id_now
from studio.models import Job, WatchedFolder
from studio.references import keys_in, refer

log = logging.getLogger(__name__)
STALE_AFTER = timedelta(seconds=settings.STALE_SECONDS)
MAX_ATTEMPTS = 2
SILENT_AFTER = timedelta(seconds=settings.SILENT_SECONDS)
FORGOTTEN_AFTER = min(STALE_AFTER, timedelta(seconds=15))


@done_by
def do(job_id: int) -> None:
    """Run one job; whatever happens ends up in its row."""
    claimed = Job.objects.filter(pk=job_id, state=Job.QUEUED).update(
        state=Job.RUNNING, heartbeat=timezone.now(), alive=timezone.now(), worker=this_worker()
    )
    if not claimed:
        return
    job = Job.objects.select_related("project", "atlas", "user").get(pk=job_id)
    if job.cancel:
        _finish(job, Job.CANCELLED, "cancelled before it started")
        return
    try:
        job_id_now.set(str(job.pk))
        with acting(_whose(job)), signs_of_life(job):
            result = do_job(job, Reporter(job))
    except LostClaim:
        log.warning("job %s goes on elsewhere; this worker was too slow", job.pk)
    except Stopped:
        _finish(job, Job.CANCELLED, "cancelled")
    except QuiltError as error:
        _finish(
            job,
            Job.FAILED,
            str(error)[:255],
            error={"what": error.what, "where": error.where, "fix": error.fix},
        )
    except MemoryError:
        _fail(job, "There was not enough memory.", "Work on fewer objects at once.")
    except (InterfaceError, OperationalError) as error:
        if is_full(error):
            _fail_full(job, error)
            return
        # Nobody can be told now. It is found as silent, and done once more.
        log.warning("job %s (%s): the database went away: %s", job.pk, job.kind, error)
    except Exception as error:
        if is_full(error):
            _fail_full(job, error)
            return
        log.exception("job %s (%s) failed", job.pk, job.kind)
        _fail(
            job,
            "Something went wrong that should not have.",
            "The layout is as it was; try again, and report it if it stays.",
        )
    else:
        _finish(job, Job.DONE, "done", result=result)


def _whose(job: Job) -> Actor | None:
    """For whom a job is done: what they may not do (any more) it does not do either."""
    return Actor(job.user_id, job.user.get_username()) if job.user else None


def _fail_full(job: Job, error: Exception) -> None:
    log.error("job %s (%s): the disk is full: %s", job.pk, job.kind, error)
    _fail(job, FULL, "The layout is as it was. Make room on the server's disk, then start it again.")  # fmt: skip


def _fail(job: Job, what: str, fix: str) -> None:
    _finish(job, Job.FAILED, what, error={"what": what, "where": job.kind, "fix": fix})


def _finish(
    job: Job,
    state: str,
    message: str,
    result: dict[str, Any] | None = None,
    error: dict[str, Any] | None = None,
) -> None:
    changes: dict[str, Any] = {
        "state": state,
        "message": message,
        "error": error,
        "finished": timezone.now(),
    }
    if result is not None:
        changes |= {"result": result, "progress": 1.0}
    # Only whoever holds the claim says how it ended.
    with transaction.atomic():
        mine = Job.objects.filter(pk=job.pk, attempts=job.attempts, state=Job.RUNNING)
        if mine.update(**changes) and result is not None:
            refer(job, set(keys_in(result)))


def recover_stale_jobs() -> int:
    """Run jobs of workers that are gone or stand still once more, then fail them; returns how many
    were found."""
    found = 0
    for job in Job.objects.filter(state=Job.RUNNING):
        still = job.heartbeat is None or job.heartbeat < timezone.now() - STALE_AFTER
        silent = job.alive is not None and job.alive < timezone.now() - SILENT_AFTER
        if not still and not silent and not is_gone(job.worker):
            continue
        found += 1
        if still:
            end_worker(job.worker)
        if job.attempts + 1 >= MAX_ATTEMPTS:
            what = f"stood still for {STALE_AFTER.total_seconds():g} s" if still else "stopped"
            _fail(
                job,
                f"The work on it {what} for the second time.",
                "The layout is as it was. Start it again with a smaller task.",
            )
            continue
        again = Job.objects.filter(pk=job.pk, state=Job.RUNNING, heartbeat=job.heartbeat)
        if again.update(state=Job.QUEUED, attempts=job.attempts + 1, message="starting again"):
            enqueue(job.pk)
    return found + queue_forgotten_jobs()


def queue_forgotten_jobs() -> int:
    """Queue waiting jobs again whose message got lost, as when the server dies just after writing
    the row.

    A second message does no harm: a job is claimed by its row.
    """
    since = timezone.now() - FORGOTTEN_AFTER
    lost = Job.objects.filter(state=Job.QUEUED, created__lt=since).exclude(heartbeat__gt=since)
    found = 0
    for job in lost:
        found += 1
        Job.objects.filter(pk=job.pk, state=Job.QUEUED).update(heartbeat=timezone.now())
        enqueue(job.pk)
    return found


@HUEY.on_startup(name="warm")  # type: ignore[untyped-decorator]
def warm_up() -> None:
    """Load the compiled loops of measuring before the first job waits for them."""
    from quilt_core.warm import check_sample

    check_sample()


@HUEY.on_startup(name="recover")  # type: ignore[untyped-decorator]
def recover_at_start() -> None:
    """Jobs that a dead server or worker left behind."""
    recover_stale_jobs()


@db_periodic_task(crontab(minute="17"))  # type: ignore[untyped-decorator]
def clear_files() -> None:
    """Once an hour, what nothing refers to any more."""
    from studio.actions.project.clean_projects import clear

    clear()


@db_periodic_task(crontab(minute="*"))  # type: ignore[untyped-decorator]
def look_into_folders() -> None:
    """Once a minute, also where nobody has the project open."""
    from studio.jobs.watch import look

    for row in WatchedFolder.objects.filter(project__deleted=None).select_related("project__head"):
        try:
            look(row)
        except QuiltError as error:
            log.warning("folder %s of project %s: %s", row.path, row.project_id, error)


@db_periodic_task(crontab(minute="*"))  # type: ignore[untyped-decorator]
def look_after_jobs() -> None:
    """Once a minute."""
    recover_stale_jobs()
