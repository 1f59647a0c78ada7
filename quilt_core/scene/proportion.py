"""Proportions of the images that UVs were laid out for: a square of UVs is as wide and high as
the image."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from quilt_core.scene.model import Material
from quilt_core.scene.types import FloatArray, IntArray

MOST_PROPORTION = 64.0
"""Proportions beyond this, or its inverse, are no images that a layout is made for."""
AGREE, DIFFERS, MAJORITY = 1.1, 1.2, 0.6
"""Factor within which a face agrees with a proportion; factor from which another one is told; part
of the area that agrees."""


def proportions_of(island_material: IntArray, materials: Sequence[Material]) -> FloatArray:
    """(I,) width / height of the image of each island's material; 1 where there is none."""
    table = [_proportion(m.image) for m in materials]
    return np.array([*table, 1.0])[np.where(island_material < len(table), island_material, -1)]


def _proportion(size: tuple[int, int] | None) -> float:
    return float(np.clip(size[0] / size[1], 1 / MOST_PROPORTION, MOST_PROPORTION)) if size else 1.0


def shape_matrices(proportion: FloatArray) -> FloatArray:
    """(I, 2, 2) maps from UVs to the shapes that were meant, with the same area.

    Examples
    --------
    >>> shape_matrices(np.array([4.0])).tolist()
    [[[2.0, 0.0], [0.0, 0.5]]]
    """
    root = np.sqrt(proportion)
    out = np.zeros((len(root), 2, 2))
    out[:, 0, 0], out[:, 1, 1] = root, 1 / root
    return out


def nearest_similarities(linear: FloatArray) -> FloatArray:
    """(I, 2, 2) nearest maps that turn, mirror and scale evenly, with the same area factor."""
    left, values, right = np.linalg.svd(linear)
    mean = np.sqrt(np.abs(values[:, 0] * values[:, 1]))
    out = left @ right * mean[:, None, None]
    even = np.abs(values[:, 0] - values[:, 1]) <= 1e-12 * values[:, 0]
    out[even] = linear[even]
    return np.asarray(out)


def in_shape(linear: FloatArray, proportion: FloatArray) -> FloatArray:
    """(I, 2, 2) nearest maps from UVs to px that keep the shapes that were meant, with the same
    area factor.

    Parameters
    ----------
    linear : (I, 2, 2) float64
        UVs to px.
    proportion : (I,) float64
    """
    if (proportion == 1.0).all():
        return nearest_similarities(linear)
    shape = shape_matrices(proportion)
    return np.asarray(nearest_similarities(linear @ np.linalg.inv(shape)) @ shape)


def suggested_proportion(uv: FloatArray, points: FloatArray, assumed: float) -> float | None:
    """The proportion that most of a surface suggests, when it is another one than that assumed.

    For an image of width w and height h a layout without stretch takes the same length on the
    surface to 1 / w along u and 1 / h along v, so the gradients of u and v over the surface have
    the ratio h / w.

    Parameters
    ----------
    uv : (N, 3, 2) float64
        Triangles in UVs.
    points : (N, 3, 3) float64
        The same triangles in space.
    assumed : float
        Width / height.

    Returns
    -------
    float or None
        Width / height, when faces that make up most of the area agree on it and it differs clearly.

    Examples
    --------
    A square of surface laid out for an image twice as wide as high:

    >>> uv = np.array([[[0.0, 0.0], [0.25, 0.0], [0.0, 0.5]]])
    >>> space = np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]])
    >>> round(suggested_proportion(uv, space, 1.0), 6)
    2.0
    """
    one, two = points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]
    du, dv = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    e, f, g = (one * one).sum(1), (one * two).sum(1), (two * two).sum(1)
    square = e * g - f * f
    determinant = du[:, 0] * dv[:, 1] - du[:, 1] * dv[:, 0]
    with np.errstate(all="ignore"):
        # Squared lengths of the gradients of u and v, and their product, over the surface.
        uu, vv, across = (
            (a[0] * b[0] * g - (a[0] * b[1] + a[1] * b[0]) * f + a[1] * b[1] * e) / square
            for a, b in (
                ((du[:, 0], dv[:, 0]),) * 2,
                ((du[:, 1], dv[:, 1]),) * 2,
                ((du[:, 0], dv[:, 0]), (du[:, 1], dv[:, 1])),
            )
        )
        ratio = np.sqrt(vv / uu)
        slant = np.abs(across) / np.sqrt(uu * vv)
        area = np.sqrt(np.maximum(square, 0.0))
    good = (
        np.isfinite(ratio)
        & (ratio > 1 / MOST_PROPORTION)
        & (ratio < MOST_PROPORTION)
        & (np.abs(determinant) > 0)
        & (area > 0)
    )
    total = float(area[np.isfinite(area)].sum())
    if not good.any() or total <= 0:
        return None
    order = np.argsort(ratio[good])
    values, weights = ratio[good][order], area[good][order]
    reached = np.cumsum(weights)
    found = float(values[np.searchsorted(reached, 0.5 * reached[-1])])
    agree = (
        good
        & (np.abs(np.log(np.where(good, ratio, 1.0) / found)) < np.log(AGREE))
        & (slant < AGREE - 1)
    )
    if area[agree].sum() < MAJORITY * total or abs(np.log(found / assumed)) < np.log(DIFFERS):
        return None
    return found
