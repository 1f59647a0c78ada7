"""Islands in rows, in the order in which they stand round an axis of the model."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.island_set import IslandSet, sums
from quilt_core.scene.placement import compose
from quilt_core.scene.types import FloatArray, IntArray

FLAT = 1e-6
"""Of an island's size: what rises less has no way up."""
STRAIGHT = np.radians(1.0)
"""A turn that is as near to a quarter one is one."""


@dataclass(frozen=True, eq=False)
class OnModel:
    """Islands on the model.

    Parameters
    ----------
    middle : (I, 3) float64
        Of each on the surface, weighted by area.
    rise : (I, 3, 2) float64
        How x, y and z grow with base u and v, in the mean over the surface.
    """

    middle: FloatArray
    rise: FloatArray


def on_model(uv: FloatArray, points: FloatArray, island: IntArray, count: int) -> OnModel:
    """Where islands are on the model, from the base UVs (T, 3, 2) and places (T, 3, 3) of their triangles (T,)."""
    a, b = points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]
    area = 0.5 * np.linalg.norm(np.cross(a, b), axis=1)
    whole = np.maximum(sums(island, area, count), 1e-300)
    middle = points.mean(axis=1)
    centre = np.stack([sums(island, area * middle[:, k], count) for k in range(3)], axis=1)
    p, q = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    det = p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]
    fit = np.abs(det) > 1e-20
    share = np.divide(area, det, out=np.zeros_like(det), where=fit)[:, None]
    by_u, by_v = share * (a * q[:, 1:] - b * p[:, 1:]), share * (b * p[:, :1] - a * q[:, :1])
    rise = np.stack(
        [[sums(island, by[:, k], count) for k in range(3)] for by in (by_u, by_v)], axis=2
    )
    return OnModel(
        centre / whole[:, None], np.asarray(rise.transpose(1, 0, 2)) / whole[:, None, None]
    )


def best_axis(middle: FloatArray) -> FloatArray:
    """(3,) the axis round which points (N, 3) stand: the direction in which they spread least, mostly upwards."""
    off = middle - middle.mean(axis=0)
    axis = np.linalg.eigh(off.T @ off)[1][:, 0]
    return np.asarray(axis * (np.sign(axis[np.argmax(np.abs(axis))]) or 1.0))


def order_round(middle: FloatArray, axis: FloatArray) -> IntArray:
    """(N,) points (N, 3) in the order in which they follow one another round an axis through their middle, to the right for
    whoever looks from outside with the axis up; the first is the one behind the widest gap."""
    off = middle - middle.mean(axis=0)
    right = np.cross(axis, np.eye(3)[np.argmin(np.abs(axis))])
    right /= np.linalg.norm(right)
    angle = np.arctan2(off @ np.cross(axis, right), off @ right)
    order = np.argsort(angle, kind="stable")
    gap = np.diff(np.r_[angle[order], angle[order[0]] + 2 * np.pi])
    return np.asarray(np.roll(order, -int(np.argmax(np.round(gap, 9))) - 1))


def upright(
    placements: FloatArray, rise: FloatArray, axis: FloatArray, pixels: FloatArray
) -> FloatArray:
    """Placements (I, 2, 3) turned so that the axis points up on the tile, each about the origin; what lies flat to the axis stays.

    `rise` (I, 3, 2) is as `OnModel` has it, `pixels` (2,) of the tile.
    """
    base = np.einsum("k,ikj->ij", axis, rise)
    linear = placements[:, :, :2] * pixels[None, :, None]
    # How the height grows on the tile: a gradient goes with the inverse transpose.
    inverse = np.linalg.inv(linear)
    grows = np.einsum("ij,ijk->ik", base, inverse)
    steep = np.linalg.norm(rise, axis=1).max(axis=1)
    known = np.linalg.norm(base, axis=1) > FLAT * np.maximum(steep, 1e-300)
    turn = np.where(known, np.pi / 2 - np.arctan2(grows[:, 1], grows[:, 0]), 0.0)
    quarter = np.round(turn / (np.pi / 2)) * (np.pi / 2)
    turn = np.where(np.abs(turn - quarter) < STRAIGHT, quarter, turn)
    cos, sin = np.round(np.cos(turn), 15), np.round(np.sin(turn), 15)
    stretch = pixels[1] / pixels[0]
    turns = np.zeros_like(placements)
    turns[:, 0, 0] = turns[:, 1, 1] = cos
    turns[:, 0, 1], turns[:, 1, 0] = -sin * stretch, sin / stretch
    return compose(turns, placements)


def in_rows(
    islands: IslandSet,
    placements: FloatArray,
    order: IntArray,
    start: tuple[float, float],
    right: float,
    gap: tuple[float, float],
) -> FloatArray:
    """Placements with some islands in rows from a place to the right and then downwards.

    Parameters
    ----------
    islands : IslandSet
    placements : (I, 2, 3) float64
    order : (N,) int64
        Islands, the first at the upper left.
    start : pair of float
        Upper left corner of the first.
    right : float
        Where a row ends; one that is wider than a row has one of its own.
    gap : pair of float
        Between islands, across and up.
    """
    boxes = islands.placed(placements).bounds()
    out = placements.copy()
    x, y, high = start[0], start[1], 0.0
    for island in order:
        left, low, far, top = boxes[island]
        if x > start[0] and x + far - left > right:
            x, y, high = start[0], y - high - gap[1], 0.0
        out[island, :, 2] += (x - left, y - top)
        x += far - left + gap[0]
        high = max(high, top - low)
    return out
