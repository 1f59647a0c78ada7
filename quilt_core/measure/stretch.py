"""Stretch of a layout: how the map from texels to the surface lengthens and squeezes.

References
----------
Sander, Snyder, Gortler, Hoppe 2001, Texture Mapping Progressive Meshes, SIGGRAPH: the singular
values a >= b of the affine map of each triangle, L2 = sqrt((a^2 + b^2) / 2), Linf = a.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.measure._face_loops import triangle_figures
from quilt_core.scene.types import FloatArray, IntArray


@dataclass(frozen=True, eq=False)
class TriangleFigures:
    """Measures of each triangle.

    Parameters
    ----------
    uv_area : (N,) float64
        In the layout, signed; in the unit of the layout squared.
    area : (N,) float64
        On the surface, in square metres.
    high, low : (N,) float64
        Singular values of the map from the layout to the surface; NaN where the layout has no area.
    uv_slim, slim : (N,) float64
        Smallest height / longest edge in the layout and in space.
    """

    uv_area: FloatArray
    area: FloatArray
    high: FloatArray
    low: FloatArray
    uv_slim: FloatArray
    slim: FloatArray


@dataclass(frozen=True, eq=False)
class Stretch:
    """Stretch of groups of triangles, 1 for an isometry at the group's own scale.

    Parameters
    ----------
    l2 : (G,) float64
        Root of the area-weighted mean square, over all directions.
    linf : (G,) float64
        Worst lengthening of any triangle.
    angle : (G,) float64
        Area-weighted mean of a / b: 1 where angles are kept.
    area : (G,) float64
        Area-weighted mean of max(r, 1 / r), r the triangle's area scale over the group's: 1 where
        areas are.
    worst : (G,) int64
        Triangle with the largest lengthening, -1 for none.
    """

    l2: FloatArray
    linf: FloatArray
    angle: FloatArray
    area: FloatArray
    worst: IntArray


def measure_triangles(uv: FloatArray, points: FloatArray) -> TriangleFigures:
    """Measure triangles.

    Parameters
    ----------
    uv : (N, 3, 2) float64
        In the layout, for example in px.
    points : (N, 3, 3) float64
        In metres.

    Examples
    --------
    A square metre on 1000 x 1000 px that is drawn twice as wide as it should be:

    >>> uv = np.array([[[0.0, 0.0], [2000.0, 0.0], [0.0, 1000.0]]])
    >>> found = measure_triangles(uv, np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]]))
    >>> found.high.tolist(), found.low.tolist()
    ([0.001], [0.0005])
    """
    table = triangle_figures(np.ascontiguousarray(uv), np.ascontiguousarray(points))
    return TriangleFigures(*table.T)


def stretch_of(figures: TriangleFigures, group: IntArray, count: int) -> Stretch:
    """Stretch of groups of triangles.

    Parameters
    ----------
    figures : TriangleFigures
    group : (N,) int64
        Group of each triangle; negative ones are left out.
    count : int
        Number of groups.

    Returns
    -------
    Stretch
        NaN for groups without a measurable triangle. Triangles without area in the layout are left
        out: they are collapsed, not stretched.
    """
    use = (group >= 0) & np.isfinite(figures.high) & (figures.area > 0)
    of = group[use]
    area, uv = figures.area[use], np.abs(figures.uv_area[use])
    high, low = figures.high[use], figures.low[use]

    def total(values: FloatArray) -> FloatArray:
        return np.asarray(np.bincount(of, values, count), np.float64)

    with np.errstate(invalid="ignore", divide="ignore"):
        surface = total(area)
        scale2 = total(uv) / surface
        l2 = np.sqrt(total(0.5 * (high**2 + low**2) * area) / surface * scale2)
        angle = total(np.minimum(high / low, 1e9) * area) / surface
        ratio = high * low * scale2[of]
        areas = total(np.maximum(ratio, 1 / np.maximum(ratio, 1e-9)) * area) / surface
    order = np.argsort(high, kind="stable")
    worst = np.full(count, -1)
    worst[of[order]] = np.flatnonzero(use)[order]
    linf = np.where(worst >= 0, figures.high[worst] * np.sqrt(scale2), np.nan) if len(high) else l2
    return Stretch(l2, linf, angle, areas, worst)
