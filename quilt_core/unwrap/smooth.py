"""Charts relaxed as a whole, after they were sewn part by part."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.unwrap._chart_loops import figures
from quilt_core.unwrap._sew_loops import FINE, flatten_chart
from quilt_core.unwrap.patchwork import Limits, Patchwork

STEPS = 30


def smoothed(work: Patchwork, limits: Limits) -> Patchwork:
    """Relax each chart until it rests; one that would be worse, or no longer valid, stays."""
    shells, uv = work.shells, work.uv.copy()
    place = np.full(shells.count, -1, np.int64)
    for tris in work.charts():
        if len(tris) < 2:
            continue
        before = figures(shells.rest[tris], uv[tris])[0]
        state, energy, flat = flatten_chart(
            tris, shells.across, work.sewn, shells.rest, shells.sharp, uv, place,
            max(limits.energy, before), max(limits.stretch, 1e3), STEPS,
        )  # fmt: skip
        if state == FINE and energy <= before:
            uv[tris] = flat
    return replace(work, uv=uv)
