"""Delete projects with a way back, and clear what nothing refers to any more."""

from __future__ import annotations

from datetime import timedelta
from pathlib import PurePosixPath

from django.db import transaction
from django.utils import timezone

from studio import storage
from studio.actions.access import OWNER, require
from studio.actions.errors import Conflict
from studio.actions.stop_jobs import cancel_job
from studio.models import BaseLayout, FileReference, Job, Project, Revision

KEPT = timedelta(days=7)
"""So long a deleted project can be brought back."""
YOUNG = 3600.0
"""Seconds for which a file is left alone: a job may be about to refer to it."""
CACHED = 86_400.0
"""Seconds for which images and geometry that can be made again are kept."""
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
    referred = set(FileReference.objects.values_list("sha256", flat=True))
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
