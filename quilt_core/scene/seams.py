"""Seams of a UV channel, as edges of the mesh."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.edges import find_neighbours
from quilt_core.scene.islands import UV_TOLERANCE, find_islands
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.types import IntArray
from quilt_core.scene.weld import weld_positions


def seam_edges(mesh: Mesh, channel: UVChannel, tolerance: float = UV_TOLERANCE) -> IntArray:
    """Edges between two faces that are not joined in a channel.

    Parameters
    ----------
    mesh : Mesh
    channel : UVChannel
        A channel of that mesh.
    tolerance : float
        See `find_islands`.

    Returns
    -------
    (K,) int64
        Each edge by the corner of its first face from which it goes to the next one.
    """
    position = weld_positions(mesh)
    islands = find_islands(mesh, channel, position, tolerance)
    pairs = find_neighbours(mesh, position)
    island = islands.face_island[mesh.corner_face]
    known = (island[pairs.corners] >= 0).all(axis=1)
    apart = known & ~pairs.joined(islands.uv, island)
    return np.asarray(pairs.corners[apart, 0], np.int64)
