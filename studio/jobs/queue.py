"""Queue jobs: a row each, claimed with what they will change in one step."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from typing import Any

from django.db import transaction
from huey.contrib.djhuey import db_task
from redis.exceptions import RedisError

from quilt_core.operations.registry import OPERATIONS
from studio.actions.access import EDITOR, acting_user, require
from studio.actions.errors import Conflict, Refused, found
from studio.actions.history.change import STATES, check_fresh, check_idle, claim_parts
from studio.actions.run.targets import target
from studio.models import Atlas, Job, Project, Revision, RunLine
from studio.references import keys_in, refer
from studio.state import members_of

log = logging.getLogger(__name__)
_WORK: list[Callable[[int], None]] = []
"""What does a job, in processes that do any."""


def done_by(work: Callable[[int], None]) -> Callable[[int], None]:
    """Say what does jobs in this process."""
    _WORK[:] = [work]
    return work


@db_task()  # type: ignore[untyped-decorator]
def run_job(job_id: int) -> None:
    """Run one job; whatever happens ends up in its row."""
    _WORK[0](job_id)


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
    project_id = found(Atlas, atlas_id).project_id
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
    found(Project, project_id)
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
    from studio.actions.check.rules import is_checked

    revision = revision or atlas.head
    if revision is None or not members_of(revision) or is_checked(revision):
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
