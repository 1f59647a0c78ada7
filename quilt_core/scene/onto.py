"""The similarity that lays points on others."""

from __future__ import annotations

from typing import Literal

import numpy as np

from quilt_core.scene.types import FloatArray

AS_PLANE = np.array([1.0, 1j])
"""Points as complex numbers: a turn is a product."""
Turns = Literal["any", "quarter", "none"]


def laid_onto(
    body: FloatArray, q: FloatArray, p: FloatArray, scale: bool = False, turns: Turns = "any"
) -> FloatArray:
    """Move a body so that its points come to lie on others as well as they can.

    Parameters
    ----------
    body : (..., 2) float64
    q, p : (N, 2) float64
        Points of the body, and where each shall come to lie.
    scale : bool
        Whether its size may change.
    turns : str
        How it may be turned.

    Returns
    -------
    (..., 2) float64

    References
    ----------
    Umeyama 1991, Least-squares Estimation of Transformation Parameters (here in the plane).
    """
    a, b = p.mean(axis=0), q.mean(axis=0)
    z, w = (p - a) @ AS_PLANE, (q - b) @ AS_PLANE
    both = (np.conj(w) * z).sum()
    turn = both / abs(both) if abs(both) > 0 else 1.0
    if turns == "quarter":
        turn = 1j ** np.round(np.angle(turn) / (np.pi / 2))
    elif turns == "none":
        turn = 1.0
    size = 1.0
    if scale:
        # Where the turn is not the best one, of the size what goes along it.
        size = float((np.conj(turn) * both).real) / max(float((np.abs(w) ** 2).sum()), 1e-300)
        size = size if size > 0 else 1.0
    out = ((body - b) @ AS_PLANE) * (turn * size)
    return np.asarray(np.stack([out.real, out.imag], axis=-1) + a)
