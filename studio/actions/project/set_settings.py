"""Change a project's name, house density and tolerances."""

from __future__ import annotations

from typing import Any

from quilt_core.measure.density import house_band
from quilt_core.scene.lengths import PER_METRE, density_words
from studio.actions.errors import Refused
from studio.actions.history.change import edit_settings
from studio.models import Change

UNITS = {
    "name": ("rename", "“{}”"),
    "house_density": ("house density", ""),
    "tolerance": ("tolerance", "{:.1%}"),
    "least_density": ("least density", ""),
    "most_density": ("most density", ""),
    "density_unit": ("density unit", "{}"),
    "uv_tolerance": ("UV tolerance", "{:g} tiles"),
}
"""What a change of each setting is called, and how its value is written; densities in the unit of the project."""


def set_settings(project_id: int, seen: int | None, given: dict[str, Any]) -> Change:
    """Append a change of the settings that are given."""
    if "name" in given and not given["name"].strip():
        raise Refused("The project has no name.", "name", "Give it one.")
    verb = UNITS[next(iter(given))][0] if given else "settings"

    def make(settings: dict[str, Any]) -> tuple[dict[str, Any], str]:
        said = []
        for name, value in given.items():
            new = value.strip() if name == "name" else value
            old = settings.get(name)
            if new != old:
                unit = settings.get("density_unit", PER_METRE)
                form = UNITS[name][1]
                both = (
                    "none"
                    if one is None
                    else form.format(one)
                    if form
                    else density_words(one, unit)
                    for one in (old, new)
                )
                said.append(" → ".join(both))
                settings[name] = new
        house_band(
            settings["house_density"], settings["tolerance"],
            settings.get("least_density"), settings.get("most_density"),
        )  # fmt: skip
        return settings, ", ".join(said)

    return edit_settings(project_id, seen, verb, make)
