"""The planner: which tiles reach the house density for this set, and what they cost."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from quilt_core.operations.plan import tile_rows
from studio.arrays import load_layout
from studio.models import Revision


def plan_atlas(revision: Revision, padding: float) -> dict[str, Any]:
    """Rows of the planner. After packing, the coverage that was reached stands in for the guess."""
    reached = _reached(revision.figures, padding)
    house = revision.atlas.project.house_density
    rows = tile_rows(load_layout(revision), house, padding, reached)
    return {"coverage": reached, "rows": [asdict(row) for row in rows]}


def _reached(figures: dict[str, Any] | None, padding: float) -> float | None:
    """Coverage of the tiles in use, when the layout is packed: nothing overlaps, spills or was left
    over."""
    if not figures or figures["overlapping"] or figures["outside"] or figures["side_table"]:
        return None
    if figures["gap_px"] is not None and figures["gap_px"] < padding - 1e-3:
        return None
    used = [tile["coverage"] for tile in figures.get("tiles", []) if tile["islands"]]
    return float(np.mean(used)) if used else None
