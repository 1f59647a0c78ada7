"""The high poly mesh for the screen."""

from __future__ import annotations

from typing import Any

import numpy as np

from studio import storage
from studio.arrays import Layout

MOST_SHOWN = 600_000
"""Triangles of a fine mesh that a browser gets."""


def kept_fine(case: Any, layout: Layout) -> str:
    """Store the fine triangles where the coarse ones stand, for the screen; empty where they are too many.

    Little-endian: float32 places (N, 3, 3), then int8 normals (N, 3, 3), 127 for 1.
    """
    from quilt_core.bake.surface import unit

    high = case.high
    if high.count > MOST_SHOWN:
        return ""
    points, normals = high.points, high.normals
    if case.own_space:
        points, normals = points.copy(), normals.copy()
        # Sizes are in the points already: what is left is how the coarse object is turned, and where it stands.
        stands = {
            m.object.name: (np.array(m.object.instances[0][1]), m.object.source.metres_per_unit)
            for m in layout.members
            if m.object.instances
        }
        for k, name in enumerate(case.low.names):
            rows = np.isin(case.pair_of_high, np.unique(case.pair_of_low[case.low.obj == k]))
            if name not in stands or not rows.any():
                continue
            matrix, metres = stands[name]
            turn = unit(matrix[:3, :3].T)
            points[rows] = points[rows] @ turn + metres * matrix[:3, 3]
            normals[rows] = normals[rows] @ turn
    data = np.asarray(points, "<f4").tobytes() + np.round(127 * normals).astype(np.int8).tobytes()
    return storage.put(data)
