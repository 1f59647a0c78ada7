"""Placements: one 2x3 affine per island, applied to base UVs."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.types import FloatArray, IntArray

IDENTITY: FloatArray = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])
IDENTITY.setflags(write=False)


def identity(count: int) -> FloatArray:
    """(count, 2, 3) placements that move nothing."""
    return np.broadcast_to(IDENTITY, (count, 2, 3)).copy()


def apply_placements(points: FloatArray, which: IntArray, placements: FloatArray) -> FloatArray:
    """Move points with the placement of the island they belong to.

    Parameters
    ----------
    points : (N, 2) float64
        Base UVs.
    which : (N,) int64
        Island of each point; points with -1 stay where they are.
    placements : (I, 2, 3) float64

    Returns
    -------
    (N, 2) float64

    Examples
    --------
    >>> shift = np.array([[[1.0, 0.0, 0.5], [0.0, 1.0, 0.0]]])
    >>> apply_placements(np.array([[0.25, 0.5]]), np.array([0]), shift).tolist()
    [[0.75, 0.5]]
    """
    if not len(placements):
        return points.copy()
    out = np.empty_like(points)
    # One row of coefficients at a time: six small tables that stay in the cache.
    for row, (a, b, c) in enumerate(
        np.ascontiguousarray(placements.reshape(-1, 6).T).reshape(2, 3, -1)
    ):
        out[:, row] = a[which] * points[:, 0] + b[which] * points[:, 1] + c[which]
    if (which < 0).any():
        out[which < 0] = points[which < 0]
    return out


def compose(after: FloatArray, before: FloatArray) -> FloatArray:
    """Placements that do `before` first and `after` second, both (I, 2, 3)."""
    linear = after[:, :, :2] @ before[:, :, :2]
    shift = np.einsum("nij,nj->ni", after[:, :, :2], before[:, :, 2]) + after[:, :, 2]
    return np.concatenate([linear, shift[:, :, None]], axis=2)


def determinants(placements: FloatArray) -> FloatArray:
    """(I,) signed area factor of each placement."""
    a = placements
    return np.asarray(a[:, 0, 0] * a[:, 1, 1] - a[:, 0, 1] * a[:, 1, 0])
