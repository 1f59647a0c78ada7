"""Create a project with one atlas."""

from __future__ import annotations

from django.db import transaction

from quilt_core.document.state import State, TileRow
from quilt_core.operations.gather import FIRST_ATLAS, UNSAID
from studio.actions.access import own
from studio.actions.errors import Refused
from studio.actions.history.change import append_change, first_settings
from studio.models import Atlas, Project
from studio.state import write_state


@transaction.atomic
def create_project(name: str, house_density: float | None = None) -> Project:
    """A new, empty project."""
    if not name.strip():
        raise Refused("The project has no name.", "name", "Give it one.")
    project = Project.objects.create()
    own(project)
    atlas = Atlas.objects.create(project=project)
    state = State(FIRST_ATLAS, (), (TileRow(1001, 2048, 2048, FIRST_ATLAS),))
    revision = write_state(atlas, None, state, verb="begin")
    settings = first_settings(name.strip(), house_density or UNSAID)
    append_change(project, "begin", "", {}, settings=settings, revisions={atlas.pk: revision})
    return project
