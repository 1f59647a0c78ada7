"""Islands relaxed as a whole, after they were joined part by part."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.unwrap._island_loops import figures
from quilt_core.unwrap._join_loops import FINE, flatten_island
from quilt_core.unwrap.surface_islands import Limits, SurfaceIslands

STEPS = 30


def smoothed(work: SurfaceIslands, limits: Limits) -> SurfaceIslands:
    """Relax each island until it rests; one that would be worse, or no longer valid, stays."""
    pieces, uv = work.pieces, work.uv.copy()
    place = np.full(pieces.count, -1, np.int64)
    for tris in work.islands():
        if len(tris) < 2:
            continue
        before = figures(pieces.rest[tris], uv[tris])[0]
        state, energy, flat = flatten_island(
            tris, pieces.across, work.joined, pieces.rest, pieces.sharp, uv, place,
            max(limits.energy, before), max(limits.stretch, 1e3), STEPS,
        )  # fmt: skip
        if state == FINE and energy <= before:
            uv[tris] = flat
    return replace(work, uv=uv)
