"""Ease islands, or a region of one: less stretch, no face turned over."""

from __future__ import annotations

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.onto import laid_onto
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._border_loops import crosses
from quilt_core.unwrap._island_loops import figures, island_vertices
from quilt_core.unwrap.edits.cut import pieces_of
from quilt_core.unwrap.edits.laid import Edited, Laid
from quilt_core.unwrap.relax import relax_island
from quilt_core.unwrap.start import border_loops, is_open, lscm, tutte

STEPS = 150


def ease(
    laid: Laid,
    own: BoolArray,
    hold_border: bool = False,
    balance: float = 0.5,
    steps: int = STEPS,
    pinned: BoolArray | None = None,
) -> Edited:
    """Lower the stretch of islands or of a region of one, in place.

    Parameters
    ----------
    laid : Laid
    own : (N,) bool
        Triangles that may change. Where they are a part of an island, what they share with the rest
        of it stays.
    hold_border : bool
        Whether the border of the island stays too.
    balance : float
        0 keeps angles, 1 areas.
    steps : int
    pinned : (N, 3) bool, optional
        Corners that stay.

    Raises
    ------
    LayoutError
        When faces are turned over and cannot be turned back with the border held.
    """
    work = laid.work
    flat, changed = work.uv.copy(), np.zeros(laid.pieces.count, bool)
    before, after, weight = 0.0, 0.0, 0.0
    for tris in pieces_of(laid, own):
        now = _eased(laid, tris, own, hold_border, balance, steps, pinned)
        unit = laid.unit(tris)
        area = float(laid.pieces.area[tris].sum())
        mirror = np.array([laid.facing(tris), 1.0])
        rest = laid.pieces.rest[tris] * unit
        before += area * figures(rest, work.uv[tris] * mirror)[0]
        after += area * figures(rest, now * mirror)[0]
        weight += area
        flat[tris] = now
        changed[tris] = True
    if not weight:
        raise LayoutError("Nothing to ease.", "faces", "Select islands or faces with UVs.")
    note = f"distortion {before / weight:.3f} to {after / weight:.3f} (4 is none)"
    return Edited(laid.having(flat, changed), note)


def _eased(
    laid: Laid,
    tris: IntArray,
    own: BoolArray,
    hold_border: bool,
    balance: float,
    steps: int,
    pinned: BoolArray | None,
) -> FloatArray:
    """(K, 3, 2) a piece, eased at its present size."""
    pieces, work = laid.pieces, laid.work
    faces, n = island_vertices(
        tris, pieces.across, work.joined, np.full(pieces.count, -1, np.int64)
    )
    held = np.zeros(n, bool)
    half = 3 * tris[:, None] + np.arange(3)
    # Shared with the rest of the island.
    rim = work.joined[half] & ~own[np.where(pieces.across[half] >= 0, pieces.across[half] // 3, 0)]
    held_sides = rim | ~work.joined[half] if hold_border else rim
    for s in range(3):
        held[faces[held_sides[:, s], s]] = True
        held[faces[held_sides[:, s], (s + 1) % 3]] = True
    if pinned is not None:
        held[faces[pinned[tris]]] = True
    mirror = np.array([laid.facing(tris), 1.0])
    unit = laid.unit(tris)
    rest = pieces.rest[tris] * unit
    x = np.empty((n, 2))
    x[faces.ravel()] = work.uv[tris].reshape(-1, 2) * mirror
    if (triangle_areas(x[faces]) <= 1e-9 * triangle_areas(rest)).any():
        x = untangled(faces, rest, x, held)

    moved = np.ones(len(tris), bool)
    was_crossed = crosses(tris, work.joined, x[faces], moved)

    def valid(y: FloatArray) -> bool:
        return was_crossed or not crosses(tris, work.joined, y[faces], moved)

    y = relax_island(faces, rest, x, held, balance, steps, valid)
    if not held.any():
        y = laid_onto(y, y, x)
        # The same surface takes the same room.
        area = np.sqrt(triangle_areas(rest).sum() / triangle_areas(y[faces]).sum())
        y = (y - y.mean(axis=0)) * area + y.mean(axis=0)
    return np.asarray(y[faces] * mirror)


def untangled(faces: IntArray, rest: FloatArray, x: FloatArray, held: BoolArray) -> FloatArray:
    """A map (N, 2) without faces turned over, near to x where it can be.

    With nothing held the island is mapped anew: conformally, and where that flips, after Tutte. With
    the border held its inside is.

    Raises
    ------
    LayoutError
        When the border that is held does not allow it, or the island is closed.
    """
    if not held.any():
        if not is_open(faces, len(x)):
            raise LayoutError(
                "This island closes on itself: it cannot lie flat without another cut.",
                "islands",
                "Cut it, or unwrap it anew.",
            )
        for start in (lscm, tutte):
            y = start(faces, rest, len(x))
            if (triangle_areas(y[faces]) > 0).all():
                return laid_onto(y, y, x)
        return laid_onto(y, y, x)
    y = spanned(faces, x, held)
    if (triangle_areas(y[faces]) <= 0).any():
        raise LayoutError(
            "Faces here are turned over, and cannot be turned back within the border that is held.",
            "faces",
            "Let the border move, or take more faces around them.",
        )
    return y


def spanned(faces: IntArray, x: FloatArray, held: BoolArray) -> FloatArray:
    """Vertices (N, 2) that are neither held nor on a border put into the middle of their
    neighbours."""
    fixed = held.copy()
    for loop in border_loops(faces):
        fixed[loop] = True
    n = len(x)
    a, b = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    one = sparse.coo_matrix((np.ones(len(a)), (a, b)), (n, n))
    near = ((one + one.T) > 0).astype(np.float64).tocsr()
    laplacian = (sparse.diags(np.asarray(near.sum(axis=1)).ravel()) - near).tocsr()
    out = x.copy()
    free = np.flatnonzero(~fixed)
    if len(free):
        matrix = laplacian[free][:, free].tocsc()
        out[free] = splu(matrix).solve(-laplacian[free][:, np.flatnonzero(fixed)] @ x[fixed])
    return out
