"""How far the low poly mesh with its normal map is from the high poly mesh: an image of angles, and figures.

A map is read between its texels on screen, so it is compared where it is worst: at the corners of texels, where four of
them mix. There the high poly mesh is looked up once more.
"""

from __future__ import annotations

import copy
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.bake.bake import MISSED, BakedTile, bake
from quilt_core.bake.case import BakeCase
from quilt_core.scene.types import BoolArray, Float32

SCALES = (1.0, 2.0, 5.0, 10.0, 20.0, 45.0)
"""Degrees at which an image may be darkest: the least that 99 of 100 texels stay below."""
STEPS = np.array([[250, 246, 236], [232, 194, 122], [196, 110, 60], [110, 35, 40]], np.float64)
"""sRGB from no difference to the largest on the scale."""
OUTSIDE = (214, 210, 200)


@dataclass(frozen=True, eq=False)
class Difference:
    """Angles between what a normal map shows and the high poly mesh.

    Parameters
    ----------
    degrees : (H, W) float32
        At the upper left corner of each texel.
    known : (H, W) bool
        Where both are known.
    median, high, most : float
        Degrees: in the middle, at 99 of 100 texels, and the largest.
    """

    degrees: Float32
    known: BoolArray
    median: float
    high: float
    most: float

    @property
    def scale(self) -> float:
        """Degrees at which its image is darkest."""
        return next((one for one in SCALES if one >= self.high), SCALES[-1])


def difference(
    case: BakeCase, one: BakedTile, tell: Callable[[float], bool] = lambda done: True
) -> Difference | None:
    """Compare the normal map of a tile with the high poly mesh, where there is another one than itself; None where it has no normal map, or it was stopped.

    Parameters
    ----------
    case : BakeCase
    one : BakedTile
    tell : callable
        Is told how far it is; False ends it.
    """
    if "normal" not in one.maps:
        return None
    other = copy.copy(case)
    tile = one.tile
    # What lay at texels' corners lies at their middles now.
    shift = np.array([0.5 / tile.width, -0.5 / tile.height])
    other.low = replace(case.low, uv=case.low.uv + shift)
    if case.reach is not None:
        reach = case.reach
        other.reach = lambda uv: reach(uv - shift)
    other.settings = replace(case.settings, maps=("normal",), samples=1)
    found = list(bake(other, [tile], lambda done, what: tell(done)))
    if not found or not found[0].whole:
        return None
    true = found[0]
    shown = _mixed(_kept(one.maps["normal"], case.settings.bits))
    want = true.maps["normal"]
    cosine = (_unit(shown) * _unit(want)).sum(axis=2)
    degrees = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))).astype(np.float32)
    met = (true.texels.owner >= 0) & (true.rays != MISSED)
    # A texel that met nothing has no normal to mix with.
    good = _all_four((one.texels.owner < 0) | (one.rays != MISSED))
    known = met & good & np.isfinite(degrees)
    assert case.twin is not None
    own = case.twin[one.triangles[np.maximum(true.texels.owner, 0)]] >= 0
    if not own[known].all():
        known &= ~own  # what is baked onto itself is not in question
    values = degrees[known]
    if not len(values):
        return Difference(degrees, known, 0.0, 0.0, 0.0)
    median, high = np.percentile(values, [50, 99])
    return Difference(degrees, known, float(median), float(high), float(values.max()))


def as_colours(found: Difference) -> NDArray[np.uint8]:
    """(H, W, 3) sRGB from paper, no difference, to dark red, `scale` degrees and more; grey where nothing is known."""
    at = np.clip(found.degrees / found.scale, 0.0, 1.0) * (len(STEPS) - 1)
    low = np.minimum(at.astype(np.int64), len(STEPS) - 2)
    part = (at - low)[..., None]
    out = STEPS[low] * (1 - part) + STEPS[low + 1] * part
    out[~found.known] = OUTSIDE
    return np.asarray(np.round(out), np.uint8)


def _kept(normals: Float32, bits: int) -> Float32:
    """As they come back from a file of so many bits."""
    if bits == 32:
        return normals
    most = 2.0**bits - 1
    return np.asarray(np.round((0.5 + 0.5 * normals) * most) / most * 2 - 1, np.float32)


def _mixed(values: Float32) -> Float32:
    """The mean of the four texels around the upper left corner of each."""
    left = np.concatenate([values[:, :1], values[:, :-1]], axis=1)
    both = values + left
    return np.asarray(0.25 * (both + np.concatenate([both[:1], both[:-1]])), np.float32)


def _all_four(good: BoolArray) -> BoolArray:
    both = good & np.concatenate([good[:, :1], good[:, :-1]], axis=1)
    return np.asarray(both & np.concatenate([both[:1], both[:-1]]))


def _unit(values: Float32) -> Float32:
    size = np.linalg.norm(values, axis=2, keepdims=True)
    return np.asarray(values / np.maximum(size, 1e-9), np.float32)
