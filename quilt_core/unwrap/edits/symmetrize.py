"""Make the islands of symmetric surfaces symmetric."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial import cKDTree

from quilt_core.errors import LayoutError
from quilt_core.scene.onto import AS_PLANE
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._island_loops import island_vertices
from quilt_core.unwrap.edits.cut import pieces_of
from quilt_core.unwrap.edits.ease import ease
from quilt_core.unwrap.edits.laid import Edited, Laid

SAME = 2e-3
"""Two points are mirror images when they lie apart by less of the surface's size."""
LEAST_MATCHED = 0.6
"""Part of the vertices that must have a mirror image."""


def symmetrize(laid: Laid, own: BoolArray) -> Edited:
    """Make islands symmetric whose surface is the mirror image of itself along x, y or z.

    Each vertex and its image come to lie at the mean of where they are and where their partner's
    reflection is, about the axis that fits best; vertices without a partner follow, eased.

    Parameters
    ----------
    laid : Laid
    own : (N,) bool
        Triangles of whole islands.

    Raises
    ------
    LayoutError
        When no island is symmetric on the model.
    """
    now, done = laid, 0
    for tris in pieces_of(laid, own):
        tris = laid.islands_of(tris)
        faces, n = island_vertices(
            tris, laid.pieces.across, laid.work.joined, np.full(laid.pieces.count, -1, np.int64)
        )
        point, x = np.zeros((n, 3)), np.zeros((n, 2))
        point[faces.ravel()] = laid.pieces.points[tris].reshape(-1, 3)
        x[faces.ravel()] = laid.work.uv[tris].reshape(-1, 2)
        partner = _partners(point, x)
        if partner is None:
            continue
        matched = partner >= 0
        image = _reflected(x[partner[matched]], x[matched])
        new = x.copy()
        new[matched] = 0.5 * (x[matched] + image)
        flat, changed = now.work.uv.copy(), np.zeros(laid.pieces.count, bool)
        flat[tris] = new[faces]
        changed[tris] = True
        now = replace(now, uv=now.having(flat, changed), work=replace(now.work, uv=flat))
        if not matched.all():
            pinned = np.zeros((laid.pieces.count, 3), bool)
            pinned[tris] = matched[faces]
            uv = ease(now, changed, pinned=pinned).uv
            flat = uv[laid.pieces.corner].reshape(-1, 3, 2)
            now = replace(now, uv=uv, work=replace(now.work, uv=flat))
        done += 1
    if not done:
        raise LayoutError(
            "None of these islands is symmetric on the model along an axis.",
            "islands",
            "Select an island that lies across the middle of a symmetric object.",
        )
    return Edited(now.uv, f"{done} {'island' if done == 1 else 'islands'} made symmetric")


def _partners(point: FloatArray, x: FloatArray) -> IntArray | None:
    """(N,) mirror image of each vertex, -1 for none, along the axis that has the most; None where no
    axis has enough. Of vertices at one place (on both sides of a seam) the one that lies where the
    others' reflection says is taken."""
    size = float(np.ptp(point, axis=0).max())
    best: IntArray | None = None
    most = LEAST_MATCHED * len(point)
    tree = cKDTree(point)
    for axis in range(3):
        image = point.copy()
        image[:, axis] = point[:, axis].min() + point[:, axis].max() - point[:, axis]
        near = tree.query_ball_point(image, SAME * size)
        single = np.array([row[0] if len(row) == 1 else -1 for row in near])
        plain = np.flatnonzero(single >= 0)
        if len(plain) < 3:
            continue
        found = single.copy()
        # Which of several: reflect by those that are plain.
        reflected = _reflected(x[single[plain]], x[plain], x)
        for k, row in enumerate(near):
            if len(row) > 1:
                found[k] = row[int(np.argmin(np.linalg.norm(reflected[row] - x[k], axis=1)))]
        mutual = (found >= 0) & (found[found] == np.arange(len(found)))
        found = np.where(mutual, found, -1)
        # All on the plane itself is no symmetry that could be seen.
        if mutual.sum() > most and (found[mutual] != np.flatnonzero(mutual)).any():
            best, most = found, float(mutual.sum())
    return best


def _reflected(q: FloatArray, p: FloatArray, body: FloatArray | None = None) -> FloatArray:
    """Points (q, or a body) reflected so that q comes to lie on p as well as it can."""
    a, b = p.mean(axis=0), q.mean(axis=0)
    z, w = (p - a) @ AS_PLANE, np.conj((q - b) @ AS_PLANE)
    turn = (np.conj(w) * z).sum()
    turn = turn / abs(turn) if abs(turn) > 0 else 1.0
    out = np.conj(((q if body is None else body) - b) @ AS_PLANE) * turn
    return np.asarray(np.stack([out.real, out.imag], axis=-1) + a)
