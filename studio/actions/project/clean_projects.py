"""Delete projects with a way back, and clear what nothing refers to any more."""

from __future__ import annotations

import time
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

from django.core.files.storage import FileSystemStorage, default_storage
from django.db import transaction
from django.utils import timezone

from studio.actions.access import OWNER, require
from studio.actions.errors import Conflict
from studio.jobs.run import cancel_job
from studio.models import (
    BaseLayout,
    GivenPicture,
    Job,
    Project,
    Revision,
    RunLine,
    SheetPicture,
    Source,
)

KEPT = timedelta(days=7)
"""So long a deleted project can be brought back."""
YOUNG = 3600.0
"""Seconds for which a file is left alone: a job may be about to refer to it."""
CACHED = 86_400.0
"""Seconds for which pictures and geometry that can be made again are kept."""
ACTIVE = (Job.QUEUED, Job.RUNNING)


def delete_project(project: Project) -> Project:
    """Put a project away; its work is stopped, and nothing of it is lost for `KEPT`."""
    require(project.pk, OWNER)
    if project.deleted is not None:
        raise Conflict(
            "The project is deleted already.", project.name, "Bring it back, or leave it."
        )
    project.deleted = timezone.now()
    project.save(update_fields=["deleted"])
    for job in project.jobs.filter(state__in=ACTIVE):
        cancel_job(job, keep=False)
    return project


def restore_project(project: Project) -> Project:
    """Bring a deleted project back."""
    require(project.pk, OWNER)
    if project.deleted is None:
        raise Conflict("The project is not deleted.", project.name, "Open it.")
    project.deleted = None
    project.save(update_fields=["deleted"])
    return project


def clear() -> tuple[int, int]:
    """Forget projects deleted long ago, and remove stored files that nothing refers to.

    Safe beside running jobs: young files stay, and so does a project with work under way.

    Returns
    -------
    projects, files : int
        How many were removed.
    """
    old = Project.objects.filter(deleted__lt=timezone.now() - KEPT).exclude(jobs__state__in=ACTIVE)
    gone = [_forget(project) for project in old]
    # What is there is listed before what is referred to: a file that a job stores meanwhile is not
    # in the list.
    files = list(_stored_files())
    referred = _referred()
    removed = 0
    for path, age in files:
        known = path.name in referred
        limit = CACHED if path.name.startswith(("geometry-", "thumbnail-")) else YOUNG
        # Stored again since it was listed: a job is about to refer to it.
        if not known and age > limit and time.time() - path.stat().st_mtime > limit:
            path.unlink(missing_ok=True)
            removed += 1
    return len(gone), removed


@transaction.atomic
def _forget(project: Project) -> None:
    revisions = Revision.objects.filter(atlas__project=project)
    project.atlases.update(head=None)
    Project.objects.filter(pk=project.pk).update(head=None)
    revisions.update(parent=None, keyframe=None)
    project.changes.update(parent=None)
    BaseLayout.objects.filter(object__project=project).update(parent=None)
    Project.objects.get(pk=project.pk).delete()


def _referred() -> set[str]:
    keys = set(Source.objects.values_list("sha256", flat=True))
    for model in (GivenPicture, SheetPicture):
        keys |= set(model.objects.values_list("sha256", flat=True))
    keys |= set(BaseLayout.objects.values_list("geometry", flat=True))
    for params, result in Job.objects.values_list("params", "result"):
        keys |= {str(value) for value in result.values()}
        keys |= {str(key) for _, key in params.get("files", [])}
    for made in RunLine.objects.values_list("made", flat=True):
        for row in (made, *made.get("past", [])):
            keys |= {str(row[name]) for name in ("file", "carried", "maps") if row.get(name)}
    return keys


def _stored_files() -> Iterator[tuple[Path, float]]:
    """Stored files and their age in seconds; none where the storage is no folder of this
    machine."""
    if not isinstance(default_storage, FileSystemStorage):
        return
    root, now = Path(default_storage.location), time.time()
    for path in root.rglob("*") if root.is_dir() else ():
        try:
            if path.is_file():
                yield path, now - path.stat().st_mtime
        except OSError:
            continue
