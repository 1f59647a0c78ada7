"""Create a project with one atlas."""

from __future__ import annotations

from django.db import transaction

from studio.actions.errors import Refused
from studio.models import Atlas, Project, Tile

UNSAID = 512.0
"""House density in px per metre of a project that has no files yet; its first files propose one."""


@transaction.atomic
def create_project(name: str, house_density: float | None = None) -> Project:
    """A new, empty project."""
    if not name.strip():
        raise Refused("The project has no name.", "name", "Give it one.")
    project = Project.objects.create(name=name.strip(), house_density=house_density or UNSAID)
    atlas = Atlas.objects.create(project=project, name="props A")
    Tile.objects.create(atlas=atlas, number=1001, label="props A")
    return project
