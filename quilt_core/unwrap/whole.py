"""Islands flattened whole, and islands relaxed between keeping angles and keeping areas."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._border_loops import crosses
from quilt_core.unwrap._island_loops import figures, island_vertices
from quilt_core.unwrap.pieces import Pieces
from quilt_core.unwrap.relax import relax_island
from quilt_core.unwrap.start import is_open, lscm, spectral, tutte
from quilt_core.unwrap.surface_islands import SurfaceIslands

STEPS = 200


def is_disc(pieces: Pieces, tris: IntArray, joined: BoolArray) -> bool:
    """Whether a connected island can be laid flat without another cut, as far as topology goes."""
    faces, n = _vertices(pieces, tris, joined)
    return is_open(faces, n)


def flat_whole(
    pieces: Pieces, tris: IntArray, joined: BoolArray, balance: float = 0.5
) -> FloatArray | None:
    """An island in one piece: from a conformal map (pinned, else free), or Tutte's where these flip,
    relaxed.

    Parameters
    ----------
    pieces : Pieces
    tris : (K,) int64
        Connected over joined edges.
    joined : (3 N,) bool
    balance : float

    Returns
    -------
    (K, 3, 2) float64 or None
        None where it is not open, or would lie on itself.
    """
    faces, n = _vertices(pieces, tris, joined)
    if not is_open(faces, n):
        return None
    rest = pieces.rest[tris]
    for start in (lscm, spectral, tutte):
        x = start(faces, rest, n)
        if not np.isfinite(x).all() or (triangle_areas(x[faces]) <= 0).any():
            continue
        y = relax_island(faces, rest, x, None, balance, STEPS)
        flat = y[faces]
        if _apart(tris, joined, faces, y) and figures(rest, flat)[2] == 0:
            return np.asarray(flat)
    return None


def part_of(pieces: Pieces, tris: IntArray, joined: BoolArray) -> Pieces:
    """Some triangles alone, neighbours only over joined edges between them."""
    row = np.full(pieces.count, -1, np.int64)
    row[tris] = np.arange(len(tris))
    half = (3 * tris[:, None] + np.arange(3)).ravel()
    far = pieces.across[half]
    inside = joined[half] & (far >= 0)
    inside &= row[np.where(far >= 0, far // 3, 0)] >= 0
    across = np.where(inside, 3 * row[np.where(inside, far // 3, 0)] + far % 3, -1)
    return replace(
        pieces,
        corner=pieces.corner[tris], vertex=pieces.vertex[tris], across=across,
        inner=pieces.inner[half], face=pieces.face[tris], points=pieces.points[tris],
        rest=pieces.rest[tris], area=pieces.area[tris], normal=pieces.normal[tris],
        length=pieces.length[half], turn=np.where(across >= 0, pieces.turn[half], 0.0),
        sharp=np.zeros((len(tris), 3), bool),
    )  # fmt: skip


def rebalanced(work: SurfaceIslands, balance: float, steps: int = STEPS) -> SurfaceIslands:
    """The islands of a surface relaxed towards angles or areas; one that would lie on itself
    stays."""
    uv = work.uv.copy()
    pieces = work.pieces
    for tris in work.islands():
        if len(tris) < 2:
            continue
        faces, n = _vertices(pieces, tris, work.joined)
        x = np.empty((n, 2))
        x[faces.ravel()] = uv[tris].reshape(-1, 2)
        valid = partial(_apart, tris, work.joined, faces)
        uv[tris] = relax_island(faces, pieces.rest[tris], x, None, balance, steps, valid)[faces]
    return replace(work, uv=uv)


def _vertices(pieces: Pieces, tris: IntArray, joined: BoolArray) -> tuple[IntArray, int]:
    """(K, 3) vertices of an island, and how many."""
    found = island_vertices(tris, pieces.across, joined, np.full(pieces.count, -1, np.int64))
    return found[0], found[1]


def _apart(tris: IntArray, joined: BoolArray, faces: IntArray, x: FloatArray) -> bool:
    """Whether the border of an island with vertices at x (N, 2) nowhere runs into itself."""
    return not crosses(tris, joined, x[faces], np.ones(len(tris), bool))
