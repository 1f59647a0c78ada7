"""An object's layout as it lies, ready to be edited: which edges are joined, which triangles make up
each island."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import UV_TOLERANCE, triangle_areas
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups, next_corner
from quilt_core.unwrap.pieces import Pieces, find_pieces
from quilt_core.unwrap.surface_islands import SurfaceIslands


@dataclass(frozen=True, eq=False)
class Edited:
    """What an edit makes of a layout.

    Parameters
    ----------
    uv : (C, 2) float64
        UVs of all corners; those of islands that it does not touch are what they were, bit by bit.
    note : str
        What was done, for the user.
    aside : bool
        Whether changed islands have no place any more: they are laid on the side table.
    touched : (N,) bool, optional
        Triangles that are part of what was changed, though their own UVs may be what they were.
    """

    uv: FloatArray
    note: str
    aside: bool = False
    touched: BoolArray | None = None


@dataclass(frozen=True, eq=False)
class Laid:
    """A layout as it lies.

    Parameters
    ----------
    mesh : Mesh
    uv : (C, 2) float64
        In square units: equal lengths in u and v are equal on the sheet; NaN for none.
    work : SurfaceIslands
        Its triangles with their islands as labels; `uv` there is that of the corners.
    known : (N,) bool
        Triangles that have UVs.
    """

    mesh: Mesh
    uv: FloatArray
    work: SurfaceIslands
    known: BoolArray

    @property
    def pieces(self) -> Pieces:
        """The surface."""
        return self.work.pieces

    @cached_property
    def edge(self) -> IntArray:
        """(3 N,) name of the edge of each half-edge: the corner of its face where it starts, in the
        order of the face; -1 within polygons."""
        pieces = self.pieces
        start, end = pieces.corner.ravel(), np.roll(pieces.corner, -1, axis=1).ravel()
        after = next_corner(self.mesh.face_offsets, len(self.mesh.corner_vertex))
        name = np.where(after[start] == end, start, np.where(after[end] == start, end, -1))
        return np.where(pieces.inner, -1, name)

    def halves(self, corners: IntArray) -> IntArray:
        """Half-edges of edges, both sides of each.

        Parameters
        ----------
        corners : (K,) int64
            Each names the edge from it to the next corner of its face.

        Raises
        ------
        LayoutError
            When there is no such edge.
        """
        _within(corners, len(self.mesh.corner_vertex), "edge")
        half = np.flatnonzero(np.isin(self.edge, corners))
        across = self.pieces.across[half]
        return np.unique(np.concatenate([half, across[across >= 0]]))

    def triangles(self, faces: IntArray) -> BoolArray:
        """(N,) triangles of some faces."""
        _within(faces, self.mesh.face_count, "face")
        return np.isin(self.pieces.face, faces) & self.known

    def islands_of(self, triangles: BoolArray | IntArray) -> IntArray:
        """Triangles of all islands that some triangles belong to."""
        touched = np.unique(self.work.label[triangles])
        return np.flatnonzero(np.isin(self.work.label, touched) & self.known)

    def unit(self, tris: IntArray) -> float:
        """Length in the layout for one on the surface."""
        flat = float(np.abs(triangle_areas(self.work.uv[tris])).sum())
        return float(np.sqrt(flat / max(float(self.pieces.area[tris].sum()), 1e-300)))

    def facing(self, tris: IntArray) -> float:
        """1 where most of some triangles face up, -1 where they are mirrored."""
        return 1.0 if triangle_areas(self.work.uv[tris]).sum() >= 0 else -1.0

    def having(self, flat: FloatArray, changed: BoolArray) -> FloatArray:
        """UVs of the corners (C, 2) with those of some triangles (N,) changed to flat (N, 3, 2)."""
        out = self.uv.copy()
        out[self.pieces.corner[changed].ravel()] = flat[changed].reshape(-1, 2)
        return out


def lay_out(
    mesh: Mesh,
    uv: FloatArray,
    points: FloatArray | None = None,
    tolerance: float = UV_TOLERANCE,
    face_island: IntArray | None = None,
) -> Laid:
    """Take up a layout.

    Parameters
    ----------
    mesh : Mesh
    uv : (C, 2) float64
        In square units, NaN for none.
    points : (V, 3) float64, optional
        Positions instead of the mesh's own, such as those in the world.
    tolerance : float
        UVs that differ by less are the same.
    face_island : (F,) int64, optional
        Islands that there are already: no edge between two of them is joined, even where they touch.
    """
    pieces = find_pieces(mesh, points)
    flat = uv[pieces.corner].reshape(-1, 3, 2)
    known = np.asarray(np.isfinite(flat).all(axis=(1, 2)))
    half = np.flatnonzero(pieces.across >= 0)
    across = pieces.across[half]
    one, two = half // 3, across // 3
    start, end = half % 3, (half % 3 + 1) % 3
    with np.errstate(invalid="ignore"):
        near = (np.abs(flat[one, start] - flat[two, (across % 3 + 1) % 3]) <= tolerance).all(axis=1)
        near &= (np.abs(flat[one, end] - flat[two, across % 3]) <= tolerance).all(axis=1)
    if face_island is not None:
        own = face_island[pieces.face]
        near &= own[one] == own[two]
    joined = np.zeros(3 * pieces.count, bool)
    joined[half] = near & known[one] & known[two]
    return Laid(mesh, uv, _as_joined(pieces, joined, flat), known)


def _as_joined(pieces: Pieces, joined: BoolArray, uv: FloatArray) -> SurfaceIslands:
    inside = np.flatnonzero(joined)
    label = groups(np.stack([inside // 3, pieces.across[inside] // 3], axis=1), pieces.count)
    return SurfaceIslands(pieces, label, joined, uv)


def rejoined(work: SurfaceIslands, joined: BoolArray) -> SurfaceIslands:
    """The same with other edges joined, its labels those of the parts that come about."""
    return _as_joined(work.pieces, joined, work.uv)


def _within(numbers: IntArray, count: int, what: str) -> None:
    wrong = numbers[(numbers < 0) | (numbers >= count)]
    if len(wrong):
        raise LayoutError(
            f"There is no {what} {int(wrong[0])}: the object has {count}.",
            what,
            "Select it again on the model.",
        )
