"""Steps of a line of a project: operations on its atlas, one after the other."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from quilt_core.errors import LayoutError, QuiltError
from quilt_core.operations.registry import operation
from quilt_core.options import options_of, settings_from

STEPS = (
    "unwrap", "edit", "copy-layout", "even-out", "visibility", "pack", "in-order", "continue-across", "merge",
    "bake", "textures", "check", "report", "export",
)  # fmt: skip
"""Operations that a line may do, in working order."""
MOST_TEXT = 20_000
"""Characters of the settings of a step."""


def checked_steps(steps: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Steps of a line, each an operation with settings that it has.

    Raises
    ------
    QuiltError
    """
    out = []
    for number, step in enumerate(steps, start=1):
        do, settings = step.get("do"), step.get("settings", {})
        if do not in STEPS:
            raise LayoutError(
                f"A step that does “{do}”.", f"step {number}", f"do is one of {', '.join(STEPS)}."
            )
        if not isinstance(settings, dict) or len(json.dumps(settings)) > MOST_TEXT:
            raise LayoutError(
                "Its settings are no table.", f"step {number}, {do}", "Give names and values."
            )
        try:
            settings_from(operation(str(do)).settings, settings)
        except QuiltError as error:
            where = f"step {number}, {do}, {error.where}"
            raise LayoutError(error.what, where, error.fix) from None
        out.append({"do": do, "settings": dict(settings)})
    if not out:
        raise LayoutError("The line has no steps.", "steps", f"Give some of {', '.join(STEPS)}.")
    return out


def repeatable(name: str) -> bool:
    """Whether what is kept of an operation is enough to do it again: which islands were selected is not."""
    return all(one.kept and not one.passing for one in options_of(operation(name).settings) if one.needed)  # fmt: skip


def takes_objects(name: str) -> bool:
    """Whether a step is told about which objects it is."""
    own = options_of(operation(name).settings)
    return any(one.name == "objects" and not one.passing for one in own)
