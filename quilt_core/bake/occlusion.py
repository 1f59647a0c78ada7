"""How much of the sky points of a surface see, and how thick it is under them.

References: Landis 2002, Production-Ready Global Illumination (ambient occlusion: the part of the hemisphere that is open,
weighted by the cosine to the normal); Keller and Heidrich 2001, Interleaved Sampling.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from quilt_core.bake._bake_loops import aim, between, over_hemispheres
from quilt_core.bake.rays import RayScene
from quilt_core.scene.types import BoolArray, Float32, FloatArray, IntArray

FIRST = 16
"""Rays that every point gets; where they and those of the eight texels around agree entirely no more are sent."""
LIFT = 2e-5
"""Part of the scene's size that rays start above the surface."""
SETS = 16
"""Sets of directions: texels near one another have each its own, and those of one set are asked together, as rays that lie
alike are found faster."""
ALIKE, NEAR = 0.05, 0.985
"""Where the texels around one differ by less than this, and their normals by less than ten degrees (the cosine), it gets
what lies between them."""
Query = Callable[[Float32, Float32, Float32], Float32]


@dataclass(frozen=True, eq=False)
class Spots:
    """Points of a surface that lie on the texels of an image.

    Parameters
    ----------
    points, normals, faces : (K, 3) float64
        Points on the surface, normals of the shading, normals of the triangles.
    at : (K,) int64
        Texels, counted row by row.
    shape : (2,) int
        Rows and width of the image.
    """

    points: FloatArray
    normals: FloatArray
    faces: FloatArray
    at: IntArray
    shape: tuple[int, int]

    def part(self, rows: NDArray[np.generic]) -> Spots:
        """Some of them."""
        return Spots(
            self.points[rows], self.normals[rows], self.faces[rows], self.at[rows], self.shape
        )

    @property
    def kind(self) -> IntArray:
        """(K,) set of directions: neighbours, and every other texel, have others."""
        y, x = np.divmod(self.at, self.shape[1])
        return np.asarray(4 * ((y // 2 + y) % 4) + (x // 2 + x) % 4)


def occlusion(scene: RayScene, spots: Spots, rays: int, far: float = np.inf) -> Float32:
    """(K,) part of the hemisphere over points that is open: 1 on a plane, 0 in a closed room.

    Parameters
    ----------
    scene : RayScene
    spots : Spots
    rays : int
        For each point.
    far : float
        What is farther away hides nothing.
    """
    reach = min(far / scene.size, 1e30)

    def ask(origins: Float32, along: Float32, own: Float32) -> Float32:
        return scene.blocked_own(origins, along, own).astype(np.float32)

    def run(part: Spots) -> Float32:
        hidden, counted = _gathered(scene, part, range(min(rays, FIRST)), rays, reach, ask)
        if rays > FIRST:
            rows = np.flatnonzero(~_settled(hidden, counted, part))
            extra, seen = _gathered(scene, part.part(rows), range(FIRST, rays), rays, reach, ask)
            hidden[rows] += extra
            counted[rows] += seen
        return np.asarray(1.0 - hidden / np.maximum(counted, 1), np.float32)

    return _between(spots, run)


def thickness(scene: RayScene, spots: Spots, rays: int, far: float) -> Float32:
    """(K,) mean way through the solid under points, over a hemisphere turned inward, as a part of `far`; see
    `occlusion`."""
    reach = far / scene.size
    inward = Spots(spots.points, -spots.normals, -spots.faces, spots.at, spots.shape)

    def ask(origins: Float32, along: Float32, own: Float32) -> Float32:
        return np.asarray(scene.distance_own(origins, along, own) / np.float32(reach), np.float32)

    def run(part: Spots) -> Float32:
        total, counted = _gathered(scene, part, range(rays), rays, reach, ask)
        return np.asarray(total / np.maximum(counted, 1), np.float32)

    return _between(inward, run)


def _between(spots: Spots, run: Callable[[Spots], Float32]) -> Float32:
    """Values of points: those of even rows and columns first, the others only where what lies around them differs."""
    y, x = np.divmod(spots.at, spots.shape[1])
    even = (y % 2 == 0) & (x % 2 == 0)
    out = np.zeros(len(spots.at), np.float32)
    first = np.flatnonzero(even)
    out[first] = run(spots.part(first))
    rows, width = spots.shape
    values = np.zeros(rows * width, np.float32)
    have, wanted = np.zeros(rows * width, bool), np.zeros(rows * width, bool)
    points = np.full((rows * width, 3), np.nan, np.float32)
    normals = np.full((rows * width, 3), np.nan, np.float32)
    centre = spots.points.mean(axis=0) if len(spots.points) else np.zeros(3)
    points[spots.at], normals[spots.at] = spots.points - centre, spots.normals
    values[spots.at[first]], have[spots.at[first]] = out[first], True
    wanted[spots.at[~even]] = True
    shape = (rows, width)
    found, still = values.copy().reshape(shape), wanted.reshape(shape)
    between(
        values.reshape(shape), have.reshape(shape), points.reshape(*shape, 3),
        normals.reshape(*shape, 3), ALIKE, NEAR, found, still,
    )  # fmt: skip
    lost = still.reshape(-1)[spots.at] & ~even
    out[~even] = found.reshape(-1)[spots.at[~even]]
    if lost.any():
        out[lost] = run(spots.part(lost))
    return out


def _gathered(
    scene: RayScene, spots: Spots, numbers: range, rays: int, reach: float, ask: Query
) -> tuple[Float32, Float32]:
    """Sums of what is asked over rays, and how many rays counted."""
    kind = spots.kind
    order = np.argsort(kind, kind="stable")
    face = np.ascontiguousarray(spots.faces[order], np.float32)
    start = np.ascontiguousarray(scene.to_own(spots.points[order]) + face * np.float32(LIFT))
    normal = np.ascontiguousarray(spots.normals[order], np.float32)
    kind = kind[order]
    table = over_hemispheres(SETS, rays)
    total, counted = np.zeros(len(order), np.float32), np.zeros(len(order), np.float32)
    along, far = np.empty_like(start), np.empty(len(order), np.float32)
    for number in numbers:
        aim(normal, face, kind, table, number, np.float32(reach), along, far, counted)
        total += ask(start, along, far)
    back = np.empty_like(order)
    back[order] = np.arange(len(order))
    return total[back], counted[back]


def _settled(hidden: Float32, counted: Float32, spots: Spots) -> BoolArray:
    """Points at which, and around which, all rays said the same."""
    image = np.zeros(spots.shape[0] * spots.shape[1], np.uint8)
    image[spots.at[hidden > 0]] |= 1
    image[spots.at[hidden < counted]] |= 2
    square = np.ones((5, 5), np.uint8)
    own = image.reshape(spots.shape)
    some_hidden = cv2.dilate(own & 1, square).reshape(-1)[spots.at] > 0
    some_open = cv2.dilate(own & 2, square).reshape(-1)[spots.at] > 0
    return ~(some_hidden & some_open)
