"""Even out: scale islands to one density."""

from __future__ import annotations

from typing import Any

import numpy as np

from quilt_core.measure.density import equalize, island_densities, set_density
from studio.actions.errors import Refused
from studio.actions.prove_layout import weights_of
from studio.actions.revise import append_revision
from studio.arrays import Layout, load_layout
from studio.models import Revision

TARGETS = ("house", "number", "average", "island", "object")


def even_out(revision: Revision, params: dict[str, Any]) -> Revision:
    """Scale the islands of a revision; returns the new one.

    `params`: target (house, number, average, island, object), value (px per metre, island number or
    object id), per_object, islands (list of island numbers, empty for all).
    """
    layout = load_layout(revision)
    width, height = layout.pixels.T
    weights = weights_of(layout)
    which = None
    if params.get("islands"):
        which = np.zeros(layout.islands.count, bool)
        which[np.array(params["islands"], np.int64)] = True
    placements = equalize(
        layout.islands, layout.placements, width, height, target_density(layout, params), weights,
        per_object=bool(params.get("per_object")), which=which,
    )  # fmt: skip
    return append_revision(revision.atlas, revision, "even out", params, placements, layout.unplaced)


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
        found = float(island_densities(layout.islands, layout.placements, width, height)[int(value)])
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
