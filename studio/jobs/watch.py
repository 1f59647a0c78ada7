"""Look into watched folders, and start the jobs that bring newer files in."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

from django.db import transaction

from quilt_core.errors import QuiltError
from quilt_core.run.standing import STALE
from studio.actions.gather.watch_folder import SETTLED, file_of_source, stamps_of, watched_sources
from studio.actions.run.facts import surveyed
from studio.jobs.queue import claim, run_line
from studio.models import Job, Project, Revision, RunLine, WatchedFolder
from studio.state import members_of


def look(row: WatchedFolder) -> dict[str, Any]:
    """Look into the folder, and start what is to be done: at most one job of an atlas at a time.

    Returns the state for the screen: how many files are watched, which wait, what was started, and what is wrong.
    """
    folder = Path(row.path)
    if not folder.is_dir():
        return {"watched": 0, "waiting": [], "started": "", "wrong": "The folder is not there."}
    busy = set(
        Job.objects.filter(project=row.project, state__in=(Job.QUEUED, Job.RUNNING))
        .exclude(kind__in=("measure", "explain"))
        .values_list("atlas_id", flat=True)
    )
    watched, waiting, started = 0, [], ""
    homes = _homes(row.project)
    for source in watched_sources(row.project):
        if file_of_source(folder, source) is None:
            continue
        watched += 1
        now = stamps_of(folder, source)
        if row.seen.get(str(source.pk)) == now:
            continue
        waiting.append(source.name)
        atlas = homes.get(source.pk)
        fresh = time.time() - max(stamp[0] for stamp in now.values()) < SETTLED
        if started or atlas is None or atlas in busy or fresh:
            continue
        # Known from now on, also where it cannot be read: it is tried again once it changes.
        _know(row, source.pk, now)
        try:
            claim("update", atlas, {"source": source.pk, "folder": str(folder)})
        except QuiltError as error:
            _know(row, source.pk, None)
            return {"watched": watched, "waiting": waiting, "started": "", "wrong": str(error)}
        started = source.name
    if not waiting and not busy and row.run_lines:
        started = _run_next(row.project)
    return {"watched": watched, "waiting": waiting, "started": started, "wrong": ""}


@transaction.atomic
def _know(row: WatchedFolder, source: int, stamps: dict[str, list[float]] | None) -> None:
    """Keep what is known of a file, beside what others keep meanwhile."""
    now = WatchedFolder.objects.select_for_update().get(pk=row.pk)
    now.seen.pop(str(source), None)
    if stamps is not None:
        now.seen[str(source)] = stamps
    now.save(update_fields=["seen"])
    row.seen = now.seen


def _run_next(project: Project) -> str:
    """Start the first line that is out of date; a line that failed waits until something changes."""
    for line, told in surveyed(RunLine.objects.filter(project=project)):
        if told.state == STALE and line.made_from:
            run_line(line)
            return f"line “{line.name}”"
    return ""


def _homes(project: Project) -> dict[int, int]:
    """The first atlas in which objects of each source lie."""
    owner = dict(project.mesh_objects.values_list("pk", "source_id"))
    out: dict[int, int] = {}
    assert project.head is not None
    revisions = Revision.objects.select_related("keyframe").in_bulk(
        [revision for _, revision in project.head.atlases]
    )
    for atlas, revision in project.head.atlases:
        for member in members_of(revisions[revision]):
            out.setdefault(owner[member.object], atlas)
    return out
