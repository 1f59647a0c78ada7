"""Edges that are seams before anything is cut: by angle, shading, material or group."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.edges import HARD_COSINE
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import BoolArray
from quilt_core.unwrap.options import UnwrapSettings
from quilt_core.unwrap.pieces import Pieces


def fixed_seams(mesh: Mesh, pieces: Pieces, settings: UnwrapSettings) -> BoolArray:
    """(3 N,) half-edges that stay seams, for a way of cutting; never inside a polygon."""
    half = np.flatnonzero((pieces.across >= 0) & ~pieces.inner)
    out = np.zeros(3 * pieces.count, bool)
    one, two = half // 3, pieces.across[half] // 3
    if settings.seams == "angle":
        out[half] = np.abs(pieces.turn[half]) > np.radians(settings.angle)
    elif settings.seams == "material":
        out[half] = mesh.face_material[pieces.face[one]] != mesh.face_material[pieces.face[two]]
    elif settings.seams == "group" and mesh.group is not None:
        out[half] = mesh.group[pieces.face[one]] != mesh.group[pieces.face[two]]
    elif settings.seams == "hard":
        out[half] = _hard(mesh, pieces, half, settings.angle)
    return out


def _hard(mesh: Mesh, pieces: Pieces, half: NDArray[np.int64], angle: float) -> BoolArray:
    """Edges that are shaded hard; where nothing says so, those that turn by more than an angle in degrees."""
    across = pieces.across[half]
    one, two = half // 3, across // 3
    if mesh.corner_normal is not None:
        # Ends of an edge, from its two sides: a winding that was matched runs against the other.
        here = np.stack(
            [pieces.corner[one, half % 3], pieces.corner[one, (half + 1 - 3 * one) % 3]]
        )
        there = np.stack(
            [pieces.corner[two, (across + 1 - 3 * two) % 3], pieces.corner[two, across % 3]]
        )
        a, b = mesh.corner_normal[here], mesh.corner_normal[there]
        size = np.linalg.norm(a, axis=2) * np.linalg.norm(b, axis=2)
        return np.asarray((np.einsum("eki,eki->ek", a, b) < HARD_COSINE * size).any(axis=0))
    if mesh.smoothing is not None:
        group = mesh.smoothing[pieces.face]
        return np.asarray((group[one] != group[two]) | (group[one] == 0))
    # Shaded by its faces each one would be an island by itself, which nobody means.
    return np.asarray(np.abs(pieces.turn[half]) > np.radians(angle))
