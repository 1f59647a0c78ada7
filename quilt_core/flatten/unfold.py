"""A first try at flattening: triangles unfolded one after the other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.flatten._unfold_loops import unfold_tree
from quilt_core.flatten.shells import Shells

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


def unfold(shells: Shells, tris: IntArray, sewn: NDArray[np.bool_]) -> FloatArray:
    """(m, 3, 2) corners of triangles, each unfolded over an edge of one before it: exact in size,
    and torn where the surface is curved."""
    return np.asarray(unfold_tree(tris, shells.across, sewn, shells.rest, np.abs(shells.turn)))
