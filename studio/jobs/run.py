"""Queue jobs, run them, and look after those whose worker died."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import InterfaceError, OperationalError, transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone
from huey import crontab
from huey.contrib.djhuey import HUEY, db_periodic_task, db_task
from redis.exceptions import RedisError

from quilt_core.errors import QuiltError
from quilt_core.operations.operation import Stopped
from quilt_core.operations.registry import OPERATIONS
from studio.actions.access import EDITOR, Actor, acting, acting_user, require
from studio.actions.errors import FULL, Conflict, Refused, is_full
from studio.actions.history.change import STATES, check_fresh, check_idle, claim_parts
from studio.actions.run.targets import target
from studio.jobs.parts import cancel_parts
from studio.jobs.reporter import LostClaim, Reporter
from studio.jobs.signs import signs_of_life
from studio.jobs.worker import end_worker, is_gone, this_worker
from studio.lines import job_id as job_id_now
from studio.models import Atlas, Job, Project, Revision, RunLine, WatchedFolder
from studio.references import keys_in, refer
from studio.state import members_of

log = logging.getLogger(__name__)
STALE_AFTER = timedelta(seconds=settings.STALE_SECONDS)
MAX_ATTEMPTS = 2
SILENT_AFTER = timedelta(seconds=settings.SILENT_SECONDS)
FORGOTTEN_AFTER = min(STALE_AFTER, timedelta(seconds=15))


def start_job(
    kind: str, project: Project, atlas: Atlas | None, params: dict[str, Any], **part_of: Any
) -> Job:
    """Add a job row and queue it once the row is there for the worker to see; `part_of` names its parent and its number
    there, when it is a part."""
    job = Job.objects.create(
        kind=kind,
        project=project,
        atlas=atlas,
        params=params,
        message="waiting",
        user_id=acting_user(),
        **part_of,
    )
    if files := set(keys_in(params)):
        refer(job, files, fresh=True)
    transaction.on_commit(lambda: enqueue(job.pk))
    return job


def enqueue(job_id: int) -> None:
    """Put a job into the queue. Where the queue is away its row waits, and is found (`queue_forgotten_jobs`)."""
    try:
        run_job(job_id)
    except (OSError, RedisError):
        log.warning("the queue is away; job %s waits", job_id)


@transaction.atomic
def claim(
    kind: str,
    atlas_id: int,
    params: dict[str, Any],
    exclusive: bool = True,
    settings: tuple[str, ...] = (),
    further: Sequence[int] = (),
    **part_of: Any,
) -> Job:
    """Start a job on an atlas's present state: looking whether it may be and taking the atlas is
    one step.

    `params` hold the change that the user saw; the job's own hold the revision it begins from.
    `settings` are names of the project's settings that it relies on, `further` other atlases that it changes.
    """
    project_id = get_object_or_404(Atlas, pk=atlas_id).project_id
    require(project_id, OPERATIONS[kind].role if kind in OPERATIONS else EDITOR)
    project = Project.objects.select_for_update().get(pk=project_id)
    atlas = Atlas.objects.get(pk=atlas_id)
    if atlas.head_id is None:
        raise Conflict("This atlas has been deleted.", atlas.name, "Undo brings it back.")
    check_fresh(project, params.get("change"), claim_parts(atlas.pk, settings))
    others = list(Atlas.objects.filter(pk__in=set(further) - {atlas.pk}))
    for one in (atlas, *others) if exclusive else ():
        check_idle(one)
    assert project.head is not None
    states = {
        "revision": atlas.head_id,
        "revisions": [revision for _, revision in project.head.atlases],
    }
    job = start_job(kind, project, atlas, {**params, **states}, **part_of)
    job.further.set(others)
    return job


@transaction.atomic
def run_lines(project_id: int, lines: list[int]) -> Job:
    """Start a job that does lines of the run sheet, with all workers there are.

    Raises
    ------
    Conflict
        While another one does.
    Refused
        When one of the lines is not the project's.
    """
    get_object_or_404(Project, pk=project_id)
    require(project_id, EDITOR)
    project = Project.objects.select_for_update().get(pk=project_id)
    known = set(RunLine.objects.filter(project=project, pk__in=lines).values_list("pk", flat=True))
    if known != set(lines):
        raise Refused("One of the lines is not there (any more).", "lines", "Look at the run sheet again.")  # fmt: skip
    busy = project.jobs.filter(kind="run sheet", state__in=(Job.QUEUED, Job.RUNNING)).first()
    if busy:
        raise Conflict("The run sheet is being brought up to date.", project.name, "Wait for it or cancel it.", job=busy.pk)  # fmt: skip
    return start_job("run sheet", project, None, {"lines": sorted(known)})


def run_line(line: RunLine) -> Job:
    """Start a job that does a line, on all its atlases.

    Raises
    ------
    Refused
    """
    first, *others = (atlas.pk for atlas in target(line))
    return claim("run line", first, {"line": line.pk}, further=others)


def start_measure(atlas: Atlas, revision: Revision | None = None) -> None:
    """Measure and prove a revision (the present one) unless both are up to date or under way."""
    from studio.actions.check.rules import is_proven

    revision = revision or atlas.head
    if revision is None or not members_of(revision) or is_proven(revision):
        return
    with transaction.atomic():
        waiting = atlas.jobs.filter(
            kind="measure", state=Job.QUEUED, params={"revision": revision.pk}
        )
        if not waiting.exists():
            start_job("measure", atlas.project, atlas, {"revision": revision.pk})


def measure_all(project: Project) -> None:
    """Measure all atlases of a project whose figures are not up to date."""
    rows = project.atlases.exclude(head=None).select_related("head__keyframe", "project__head")
    for atlas in rows.defer(*STATES):
        start_measure(atlas)


@db_task()  # type: ignore[untyped-decorator]
def run_job(job_id: int) -> None:
    """Run one job; whatever happens ends up in its row."""
    from studio.jobs.kinds import do_job

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


def cancel_job(job: Job, keep: bool) -> bool:
    """Ask a job and its parts to stop, or end it when it has not begun; False when it is over already."""
    cancel_parts(job, keep)
    over = {
        "state": Job.CANCELLED,
        "message": "cancelled before it started",
        "finished": timezone.now(),
    }
    if Job.objects.filter(pk=job.pk, state=Job.QUEUED).update(**over):
        return True
    asked = Job.objects.filter(pk=job.pk, state=Job.RUNNING)
    return bool(asked.update(cancel="keep" if keep else "drop", message="stopping"))


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
    from studio.actions.gather.watch_folder import look

    for row in WatchedFolder.objects.filter(project__deleted=None).select_related("project__head"):
        try:
            look(row)
        except QuiltError as error:
            log.warning("folder %s of project %s: %s", row.path, row.project_id, error)


@db_periodic_task(crontab(minute="*"))  # type: ignore[untyped-decorator]
def look_after_jobs() -> None:
    """Once a minute."""
    recover_stale_jobs()
