"""Delete projects with a way back, and clear what nothing refers to any more."""

from __future__ import annotations

import re
from datetime import timedelta
from pathlib import PurePosixPath
from typing import Any

from django.db import transaction
from django.utils import timezone

from studio import storage
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

KEY = re.compile(r"[0-9a-f]{64}")
"""Of a stored file: its SHA-256."""
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
    files = list(storage.listed())
    referred = _referred()
    removed = 0
    for name, age in files:
        plain = PurePosixPath(name).name
        limit = CACHED if plain.startswith(("geometry-", "thumbnail-")) else YOUNG
        # Stored again since it was listed: a job is about to refer to it.
        if plain not in referred and age > limit and storage.age_of(name) > limit:
            storage.remove(name)
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
    keys: set[str] = set()
    for model in (Source, GivenPicture, SheetPicture, BaseLayout, Job, RunLine):
        for row in model._base_manager.only(*FIELDS[model]).iterator():
            keys |= keys_in(row)
    return keys


FIELDS: dict[Any, tuple[str, ...]] = {
    Source: ("sha256",), GivenPicture: ("sha256",), SheetPicture: ("sha256",), BaseLayout: ("geometry",),
    Job: ("params", "result"), RunLine: ("made",),
}  # fmt: skip
"""Fields that refer to stored files."""


def keys_in(row: Any) -> set[str]:
    """Keys of the stored files that a row of the database refers to."""
    keys: set[str] = set()
    if isinstance(row, (Source, GivenPicture, SheetPicture)):
        keys.add(row.sha256)
    elif isinstance(row, BaseLayout):
        keys.add(row.geometry)
    elif isinstance(row, Job):
        keys |= {str(value) for value in row.result.values()}
        keys |= {str(key) for _, key in row.params.get("files", [])}
    elif isinstance(row, RunLine):
        for made in (row.made, *row.made.get("past", [])):
            keys |= {str(made[name]) for name in ("file", "carried", "maps") if made.get(name)}
    return {key for key in keys if KEY.fullmatch(key)}
