"""Keep pack settings under a name."""

from __future__ import annotations

from typing import Any

from quilt_core.operations.pack_settings import Pack
from quilt_core.options import options_of, settings_from
from studio.actions.errors import Refused
from studio.models import Preset, Project

KEPT = tuple(one.name for one in options_of(Pack) if not one.passing)


def save_preset(project: Project, name: str, settings: dict[str, Any]) -> Preset:
    """Save or replace a preset; settings that cannot be used are refused."""
    if not name.strip():
        raise Refused("The preset has no name.", "name", "Give it one.")
    kept = {key: settings[key] for key in KEPT if settings.get(key) is not None}
    settings_from(Pack, kept)
    preset, _ = Preset.objects.update_or_create(
        project=project, name=name.strip(), defaults={"settings": kept}
    )
    return preset
