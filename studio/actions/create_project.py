"""Create a project with one atlas."""

from __future__ import annotations

from django.db import transaction

from studio.actions.errors import Refused
from studio.models import Atlas, Project, Tile


@transaction.atomic
def create_project(name: str, house_density: float = 512.0) -> Project:
    """A new, empty project."""
    if not name.strip():
        raise Refused("The project has no name.", "name", "Give it one.")
    project = Project.objects.create(name=name.strip(), house_density=house_density)
    atlas = Atlas.objects.create(project=project, name="props A")
    Tile.objects.create(atlas=atlas, number=1001, label="props A")
    return project
