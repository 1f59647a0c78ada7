"""Where a surface is creased, and the smooth regions between its creases."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap._island_loops import island_vertices
from quilt_core.unwrap.pieces import Pieces
from quilt_core.unwrap.start import border_loops

CREASE = np.radians(40.0)
"""Edges that turn by more are creases. Of round parts with nine sides and more none is one."""
THIN = 1e-4
"""Height over longest side of triangles whose direction says nothing."""
FLAT = 0.01
"""Radians that the angles about a vertex may differ from a full turn by where a surface can be unrolled."""
HOLE = 0.1
"""Radians that the border of a hole in a sheet may turn by more or less than once, backwards."""


def creases(pieces: Pieces, angle: float = CREASE) -> BoolArray:
    """(3 N,) half-edges that turn by more than an angle in radians; none inside a polygon. What has hardly any area faces nowhere: it
    counts as facing as its neighbour over the longest side does."""
    return np.asarray((pieces.across >= 0) & ~pieces.inner & (_turns(pieces) > angle))


def _turns(pieces: Pieces) -> FloatArray:
    """(3 N,) how far half-edges turn, radians, either way."""
    turn = np.abs(pieces.turn)
    side = pieces.length.reshape(-1, 3)
    longest = side.max(axis=1, initial=0.0)
    cross = np.cross(
        pieces.points[:, 1] - pieces.points[:, 0], pieces.points[:, 2] - pieces.points[:, 0]
    )
    thin = np.linalg.norm(cross, axis=1) <= THIN * longest**2
    if not thin.any():
        return turn
    normal = pieces.normal.copy()
    rows = np.flatnonzero(thin)
    over = pieces.across[3 * rows + side[rows].argmax(axis=1)]
    known = over >= 0
    normal[rows[known]] = pieces.normal[over[known] // 3]
    half = np.flatnonzero(pieces.across >= 0)
    one, two = half // 3, pieces.across[half] // 3
    beside = thin[one] | thin[two]
    half, one, two = half[beside], one[beside], two[beside]
    cosine = np.clip((normal[one] * normal[two]).sum(axis=1), -1.0, 1.0)
    turn[half] = np.arccos(cosine)
    return turn


def regions_between(pieces: Pieces, cut: BoolArray) -> IntArray:
    """(N,) the connected region of each triangle between half-edges that are cut (3 N,)."""
    half = np.flatnonzero((pieces.across >= 0) & ~cut)
    return groups(np.stack([half // 3, pieces.across[half] // 3], axis=1), pieces.count)


def members(label: IntArray) -> list[IntArray]:
    """Triangles of each region, in the order of their labels from 0 on."""
    order = np.argsort(label, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(label[order])) + 1) if len(order) else []


@dataclass(frozen=True, eq=False)
class Region:
    """Some triangles as a surface of their own.

    Parameters
    ----------
    tris : (K,) int64
        Their numbers in the whole.
    faces : (K, 3) int64
        Vertices of the region: one place of the mesh counts as several where its fans are apart.
    count : int
        Vertices.
    joined : (K, 3) bool
        Sides with a triangle of the region behind them that are not cut.
    loops : list of (L,) int64
        Borders, as vertices, the longest first.
    bend : (N,) float64
        What is missing of a full turn about each inner vertex, radians; 0 on the border.
    loop_turn : (len(loops),) float64
        How far each border turns within the surface: once, 2 pi, for the rim of a sheet, as much backwards for a hole in it, not at all
        for the end of a pipe.
    """

    tris: IntArray
    faces: IntArray
    count: int
    joined: BoolArray
    loops: list[IntArray]
    bend: FloatArray
    loop_turn: FloatArray


def as_region(pieces: Pieces, tris: IntArray, joined: BoolArray, place: IntArray) -> Region:
    """What is known of some triangles; `joined` (3 N,) half-edges hold them together, `place` (N,) is scratch of -1."""
    faces, count = island_vertices(tris, pieces.across, joined, place)
    rest = pieces.rest[tris]
    angle = corner_angles(rest)
    around = np.bincount(faces.ravel(), angle.ravel(), count)
    inside = joined[(3 * tris[:, None] + np.arange(3)).ravel()].reshape(-1, 3)
    loops = border_loops(faces)
    bend = np.asarray(2 * np.pi - around, np.float64)
    rim = np.concatenate(loops) if loops else np.empty(0, np.int64)
    bend[rim] = 0.0
    turns = np.array([float((np.pi - around[loop]).sum()) for loop in loops])
    return Region(tris, faces, count, inside, loops, bend, turns)


def corner_angles(rest: FloatArray) -> FloatArray:
    """(M, 3) angles of triangles (M, 3, 2), radians."""
    on, back = np.roll(rest, -1, axis=1) - rest, np.roll(rest, 1, axis=1) - rest
    over = on[..., 0] * back[..., 1] - on[..., 1] * back[..., 0]
    return np.asarray(np.abs(np.arctan2(over, (on * back).sum(axis=2))))


def sides_of(tris: IntArray) -> IntArray:
    """(3 K,) half-edges of triangles (K,)."""
    return np.asarray((3 * tris[:, None] + np.arange(3)).ravel())
