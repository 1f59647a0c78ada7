"""New UVs of an object by placements of its islands."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.islands import UV_TOLERANCE, find_islands
from quilt_core.scene.layout import placed_corner_uvs
from quilt_core.scene.model import SceneObject

FloatArray = NDArray[np.float64]


def object_corner_uvs(
    obj: SceneObject,
    channel: int,
    placements: FloatArray,
    tolerance: float = UV_TOLERANCE,
    whole: bool = False,
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
    whole : bool
        See `placed_corner_uvs`.

    Returns
    -------
    (C, 2) float64 or None
        NaN for corners that keep what they have; None when nothing moved.
    """
    if channel >= len(obj.mesh.channels):
        return None
    islands = find_islands(obj.mesh, obj.mesh.channels[channel], tolerance=tolerance)
    if islands.count != len(placements):
        raise ValueError(f"{len(placements)} placements for {islands.count} islands")
    corner_island = islands.face_island[obj.mesh.corner_face]
    return placed_corner_uvs(islands.uv, corner_island, placements, whole)
