"""From placements back to face corners, for the writers."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.placement import IDENTITY, apply_placements
from quilt_core.scene.types import FloatArray, IntArray


def placed_corner_uvs(
    uv: FloatArray, corner_island: IntArray, placements: FloatArray, whole: bool = False
) -> FloatArray | None:
    """New UVs of every face corner, from base UVs.

    Parameters
    ----------
    uv : (C, 2) float64
        Base UVs of the corners.
    corner_island : (C,) int64
        Island of each corner, -1 for none.
    placements : (I, 2, 3) float64
    whole : bool
        Give the corners of islands that did not move, too: they are written where they were not
        before.

    Returns
    -------
    (C, 2) float64 or None
        NaN for corners that keep what they have; None when all do.
    """
    same = (placements == IDENTITY).all(axis=(1, 2))
    if not len(placements) or (same.all() and not whole):
        return None
    moved = apply_placements(uv, corner_island, placements)
    still = corner_island < 0
    if not whole:
        still |= np.isin(corner_island, np.flatnonzero(same))
    moved[still] = np.nan
    return moved
