"""The planner: which tiles reach the house density for this set, and what they cost."""

from __future__ import annotations

from typing import Any

import numpy as np

from quilt_core.pack.plan import plan_tiles
from studio.arrays import load_layout
from studio.models import Revision


def plan_atlas(revision: Revision, padding: float) -> dict[str, Any]:
    """Rows of the planner. After packing, the coverage that was reached stands in for the guess."""
    layout = load_layout(revision)
    atlas = revision.atlas
    weights = dict(atlas.members.values_list("object_id", "weight"))
    each = np.array([weights.get(obj.pk, 1.0) for obj in layout.objects])
    counted = np.ones(layout.islands.count, bool)
    stack = layout.controls["stack"]
    counted[stack >= 0] = False
    counted[np.unique(stack, return_index=True)[1]] = True
    factor = (
        each[layout.islands.object_index] * layout.controls["weight"] if layout.islands.count else np.empty(0)
    )
    world = float((layout.islands.world_area * factor**2)[counted].sum())
    packed = revision.figures if revision.verb in ("pack", "keep draft") else None
    reached = packed["coverage"] if packed and not packed["side_table"] else None
    rows = plan_tiles(world, int(counted.sum()), padding, atlas.project.house_density, reached)
    return {"coverage": reached, "rows": [row.__dict__ for row in rows]}
