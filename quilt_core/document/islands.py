"""Islands of an atlas as records: where each lies, and what the artist said about it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.placement import identity

CONTROL_FIELDS = np.dtype(
    [("flags", "u1"), ("tile", "<i4"), ("bundle", "<i4"), ("stack", "<i4"), ("weight", "<f4")]
)
"""What was said about an island: flags as in `quilt_core.pack.controls`, its only tile (0 for any), bundle and stack
(-1 for none), weight."""
ISLAND = np.dtype([("placement", "<f8", (2, 3)), ("unplaced", "u1"), ("control", CONTROL_FIELDS)])
CHANGED_ISLAND = np.dtype([("island", "<i4"), ("state", ISLAND)])
"""An island that differs from an earlier state's."""


def fresh_islands(count: int) -> NDArray[Any]:
    """Islands that nobody did anything to."""
    out = np.zeros(count, ISLAND)
    out["placement"] = identity(count)
    out["control"] = free_controls(count)
    return out


def free_controls(count: int) -> NDArray[Any]:
    """Controls of islands that nobody said anything about."""
    out = np.zeros(count, CONTROL_FIELDS)
    out["bundle"] = out["stack"] = -1
    out["weight"] = 1.0
    return out
