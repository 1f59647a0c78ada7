"""Rays against triangles.

Reference: Wald, Woop, Benthin, Johnson, Ernst 2014, Embree: A Kernel Framework for Efficient CPU Ray Tracing.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from quilt_core.scene.types import BoolArray, Float32, FloatArray, IntArray

THREADS = 2
PART = 65_536
"""Rays that are sent at once."""


@dataclass(frozen=True, eq=False)
class Hits:
    """Where rays met a surface.

    Parameters
    ----------
    triangle : (K,) int64
        -1 for rays that met none.
    distance : (K,) float64
        Along the ray, in the unit of the points.
    bary : (K, 3) float64
        Weights of the triangle's corners.
    """

    triangle: IntArray
    distance: FloatArray
    bary: FloatArray

    @property
    def found(self) -> BoolArray:
        """(K,) whether the ray met something."""
        return self.triangle >= 0


class RayScene:
    """Triangles that rays can meet.

    They are kept in 32-bit floats, moved and scaled into a cube about the origin: what lies far from the origin of its
    file loses nothing.

    Parameters
    ----------
    points : (N, 3, 3) float64
        Corners of the triangles.
    """

    def __init__(self, points: FloatArray) -> None:
        fine = np.isfinite(points).all(axis=(1, 2))
        self._row = np.flatnonzero(fine)
        flat = points[fine].reshape(-1, 3)
        low = flat.min(axis=0) if len(flat) else np.zeros(3)
        high = flat.max(axis=0) if len(flat) else np.ones(3)
        self.middle = 0.5 * (low + high)
        self.size = max(float((high - low).max()), 1e-30)
        self._scene = EmbreeScene(robust=True)  # no ray slips through where triangles meet
        self._empty = not len(self._row)
        if not self._empty:
            own = ((points[fine] - self.middle) / self.size).astype(np.float32)
            self._mesh = TriangleMesh(self._scene, np.ascontiguousarray(own))

    def hit(self, origins: FloatArray, directions: FloatArray, far: FloatArray | float) -> Hits:
        """The first triangle that each ray meets.

        Parameters
        ----------
        origins, directions : (K, 3)
            Directions are one long.
        far : (K,) or float
            Longest way, in the unit of the points; inf for no end.
        """
        count = len(origins)
        triangle = np.full(count, -1, np.int64)
        distance = np.full(count, np.inf)
        bary = np.zeros((count, 3))
        if self._empty or not count:
            return Hits(triangle, distance, bary)

        reach = self._reach(far, count)
        for part in _parts(count):
            start, along = self._own(origins[part], directions[part])
            found = self._scene.run(start, along, dists=reach[part], query="INTERSECT", output=True)
            met = found["primID"] >= 0
            triangle[part] = np.where(met, self._row[np.where(met, found["primID"], 0)], -1)
            distance[part] = np.where(met, found["tfar"].astype(np.float64) * self.size, np.inf)
            u, v = found["u"].astype(np.float64), found["v"].astype(np.float64)
            bary[part] = np.stack([1.0 - u - v, u, v], axis=1)
        return Hits(triangle, distance, bary)

    def blocked(
        self, origins: FloatArray, directions: FloatArray, far: FloatArray | float
    ) -> BoolArray:
        """(K,) whether each ray meets something; see `hit`."""
        out = np.zeros(len(origins), bool)
        if self._empty:
            return out
        reach = self._reach(far, len(origins))
        for part in _parts(len(origins)):
            start, along = self._own(origins[part], directions[part])
            out[part] = self.blocked_own(start, along, reach[part])
        return out

    def to_own(self, points: FloatArray) -> Float32:
        """Points in the cube that the triangles are kept in."""
        return np.asarray((points - self.middle) / self.size, np.float32)

    def blocked_own(self, origins: Float32, directions: Float32, far: Float32) -> BoolArray:
        """The same for rays in that cube, in the thread that asks."""
        if self._empty:
            return np.zeros(len(origins), bool)
        return np.asarray(self._scene.run(origins, directions, dists=far, query="OCCLUDED") != -1)

    def distance_own(self, origins: Float32, directions: Float32, far: Float32) -> Float32:
        """How far rays in that cube come, `far` for those that meet nothing, in the thread that asks."""
        if self._empty:
            return far
        found = self._scene.run(origins, directions, dists=far, query="INTERSECT", output=True)
        return np.where(found["primID"] >= 0, found["tfar"], far).astype(np.float32)

    def _reach(self, far: FloatArray | float, count: int) -> Float32:
        reach = np.broadcast_to(np.asarray(far, np.float64) / self.size, (count,))
        return np.minimum(reach, 1e30).astype(np.float32)

    def _own(self, origins: FloatArray, directions: FloatArray) -> tuple[Float32, Float32]:
        return (
            np.ascontiguousarray(self.to_own(origins)),
            np.ascontiguousarray(directions, np.float32),
        )


def _parts(count: int) -> list[slice]:
    return [slice(a, min(a + PART, count)) for a in range(0, count, PART)]
