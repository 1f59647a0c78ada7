"""Profiles: what engines want their textures like."""

from __future__ import annotations

from typing import Any

from quilt_core.textures.profile import BUILT_IN, SOURCES
from studio.actions.errors import Refused
from studio.models import Project, SavedProfile


def profiles_of(project: Project) -> dict[str, Any]:
    """Those that are always there and those of a project, and what a channel may hold."""
    own = [{"id": row.pk, **row.what} for row in project.profiles.all()]
    always = [{"id": None, **profile.to_json()} for profile in BUILT_IN.values()]
    return {"profiles": [*always, *own], "sources": list(SOURCES)}


def save_profile(project: Project, what: dict[str, Any]) -> SavedProfile:
    """Save or replace a profile, as `Profile.to_json` has it."""
    if what["name"] in BUILT_IN:
        raise Refused(
            f"“{what['name']}” is always there, and stays as it is.",
            "name",
            "Give it another name.",
        )
    row, _ = SavedProfile.objects.update_or_create(
        project=project, name=what["name"], defaults={"what": what}
    )
    return row
