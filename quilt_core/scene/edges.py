"""Neighbouring faces of a mesh, and the shading across their edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import next_corner

HARD_COSINE = float(np.cos(np.radians(1.0)))
"""Normals that differ by more than one degree make an edge hard; files round them by less."""


@dataclass(frozen=True, eq=False)
class Neighbours:
    """Pairs of faces that share an edge in space.

    Parameters
    ----------
    corners : (K, 2) int64
        Corner at which the shared edge starts, in the one face and in the other.
    turned : (K,) bool
        The faces run along the edge in the same direction (as they do where one is inside out).
    following : (C,) int64
        Corner after each corner.
    """

    corners: IntArray
    turned: BoolArray
    following: IntArray

    def ends(self) -> tuple[IntArray, IntArray]:
        """(K, 2) corners of the first face, and those of the other at the same two points."""
        one, two = self.corners[:, 0], self.corners[:, 1]
        near = np.where(self.turned, two, self.following[two])
        far = np.where(self.turned, self.following[two], two)
        return np.stack([one, self.following[one]], axis=1), np.stack([near, far], axis=1)

    def joined(self, uv: FloatArray, corner_island: IntArray) -> BoolArray:
        """(K,) whether the edge lies inside one island: both faces have the same UVs there."""
        here, there = self.ends()
        same = (uv[here] == uv[there]).all(axis=(1, 2))
        return np.asarray(same & (corner_island[here[:, 0]] == corner_island[there[:, 0]]))

    def nearly_joined(
        self, uv: FloatArray, corner_island: IntArray, reach: float
    ) -> tuple[BoolArray, FloatArray]:
        """(K,) edges whose sides have UVs that differ by less than a reach; and by how much in u
        and v, (S, 2)."""
        here, there = self.ends()
        off = np.abs(uv[here] - uv[there]).max(axis=1, initial=0.0)
        known = (corner_island[here[:, 0]] >= 0) & (corner_island[there[:, 0]] >= 0)
        near = known & (off < reach).all(axis=1) & (off > 0).any(axis=1)
        return near, off[near]

    def hard(self, mesh: Mesh) -> BoolArray | None:
        """(K,) whether the edge is shaded hard; None when the mesh does not say."""
        if mesh.corner_normal is not None:
            here, there = self.ends()
            a, b = mesh.corner_normal[here], mesh.corner_normal[there]
            length = np.linalg.norm(a, axis=2) * np.linalg.norm(b, axis=2)
            return np.asarray((np.einsum("kej,kej->ke", a, b) < HARD_COSINE * length).any(axis=1))
        if mesh.smoothing is not None:
            group = mesh.smoothing[mesh.corner_face[self.corners]]
            return np.asarray((group[:, 0] != group[:, 1]) | (group[:, 0] == 0))
        return None


def find_neighbours(mesh: Mesh, position: IntArray) -> Neighbours:
    """Find the pairs of faces that share an edge.

    Parameters
    ----------
    mesh : Mesh
    position : (V,) int64
        Equal for vertices at the same place.

    Returns
    -------
    Neighbours
        Where more than two faces share an edge, each with the next in the order of the faces.
    """
    following = next_corner(mesh.face_offsets, len(mesh.corner_vertex))
    if not len(following):
        return Neighbours(np.empty((0, 2), np.int64), np.empty(0, bool), following)
    start = position[mesh.corner_vertex]
    end = start[following]
    key = np.minimum(start, end) * (int(position.max()) + 1) + np.maximum(start, end)
    order = np.argsort(key, kind="stable")
    same = (key[order][1:] == key[order][:-1]) & (start != end)[order][1:]
    corners = np.stack([order[:-1][same], order[1:][same]], axis=1)
    return Neighbours(corners, start[corners[:, 0]] == start[corners[:, 1]], following)
