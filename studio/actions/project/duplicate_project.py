"""A copy of a project as it is now: the same files, objects and layouts, with a history of its
own."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from quilt_core.document.project.present import copied_project
from studio.actions.access import author
from studio.actions.errors import found
from studio.models import Project
from studio.state import read_state
from studio.transfer import ProjectRows, made_project


@transaction.atomic
def duplicate_project(project_id: int) -> Project:
    """Copy a project's present state; stored files are shared, as they never change."""
    original = found(Project.objects.select_related("head"), project_id)
    rows = ProjectRows(original)
    record, states = copied_project(rows.record(), timezone.now())
    return made_project(record, lambda n: read_state(rows.revisions[states[n]]).islands, author())
