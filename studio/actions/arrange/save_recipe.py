"""Keep pack settings under a name."""

from __future__ import annotations

from typing import Any

from quilt_core.pack.problem import RECIPE_OPTIONS
from studio.actions.arrange.pack_atlas import settings_from
from studio.actions.errors import Refused
from studio.models import Project, Recipe

KEPT = tuple(option.name for option in RECIPE_OPTIONS)


def save_recipe(project: Project, name: str, settings: dict[str, Any]) -> Recipe:
    """Save or replace a recipe; settings that cannot be used are refused."""
    if not name.strip():
        raise Refused("The recipe has no name.", "name", "Give it one.")
    kept = {key: settings[key] for key in KEPT if settings.get(key) is not None}
    try:
        settings_from(kept)
    except TypeError:
        raise Refused(
            "A setting has the wrong type.", "settings", "Save it from the Arrange stage."
        ) from None
    recipe, _ = Recipe.objects.update_or_create(
        project=project, name=name.strip(), defaults={"settings": kept}
    )
    return recipe
