"""The similarity that lays points on others."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.types import FloatArray

AS_PLANE = np.array([1.0, 1j])
"""Points as complex numbers: a turn is a product."""


def laid_onto(
    body: FloatArray, q: FloatArray, p: FloatArray, scale: bool = False, quarters: bool = False
) -> FloatArray:
    """Move a body so that its points come to lie on others as well as they can.

    Parameters
    ----------
    body : (..., 2) float64
    q, p : (N, 2) float64
        Points of the body, and where each shall come to lie.
    scale : bool
        Whether its size may change.
    quarters : bool
        Only quarter turns.

    Returns
    -------
    (..., 2) float64

    References
    ----------
    Umeyama 1991, Least-squares Estimation of Transformation Parameters (here in the plane).
    """
    a, b = p.mean(axis=0), q.mean(axis=0)
    z, w = (p - a) @ AS_PLANE, (q - b) @ AS_PLANE
    turn = (np.conj(w) * z).sum()
    if scale:
        turn = turn / max(float((np.abs(w) ** 2).sum()), 1e-300)
    else:
        turn = turn / abs(turn) if abs(turn) > 0 else 1.0
    if quarters:
        turn = 1j ** np.round(np.angle(turn) / (np.pi / 2))
    out = ((body - b) @ AS_PLANE) * turn
    return np.asarray(np.stack([out.real, out.imag], axis=-1) + a)
