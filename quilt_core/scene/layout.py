"""From placements back to face corners, for the writers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.islands import UV_TOLERANCE, find_islands
from quilt_core.scene.model import SceneObject
from quilt_core.scene.placement import IDENTITY, apply_placements

FloatArray = NDArray[np.float64]


def object_corner_uvs(
    obj: SceneObject, channel: int, placements: FloatArray, tolerance: float = UV_TOLERANCE
) -> FloatArray | None:
    """New UVs of every face corner.

    Parameters
    ----------
    obj : SceneObject
    channel : int
        UV channel from 0.
    placements : (I, 2, 3) float64
        Of the object's islands, in the order of `find_islands`.
    tolerance : float
        With which they were found, see there.

    Returns
    -------
    (C, 2) float64 or None
        NaN for corners that keep what they have; None when nothing moved.
    """
    if channel >= len(obj.mesh.channels) or np.array_equal(
        placements, np.broadcast_to(IDENTITY, placements.shape)
    ):
        return None
    islands = find_islands(obj.mesh, obj.mesh.channels[channel], tolerance=tolerance)
    if islands.count != len(placements):
        raise ValueError(f"{len(placements)} placements for {islands.count} islands")
    which = islands.face_island[obj.mesh.corner_face]
    moved = apply_placements(islands.uv, which, placements)
    still = np.isin(which, np.flatnonzero((placements == IDENTITY).all(axis=(1, 2)))) | (which < 0)
    moved[still] = np.nan
    return moved
