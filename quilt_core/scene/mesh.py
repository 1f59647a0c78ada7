"""A polygon mesh whose faces stay polygons."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.triangulate import triangulate
from quilt_core.scene.types import FloatArray, IntArray

FLOAT32 = 2.0**-24
"""Rounding of 32-bit floats, as a part of the number."""
SAME_PLACE = 1e-7
"""Vertices nearer than this part of their object's size are at the same place: the rounding of
32-bit files."""

MOST_CHANNELS = 16
"""UV channels from this number on are left as they are."""


def frozen(array: NDArray[np.generic]) -> None:
    """Make an array read-only: meshes are shared, never edited in place."""
    array.setflags(write=False)


@dataclass(frozen=True, eq=False)
class UVChannel:
    """One UV channel of a mesh.

    Parameters
    ----------
    name : str
        Name shown to the user, for example ``UV 1``.
    coords : (T, 2) float64
        Coordinates, origin at the bottom left.
    corner_uv : (C,) int64
        Row of `coords` for each face corner; -1 where the corner has none.
    step : float
        Spacing of the numbers in the file, where it is coarser than that of 32-bit floats.
    """

    name: str
    coords: FloatArray
    corner_uv: IntArray
    step: float = 0.0

    def __post_init__(self) -> None:
        frozen(self.coords)
        frozen(self.corner_uv)

    @cached_property
    def rounding(self) -> float:
        """By how much a coordinate may be off: half a step, or that of 32-bit floats of this
        size."""
        finite = self.coords[np.isfinite(self.coords)]
        return max(0.5 * self.step, FLOAT32 * float(np.abs(finite).max(initial=0.0)))

    @cached_property
    def per_corner(self) -> FloatArray:
        """(C, 2) coordinates of every face corner; NaN where there is none."""
        out = np.full((len(self.corner_uv), 2), np.nan)
        has = self.corner_uv >= 0
        out[has] = self.coords[self.corner_uv[has]]
        frozen(out)
        return out


@dataclass(frozen=True, eq=False)
class Mesh:
    """Faces as offsets into corner arrays; n-gons survive a round trip.

    Parameters
    ----------
    positions : (V, 3) float64
        Vertex positions in the mesh's own space.
    face_offsets : (F + 1,) int64
        Corners of face ``f`` are ``face_offsets[f]:face_offsets[f + 1]``.
    corner_vertex : (C,) int64
        Vertex of each corner.
    channels : tuple of UVChannel
    face_material : (F,) int64
        Index into the scene's materials, -1 for none.
    corner_normal : (C, 3) float64, optional
        Shading normals, NaN where a corner has none.
    smoothing : (F,) int64, optional
        Smoothing group of each face, 0 for none: its edges are hard. Only where the file has no
        normals.
    group : (F,) int64, optional
        Number of the group of the file that each face is in, where an object has several.
    same_place : float
        Vertices nearer than this part of the mesh's size are at the same place.
    loose : int
        Vertices of the file that nothing uses.
    """

    positions: FloatArray
    face_offsets: IntArray
    corner_vertex: IntArray
    channels: tuple[UVChannel, ...]
    face_material: IntArray = field(repr=False)
    corner_normal: FloatArray | None = field(default=None, repr=False)
    smoothing: IntArray | None = field(default=None, repr=False)
    group: IntArray | None = field(default=None, repr=False)
    same_place: float = SAME_PLACE
    loose: int = 0

    def __post_init__(self) -> None:
        for array in (
            self.positions, self.face_offsets, self.corner_vertex, self.face_material, self.corner_normal,
            self.smoothing, self.group,
        ):  # fmt: skip
            if array is not None:
                frozen(array)

    @property
    def face_count(self) -> int:
        """Number of faces, n-gons counted once."""
        return len(self.face_offsets) - 1

    @cached_property
    def corner_face(self) -> IntArray:
        """(C,) face of each corner."""
        return np.repeat(np.arange(self.face_count), np.diff(self.face_offsets))

    @cached_property
    def triangles(self) -> IntArray:
        """(N, 3) corner indices of a triangulation that never leaves a face."""
        return triangulate(self.positions[self.corner_vertex], self.face_offsets)

    @cached_property
    def triangle_face(self) -> IntArray:
        """(N,) face of each derived triangle."""
        return np.asarray(self.corner_face[self.triangles[:, 0]])
