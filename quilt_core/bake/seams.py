"""What maps say on both sides of a seam."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from quilt_core.bake.bake import BakedTile
from quilt_core.bake.case import BakeCase
from quilt_core.bake.surface import place_ids, unit
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.textures.merge_loops import read_points

ALONG = 6
"""Points that are compared along each edge."""
SMOOTH = 0.9995
"""Cosine between the shading normals of both sides above which an edge is smooth: a hard one may look different on both
sides."""
TOLD = ("normal", "objectNormal", "occlusion", "curvature", "thickness")
CLAMPED = np.array((1, 1), np.int64)


@dataclass(frozen=True)
class SeamDifference:
    """How a map differs on both sides of the seam between two islands.

    Parameters
    ----------
    name : str
        Of the map.
    islands : (2,) int
        Through all objects; the same twice for a seam of an island with itself.
    median, high : float
        Of the difference, by length: in the middle, and at 95 %.
    unit : str
        ° of normals, or steps of 255.
    length : float
        Of the seam, metres.
    spots : tuple of (u, v)
        Where it differs most.
    """

    name: str
    islands: tuple[int, int]
    median: float
    high: float
    unit: str
    length: float
    spots: tuple[tuple[float, float], ...]


@dataclass(frozen=True, eq=False)
class SeamEdges:
    """Edges that two triangles share in space and not in the layout.

    Parameters
    ----------
    triangles : (E, 2) int64
    corners : (E, 2, 2) int64
        Which corners of each are the edge's ends, in the same order in space.
    """

    triangles: IntArray
    corners: IntArray


def seam_edges(case: BakeCase) -> SeamEdges:
    """Smooth edges along which the layout is cut."""
    low = case.low
    ids = place_ids(low.points.reshape(-1, 3)).reshape(-1, 3)
    pairs = np.stack([ids, np.roll(ids, -1, axis=1)], axis=2).reshape(-1, 2)
    owner = np.repeat(np.arange(low.count), 3)
    corner = np.tile([0, 1, 2], low.count)
    ahead = pairs[:, 0] < pairs[:, 1]
    sorted_pairs = np.sort(pairs, axis=1)
    key = sorted_pairs[:, 0] * (ids.max(initial=0) + 1) + sorted_pairs[:, 1]
    order = np.lexsort((low.obj[owner], key))
    key, own_obj = key[order], low.obj[owner[order]]
    same = (key[1:] == key[:-1]) & (own_obj[1:] == own_obj[:-1])
    # Only edges that two triangles share, and no more.
    lone = np.ones(len(same), bool)
    lone[1:] &= ~same[:-1]
    lone[:-1] &= ~same[1:]
    at = np.flatnonzero(same & lone)
    one, two = order[at], order[at + 1]

    def ends(edge: IntArray) -> IntArray:
        first, second = corner[edge], (corner[edge] + 1) % 3
        return np.where(
            ahead[edge][:, None], np.stack([first, second], 1), np.stack([second, first], 1)
        )

    triangles = np.stack([owner[one], owner[two]], axis=1)
    corners = np.stack([ends(one), ends(two)], axis=1)
    uv = low.uv[triangles[..., None], corners]
    normals = low.normals[triangles[..., None], corners]
    known = np.isfinite(uv).all(axis=(1, 2, 3)) & (low.island[triangles] >= 0).all(axis=1)
    # UVs of a seam differ at an end; a hundred thousandth of the tile is what files round to.
    parted = np.abs(uv[:, 0] - uv[:, 1]).max(axis=(1, 2)) > 1e-5
    soft = ((normals[:, 0] * normals[:, 1]).sum(axis=2) > SMOOTH).all(axis=1)
    keep = known & parted & soft
    return SeamEdges(triangles[keep], corners[keep])


def seam_differences(case: BakeCase, baked: Sequence[BakedTile]) -> tuple[SeamDifference, ...]:
    """Differences of the maps along all seams, island pair by island pair.

    Texels of both sides are read as a card reads them, along the edge itself; normals are compared in space.
    """
    edges = seam_edges(case)
    names = [name for name in case.settings.maps if name in TOLD]
    if not len(edges.triangles) or not names:
        return ()
    part = (np.arange(ALONG) + 0.5) / ALONG
    ends = case.low.points[edges.triangles[:, 0, None], edges.corners[:, 0]]
    length = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)
    islands = np.sort(case.low.island[edges.triangles], axis=1)
    out: list[SeamDifference] = []
    for name in names:
        sides, uvs, seen = [], [], []
        for side in (0, 1):
            tri, corner = edges.triangles[:, side], edges.corners[:, side]
            weights = np.zeros((len(tri), ALONG, 3))
            rows = np.arange(len(tri))[:, None]
            weights[rows, np.arange(ALONG)[None], corner[:, :1]] = 1 - part
            weights[rows, np.arange(ALONG)[None], corner[:, 1:]] = part
            uv = np.einsum("eak,ekc->eac", weights, case.low.uv[tri])
            value, known = _read(baked, name, uv.reshape(-1, 2))
            if name == "normal":
                value = _in_space(case, np.repeat(tri, ALONG), weights.reshape(-1, 3), value)
            sides.append(value.reshape(len(tri), ALONG, -1))
            uvs.append(uv)
            seen.append(known.reshape(len(tri), ALONG))
        if name in ("normal", "objectNormal"):
            dot = (unit(sides[0]) * unit(sides[1])).sum(axis=2)
            differs, unit_name = np.degrees(np.arccos(np.clip(dot, -1, 1))), "°"
        else:
            differs, unit_name = 255 * np.abs(sides[0] - sides[1]).max(axis=2), "steps of 255"
        weight = np.repeat(length[:, None] / ALONG, ALONG, axis=1) * (seen[0] & seen[1])
        out += _by_pair(name, islands, differs, weight, uvs[0], unit_name)
    return tuple(out)


def _by_pair(
    name: str,
    islands: IntArray,
    differs: FloatArray,
    weight: FloatArray,
    uv: FloatArray,
    unit_name: str,
) -> list[SeamDifference]:
    out = []
    pairs, which = np.unique(islands, axis=0, return_inverse=True)
    for k, pair in enumerate(pairs.tolist()):
        rows = which.reshape(-1) == k
        own, of, at = differs[rows].reshape(-1), weight[rows].reshape(-1), uv[rows].reshape(-1, 2)
        if of.sum() <= 0:
            continue
        order = np.argsort(own)
        total = np.cumsum(of[order]) / of.sum()
        at_part = np.minimum(np.searchsorted(total, (0.5, 0.95)), len(order) - 1)
        median, high = own[order[at_part]].tolist()
        worst = at[np.argmax(np.where(of > 0, own, -1.0))]
        spot = (float(worst[0]), float(worst[1]))
        out.append(
            SeamDifference(
                name, (pair[0], pair[1]), median, high, unit_name, float(of.sum()), (spot,)
            )
        )
    return out


def _read(baked: Sequence[BakedTile], name: str, uv: FloatArray) -> tuple[FloatArray, BoolArray]:
    """What a map shows at points, and whether there is one."""
    channels = next(one.maps[name].shape[2] for one in baked)
    out = np.zeros((len(uv), channels))
    known = np.zeros(len(uv), bool)
    place = np.floor(uv)
    for one in baked:
        here = np.flatnonzero((place == np.array(one.tile.corner)).all(axis=1))
        if not len(here):
            continue
        own = uv[here] - np.array(one.tile.corner)
        image = np.zeros((*one.maps[name].shape[:2], 4), np.float32)
        image[..., :channels] = one.maps[name]
        top = np.stack([own[:, 0], 1.0 - own[:, 1]], axis=1)
        out[here] = read_points(image, top, CLAMPED, 1)[:, :channels]
        known[here] = True
    return out, known


def _in_space(
    case: BakeCase, triangle: IntArray, weights: FloatArray, value: FloatArray
) -> FloatArray:
    """Tangent normals turned back into the world."""
    normal = np.einsum("nk,nkc->nc", weights, case.low.normals[triangle])
    tangent = np.einsum("nk,nkc->nc", weights, case.tangents[triangle])
    other = np.cross(normal, tangent[:, :3]) * np.where(tangent[:, 3:] >= 0, 1.0, -1.0)
    green = -value[:, 1:2] if case.settings.green_down else value[:, 1:2]
    return unit(value[:, :1] * tangent[:, :3] + green * other + value[:, 2:] * normal)
