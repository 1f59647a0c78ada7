"""Say what sets the scale of a packed layout, and keep that with its revision."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from studio.actions.arrange.pack_atlas import rules_for
from studio.arrays import load_layout
from studio.models import Revision
from studio.state import tiles_of


def explain_pack(revision: Revision, stop: Callable[[], bool]) -> dict[str, Any] | None:
    """What sets the scale, with the density that each cure is expected to bring; None when nothing
    does."""
    from quilt_core.pack import explain

    layout = load_layout(revision)
    settings, frozen, controls = rules_for(revision.params, tiles_of(revision), layout)
    found = explain(
        layout.islands,
        layout.placements,
        settings,
        controls,
        tuple(frozen),
        layout.pixels,
        tuple(layout.names()),
        stop,
    )
    if found is None:
        return None
    density = ((revision.figures or {}).get("density") or {}).get("mean")
    binding = asdict(found)
    for cure in binding["cures"]:
        cure["density"] = round(density * cure["factor"], 3) if density else None
        cure["factor"] = round(cure["factor"], 4)
    revision.binding = binding
    revision.save(update_fields=["binding"])
    return binding
