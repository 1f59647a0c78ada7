"""Even out: scale islands to one density."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure.density import equalize, island_densities, set_density
from quilt_core.pack.controls import LOCK_PLACE, LOCK_SIZE
from studio.actions.arrange.control_islands import counted
from studio.actions.errors import Refused
from studio.actions.history.change import Made, finish_job
from studio.arrays import Layout, controls_of, load_layout
from studio.models import Revision

Placements = NDArray[np.float64]

TARGETS = ("house", "number", "average", "island", "object")


def even_out(revision: Revision, params: dict[str, Any]) -> Revision:
    """Scale the islands of a revision; returns the new one.

    `params`: target (house, number, average, island, object), value (px per metre, island number or
    object id), per_object, islands (list of island numbers, empty for all).
    """
    layout = load_layout(revision)
    chosen, target = params.get("islands") or [], target_density(layout, params)
    placements = evened(layout, target, chosen, bool(params.get("per_object")))
    what = f"to {target:.4g} px/m" if target else "to the average"
    if chosen:
        what = f"{counted(len(chosen))} {what}"
    made = Made("even out", layout.state.having(placements=placements), what, params)
    return finish_job(revision.atlas_id, revision, made)


def evened(
    layout: Layout, target: float | None, chosen: list[int], per_object: bool = False
) -> Placements:
    """Placements at one density times the weights; locked places and sizes stay as they are.

    `chosen` are the islands to scale, all when empty; `target` in px per metre, None for the
    average.
    """
    which = controls_of(layout, chosen).chosen & (
        layout.controls["flags"] & (LOCK_PLACE | LOCK_SIZE) == 0
    )
    if not which.any() and layout.islands.count:
        raise Refused(
            "All these islands keep their place or their size.",
            "locks",
            "Unlock the size of some, or pick others.",
        )
    width, height = layout.pixels.T
    return equalize(
        layout.islands,
        layout.placements,
        width,
        height,
        target,
        layout.weights,
        per_object=per_object,
        which=which,
    )


def target_density(layout: Layout, params: dict[str, Any]) -> float | None:
    """px per metre that is asked for; None for the average."""
    target, value = params.get("target", "house"), params.get("value")
    width, height = layout.pixels.T
    if target == "house":
        return float(layout.revision.atlas.project.house_density)
    if target == "average":
        return None
    if target == "number" and value and np.isfinite(value) and value > 0:
        return float(value)
    found = float("nan")
    if target == "island" and value is not None and 0 <= int(value) < layout.islands.count:
        found = float(
            island_densities(layout.islands, layout.placements, width, height)[int(value)]
        )
    elif target == "object" and value is not None:
        numbers = [n for n, obj in enumerate(layout.objects) if obj.pk == int(value)]
        which = np.isin(layout.islands.object_index, numbers)
        found = set_density(layout.islands, layout.placements, width, height, which)
    if not np.isfinite(found):
        raise Refused(
            f"“{target}” {value} gives no density.",
            "target",
            "Pick an island or object with an area, or give a number of px/m.",
        )
    return found
