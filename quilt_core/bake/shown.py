"""What each map shows where rays met."""

from __future__ import annotations

import numpy as np

from quilt_core.bake.case import BakeCase
from quilt_core.bake.occlusion import Spots, occlusion, thickness
from quilt_core.bake.rays import Hits
from quilt_core.bake.values import Points, at_hits, seen_normals, tangent_normals
from quilt_core.scene.types import Float32, FloatArray, IntArray


def map_values(
    case: BakeCase,
    name: str,
    points: Points,
    hits: Hits,
    pair_of: IntArray,
    at: IntArray,
    shape: tuple[int, int],
) -> Float32:
    """(K, C) float32 of a map, as `BakedTile` has it; `at` are places in a grid of `shape`, by which rays are turned."""
    settings, high = case.settings, case.high
    met = np.maximum(hits.triangle, 0)
    if name == "normal":
        return tangent_normals(seen_normals(hits, high, points), points, settings.green_down)
    if name == "objectNormal":
        return seen_normals(hits, high, points).astype(np.float32)
    if name == "height":
        return np.where(hits.found, -hits.distance, 0.0).astype(np.float32)[:, None]
    where = np.where(hits.found[:, None], at_hits(high.points, hits), points.place)
    if name == "position":
        flat = case.low.points.reshape(-1, 3)
        centre = 0.5 * (np.nanmin(flat, axis=0) + np.nanmax(flat, axis=0))
        return np.asarray(0.5 + (where - centre) / case.low.size, np.float32)
    if name == "curvature":
        bend = np.nan_to_num(at_hits(case.curvature, hits)) / case.bend
        return (0.5 + 0.5 * np.clip(bend, -1.0, 1.0)).astype(np.float32)
    if name == "id":
        number = case.id_of[points.triangle if settings.ids == "island" else met]
        known = (number >= 0) & (hits.found | (settings.ids == "island"))
        return np.where(
            known[:, None], case.ids[np.maximum(number, 0)] if len(case.ids) else 0.0, 0.0
        ).astype(np.float32)
    if name == "colour":
        if case.colours is None:
            return np.ones((len(at), 3), np.float32)
        return np.where(hits.found[:, None], case.colours(met, hits.bary), 0.0).astype(np.float32)
    return _seen(case, name, points, hits, pair_of, where, at, shape)


def _seen(
    case: BakeCase,
    name: str,
    points: Points,
    hits: Hits,
    pair_of: IntArray,
    where: FloatArray,
    at: IntArray,
    shape: tuple[int, int],
) -> Float32:
    """Occlusion or thickness; 1 where nothing was met."""
    settings = case.settings
    normals = seen_normals(hits, case.high, points)
    faces = case.high_faces[np.maximum(hits.triangle, 0)]
    # A sheet that is met from behind is seen from there.
    assert case.twin is not None
    back = ((faces * points.out).sum(axis=1) < 0) & (case.twin[points.triangle] < 0)
    if back.any():
        faces, normals = (
            np.where(back[:, None], -faces, faces),
            np.where(back[:, None], -normals, normals),
        )
    out = np.ones((len(at), 1), np.float32)
    for pair in np.unique(pair_of):
        rows = np.flatnonzero(hits.found & (pair_of == pair))
        scene = case.scene_of(int(pair))[0]
        spots = Spots(where[rows], normals[rows], faces[rows], at[rows], shape)
        if name == "occlusion":
            far = settings.occlusion_distance or np.inf
            out[rows, 0] = occlusion(scene, spots, settings.rays, far)
        else:
            far = settings.thickness_distance or 0.5 * case.high.size
            out[rows, 0] = thickness(scene, spots, settings.rays, far)
    return out
