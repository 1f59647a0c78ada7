"""Whether the UVs that an object brings are of any use."""

from __future__ import annotations

from enum import Enum

import numpy as np

from quilt_core.scene.island_set import triangle_sides
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import FloatArray
from quilt_core.unwrap._useless_loops import layers_at

SAMPLES = 400
LEAST_COVERED = 0.15
"""Of the layout's own area: six sides of a box on one square cover a sixth and are kept, as are
parts that were stacked on purpose."""
LEAST_OPEN = 0.5
"""Share of the surface that must have UVs with some area."""
FLAT = 1e-6
"""A triangle's density below this part of the middle one is none."""


class UVState(Enum):
    """What an object's UVs are good for."""

    MISSING = "no UVs"
    USELESS = "useless UVs"
    USABLE = "UVs"


def uv_state(mesh: Mesh, channel: int) -> UVState:
    """Judge one channel of a mesh.

    Missing: no face has UVs. Useless: less than half of the surface has UVs that cover some area
    (all zero, all in a point or on a line), or nearly everything lies on everything else.

    Parameters
    ----------
    mesh : Mesh
    channel : int
        From 0.
    """
    triangles = mesh.triangles
    if channel >= len(mesh.channels) or not len(triangles):
        return UVState.MISSING
    uv = mesh.channels[channel].per_corner[triangles]
    has = np.isfinite(uv).all(axis=(1, 2))
    if not has.any():
        return UVState.MISSING
    surface = np.nan_to_num(triangle_sides(mesh, np.eye(3))[0])
    flat = np.zeros(len(uv))
    flat[has] = np.abs(triangle_areas(uv[has]))
    total = float(surface.sum())
    if not total > 0:
        return UVState.USABLE
    density = np.divide(flat, surface, out=np.zeros_like(flat), where=surface > 0)
    order = np.argsort(density)
    held = np.cumsum(surface[order])
    middle = density[order][min(int(np.searchsorted(held, 0.9 * total)), len(order) - 1)]
    size = float(np.ptp(uv[has].reshape(-1, 2), axis=0).max())
    if not middle > 0 or size < 1e-6:
        return UVState.USELESS
    open_ = density > FLAT * middle
    if (
        surface[open_].sum() < LEAST_OPEN * total
        or _covered(uv[open_], flat[open_]) < LEAST_COVERED
    ):
        return UVState.USELESS
    return UVState.USABLE


def _covered(uv: FloatArray, area: FloatArray) -> float:
    """About which part of their area triangles (N, 3, 2) cover, from points on them."""
    rng = np.random.default_rng(5)
    picked = rng.choice(len(uv), SAMPLES, p=area / area.sum())
    a, b = rng.random((2, SAMPLES, 1))
    over = a + b > 1
    a, b = np.where(over, 1 - a, a), np.where(over, 1 - b, b)
    tri = uv[picked]
    points = tri[:, 0] + a * (tri[:, 1] - tri[:, 0]) + b * (tri[:, 2] - tri[:, 0])
    layers = layers_at(points, uv)
    return float((1.0 / np.maximum(layers, 1)).mean())
