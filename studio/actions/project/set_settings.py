"""Change a project's name, house density and tolerances."""

from __future__ import annotations

from typing import Any

from studio.actions.errors import Refused
from studio.actions.history.change import edit_settings
from studio.models import Change

UNITS = {
    "name": ("rename", "“{}”"),
    "house_density": ("house density", "{:g} px/m"),
    "tolerance": ("tolerance", "{:.1%}"),
    "uv_tolerance": ("UV tolerance", "{:g} tiles"),
}
"""What a change of each setting is called, and how its value is written."""


def set_settings(project_id: int, seen: int | None, given: dict[str, Any]) -> Change:
    """Append a change of the settings that are given."""
    if "name" in given and not given["name"].strip():
        raise Refused("The project has no name.", "name", "Give it one.")
    verb = UNITS[next(iter(given))][0] if given else "settings"

    def make(settings: dict[str, Any]) -> tuple[dict[str, Any], str]:
        said = []
        for name, value in given.items():
            new = value.strip() if name == "name" else value
            if new != settings[name]:
                form = UNITS[name][1]
                said.append(f"{form.format(settings[name])} → {form.format(new)}")
                settings[name] = new
        return settings, ", ".join(said)

    return edit_settings(project_id, seen, verb, make)
