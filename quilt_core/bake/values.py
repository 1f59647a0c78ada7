"""What maps show at the points that rays met."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.bake._bake_loops import into_frames, mixed
from quilt_core.bake.rays import Hits
from quilt_core.bake.surface import BakeSurface, place_ids, unit
from quilt_core.scene.types import Float32, FloatArray, IntArray

CLIPPED = 0.01
"""Part of the surface that is clipped at each end where no radius of curvature is given."""


@dataclass(frozen=True, eq=False)
class Points:
    """Samples on the low poly surface.

    Parameters
    ----------
    triangle : (K,) int64
    bary : (K, 3) float64
    place, out : (K, 3) float64
        In the world, metres; and where rays come from, one long.
    outward, inward : (K,) float64
        How far out they begin, and how far in they go on, metres.
    normal, tangent : (K, 3) and (K, 4) float64
        Between the corners, not made one long.
    """

    triangle: IntArray
    bary: FloatArray
    place: FloatArray
    out: FloatArray
    outward: FloatArray
    inward: FloatArray
    normal: FloatArray
    tangent: FloatArray


def at_points(values: FloatArray, triangle: IntArray, bary: FloatArray) -> FloatArray:
    """What values (N, 3, C) at the corners are at points of triangles: (K, C)."""
    out = np.empty((len(triangle), values.shape[2]))
    mixed(values, triangle, bary, out)
    return out


def at_hits(values: FloatArray, hits: Hits) -> FloatArray:
    """The same where rays met; NaN where they met nothing."""
    out = at_points(values, np.maximum(hits.triangle, 0), hits.bary)
    out[~hits.found] = np.nan
    return out


def tangent_normals(seen: FloatArray, points: Points, green_down: bool) -> Float32:
    """(K, 3) normals in the frames of the low poly surface, from -1 to 1."""
    out = np.empty((len(seen), 3))
    into_frames(seen, points.normal, points.tangent, out)
    if green_down:
        out[:, 1] *= -1
    return out.astype(np.float32)


def curvature_of(surface: BakeSurface) -> FloatArray:
    """(N, 3, 1) mean curvature at the corners, 1/m: above nothing where the surface bulges.

    Of each edge the change of the normal along it over its length, averaged around the vertex by the angles.
    """
    points, normals = surface.points, surface.smooth
    turned = np.roll(normals, -1, axis=1) - normals
    along = np.roll(points, -1, axis=1) - points
    length = (along**2).sum(axis=2)
    bend = np.divide(
        (turned * along).sum(axis=2), length, out=np.zeros_like(length), where=length > 0
    )
    own = 0.5 * (bend + np.roll(bend, 1, axis=1))
    flat = points.reshape(-1, 3)
    ids = place_ids(flat)
    count = np.bincount(ids)
    mean = np.bincount(ids, own.reshape(-1)) / np.maximum(count, 1)
    return np.asarray(mean[ids].reshape(*own.shape, 1))


def curvature_range(values: FloatArray, surface: BakeSurface) -> float:
    """Curvature, 1/m, that clips a small part of the surface at both ends together; 1 on a flat one."""
    area = np.linalg.norm(
        np.cross(
            surface.points[:, 1] - surface.points[:, 0], surface.points[:, 2] - surface.points[:, 0]
        ),
        axis=1,
    )
    size = np.abs(values[..., 0]).mean(axis=1)
    order = np.argsort(size)
    total = np.cumsum(area[order])
    if not len(order) or total[-1] <= 0:
        return 1.0
    found = float(size[order[np.searchsorted(total, (1 - 2 * CLIPPED) * total[-1])]])
    return found if found > 1e-6 / surface.size else 1.0


def seen_normals(hits: Hits, high: BakeSurface, points: Points) -> FloatArray:
    """(K, 3) shading normals where rays met, one long; the low poly surface's own where they met nothing."""
    out = unit(at_hits(high.normals, hits))
    return np.where(hits.found[:, None], out, unit(points.normal))
