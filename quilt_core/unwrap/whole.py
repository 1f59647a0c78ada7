"""Charts flattened whole, and charts relaxed between keeping angles and keeping areas."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._border_loops import crosses
from quilt_core.unwrap._chart_loops import chart_vertices, figures
from quilt_core.unwrap.patchwork import Patchwork
from quilt_core.unwrap.relax import relax_chart
from quilt_core.unwrap.shells import Shells
from quilt_core.unwrap.start import is_open, lscm, spectral, tutte

STEPS = 200


def is_disc(shells: Shells, tris: IntArray, sewn: BoolArray) -> bool:
    """Whether a connected chart can be laid flat without another cut, as far as topology goes."""
    faces, n = _vertices(shells, tris, sewn)
    return is_open(faces, n)


def flat_whole(
    shells: Shells, tris: IntArray, sewn: BoolArray, balance: float = 0.5
) -> FloatArray | None:
    """A chart in one piece: from a conformal map (pinned, else free), or Tutte's where these flip,
    relaxed.

    Parameters
    ----------
    shells : Shells
    tris : (K,) int64
        Connected over sewn edges.
    sewn : (3 N,) bool
    balance : float

    Returns
    -------
    (K, 3, 2) float64 or None
        None where it is not open, or would lie on itself.
    """
    faces, n = _vertices(shells, tris, sewn)
    if not is_open(faces, n):
        return None
    rest = shells.rest[tris]
    for start in (lscm, spectral, tutte):
        x = start(faces, rest, n)
        if not np.isfinite(x).all() or (triangle_areas(x[faces]) <= 0).any():
            continue
        y = relax_chart(faces, rest, x, None, balance, STEPS)
        flat = y[faces]
        if _apart(tris, sewn, faces, y) and figures(rest, flat)[2] == 0:
            return np.asarray(flat)
    return None


def part_of(shells: Shells, tris: IntArray, sewn: BoolArray) -> Shells:
    """Some triangles alone, neighbours only over sewn edges between them."""
    row = np.full(shells.count, -1, np.int64)
    row[tris] = np.arange(len(tris))
    half = (3 * tris[:, None] + np.arange(3)).ravel()
    far = shells.across[half]
    inside = sewn[half] & (far >= 0)
    inside &= row[np.where(far >= 0, far // 3, 0)] >= 0
    across = np.where(inside, 3 * row[np.where(inside, far // 3, 0)] + far % 3, -1)
    return replace(
        shells,
        corner=shells.corner[tris], vertex=shells.vertex[tris], across=across,
        inner=shells.inner[half], face=shells.face[tris], points=shells.points[tris],
        rest=shells.rest[tris], area=shells.area[tris], normal=shells.normal[tris],
        length=shells.length[half], turn=np.where(across >= 0, shells.turn[half], 0.0),
        sharp=np.zeros((len(tris), 3), bool),
    )  # fmt: skip


def rebalanced(work: Patchwork, balance: float) -> Patchwork:
    """The charts of a patchwork relaxed towards angles or areas; one that would lie on itself
    stays."""
    uv = work.uv.copy()
    shells = work.shells
    for tris in work.charts():
        if len(tris) < 2:
            continue
        faces, n = _vertices(shells, tris, work.sewn)
        x = np.empty((n, 2))
        x[faces.ravel()] = uv[tris].reshape(-1, 2)
        valid = partial(_apart, tris, work.sewn, faces)
        uv[tris] = relax_chart(faces, shells.rest[tris], x, None, balance, STEPS, valid)[faces]
    return replace(work, uv=uv)


def _vertices(shells: Shells, tris: IntArray, sewn: BoolArray) -> tuple[IntArray, int]:
    """(K, 3) vertices of a chart, and how many."""
    found = chart_vertices(tris, shells.across, sewn, np.full(shells.count, -1, np.int64))
    return found[0], found[1]


def _apart(tris: IntArray, sewn: BoolArray, faces: IntArray, x: FloatArray) -> bool:
    """Whether the border of a chart with vertices at x (N, 2) nowhere runs into itself."""
    return not crosses(tris, sewn, x[faces], np.ones(len(tris), bool))
