"""Straighten: grids of quads, and other islands, become rectangles."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.onto import laid_onto
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._island_loops import island_vertices
from quilt_core.unwrap.edits.cut import pieces_of
from quilt_core.unwrap.edits.ease import ease, spanned
from quilt_core.unwrap.edits.laid import Edited, Laid
from quilt_core.unwrap.start import border_loops


def straighten(laid: Laid, own: BoolArray) -> Edited:
    """Make islands, or regions of them, rectangles: each strip of quads as wide as it is in the mean
    on the surface. An island that is no grid of quads gets its border laid on a rectangle, from its
    four strongest corners, and its inside eased.

    Parameters
    ----------
    laid : Laid
    own : (N,) bool
        Triangles of whole islands, or of a grid of quads in one; what else the island has follows,
        eased.

    Raises
    ------
    LayoutError
        When a region is no grid and no whole island, or has a hole.
    """
    now, grids, others = laid, 0, 0
    for tris in pieces_of(laid, own):
        made = _grid_of(now, tris)
        whole = len(now.islands_of(tris)) == len(tris)
        if made is None and not whole:
            raise LayoutError(
                "These faces are no grid of quads.",
                "faces",
                "Select quads that meet four at a corner, or a whole island.",
            )
        grids, others = grids + (made is not None), others + (made is None)
        flat = _rectangle(now, tris) if made is None else made
        now = _with_piece(now, tris, flat, whole and made is not None)
    if not grids + others:
        raise LayoutError("Nothing to straighten.", "faces", "Select islands or faces with UVs.")
    return Edited(
        now.uv, f"{grids + others} {'rectangle' if grids + others == 1 else 'rectangles'}"
    )


def _with_piece(laid: Laid, tris: IntArray, flat: FloatArray, done: bool) -> Laid:
    """A layout with a piece laid anew where it was; the rest of its island is eased around it."""
    old = laid.work.uv[tris]
    flat = laid_onto(flat, flat.reshape(-1, 2), old.reshape(-1, 2), turns="quarter")
    uv = laid.work.uv.copy()
    uv[tris] = flat
    changed = np.zeros(laid.pieces.count, bool)
    changed[tris] = True
    rest = np.setdiff1d(laid.islands_of(tris), tris)
    if len(rest):
        # Corners that the rest shares with the piece go along.
        own = np.concatenate([tris, rest])
        faces, n = island_vertices(
            own, laid.pieces.across, laid.work.joined, np.full(laid.pieces.count, -1, np.int64)
        )
        x, set_ = np.full((n, 2), np.nan), np.zeros(n, bool)
        x[faces.ravel()] = uv[own].reshape(-1, 2)
        set_[faces[: len(tris)].ravel()] = True
        x[faces[: len(tris)].ravel()] = flat.reshape(-1, 2)
        uv[own] = x[faces]
        changed[own] = True
        moved = replace(laid, uv=laid.having(uv, changed), work=replace(laid.work, uv=uv))
        loose = np.zeros(laid.pieces.count, bool)
        loose[rest] = True
        return _again(moved, ease(moved, loose).uv)
    moved = replace(laid, uv=laid.having(uv, changed), work=replace(laid.work, uv=uv))
    if done:
        return moved
    inside = np.zeros(laid.pieces.count, bool)
    inside[tris] = True
    return _again(moved, ease(moved, inside, hold_border=True).uv)


def _again(laid: Laid, uv: FloatArray) -> Laid:
    flat = uv[laid.pieces.corner].reshape(-1, 3, 2)
    return replace(laid, uv=uv, work=replace(laid.work, uv=flat))


def _grid_of(laid: Laid, tris: IntArray) -> FloatArray | None:
    """(K, 3, 2) corners of a grid of quads as a rectangle at the size that it has; None for no
    grid."""
    mesh, pieces = laid.mesh, laid.pieces
    quads = np.unique(pieces.face[tris])
    if (np.diff(mesh.face_offsets)[quads] != 4).any() or len(tris) != 2 * len(quads):
        return None
    faces, n = island_vertices(
        tris, pieces.across, laid.work.joined, np.full(pieces.count, -1, np.int64)
    )
    vertex = np.full(len(mesh.corner_vertex), -1, np.int64)
    vertex[pieces.corner[tris].ravel()] = faces.ravel()
    point = np.zeros((n, 3))
    point[faces.ravel()] = pieces.points[tris].reshape(-1, 3)
    ring = vertex[mesh.face_offsets[quads][:, None] + np.arange(4)]
    # Wound as the piece is: its triangles may have been turned.
    half = (3 * tris[:, None] + np.arange(3)).ravel()
    half = half[laid.edge[half] >= 0]
    against = laid.edge[half] != pieces.corner.ravel()[half]
    turned = np.zeros(mesh.face_count, bool)
    turned[pieces.face[half[against] // 3]] = True
    ring = np.where(turned[quads][:, None], ring[:, ::-1], ring)
    place = _numbered(ring, n)
    if place is None:
        return None
    x = _steps(ring, point, place, 0)
    y = _steps(ring, point, place, 1)
    if x is None or y is None:
        return None
    flat: FloatArray = np.stack([x[place[:, 0]], y[place[:, 1]]], axis=1) * laid.unit(tris)
    return np.asarray(flat[faces] * np.array([laid.facing(tris), 1.0]))


def _numbered(ring: IntArray, count: int) -> IntArray | None:
    """(N, 2) column and row of each vertex; None where two ways round disagree."""
    side: dict[tuple[int, int], tuple[int, int]] = {}
    for q, row in enumerate(ring.tolist()):
        for k in range(4):
            side[row[k], row[(k + 1) % 4]] = q, k
    steps = np.array([[1, 0], [0, 1], [-1, 0], [0, -1]])
    place = np.zeros((count, 2), np.int64)
    known = np.zeros(count, bool)
    turn = {0: 0}
    place[ring[0]] = np.cumsum(np.r_[[[0, 0]], steps[:3]], axis=0)
    known[ring[0]] = True
    queue = [0]
    while queue:
        q = queue.pop()
        for k in range(4):
            a, b = int(ring[q, k]), int(ring[q, (k + 1) % 4])
            found = side.get((b, a))
            if found is None or found[0] in turn:
                continue
            other, j = found
            # Side j of the other quad runs against side k of this one.
            turn[other] = (turn[q] + k + 2 - j) % 4
            at = place[b]
            for m in range(4):
                v = int(ring[other, (j + m) % 4])
                if known[v] and (place[v] != at).any():
                    return None
                place[v], known[v] = at, True
                at = at + steps[(turn[other] + j + m) % 4]
            queue.append(other)
    if len(turn) < len(ring):
        return None
    seen = np.unique(place, axis=0)
    return place if len(seen) == count else None


def _steps(ring: IntArray, point: FloatArray, place: IntArray, axis: int) -> FloatArray | None:
    """Coordinate of each column (or row), from the mean length of the edges over it."""
    a = ring.ravel()
    b = np.roll(ring, -1, axis=1).ravel()
    over = place[a, axis] != place[b, axis]
    # Each edge once, though most have a quad on both sides.
    a, b = np.unique(np.sort(np.stack([a[over], b[over]]), axis=0), axis=1)
    low = np.minimum(place[a, axis], place[b, axis])
    shift = int(place[:, axis].min())
    length = np.linalg.norm(point[a] - point[b], axis=1)
    count = np.bincount(low - shift)
    if (count == 0).any():
        return None
    place[:, axis] -= shift
    return np.asarray(np.r_[0.0, np.cumsum(np.bincount(low - shift, length) / count)])


def _rectangle(laid: Laid, tris: IntArray) -> FloatArray:
    """(K, 3, 2) an island with its border on a rectangle."""
    pieces = laid.pieces
    faces, n = island_vertices(
        tris, pieces.across, laid.work.joined, np.full(pieces.count, -1, np.int64)
    )
    loops = border_loops(faces)
    if len(loops) != 1:
        raise LayoutError(
            "An island with a hole, or without a border, cannot become a rectangle.",
            "islands",
            "Cut it open first.",
        )
    loop = loops[0]
    mirror = np.array([laid.facing(tris), 1.0])
    x = np.zeros((n, 2))
    x[faces.ravel()] = laid.work.uv[tris].reshape(-1, 2) * mirror
    point = np.zeros((n, 3))
    point[faces.ravel()] = pieces.points[tris].reshape(-1, 3)
    step = np.linalg.norm(point[np.roll(loop, -1)] - point[loop], axis=1)
    at = np.r_[0.0, np.cumsum(step)]
    corner = _four_corners(x[loop], at)
    side = [float((at[corner[(k + 1) % 4]] - at[corner[k]]) % at[-1] or at[-1]) for k in range(4)]
    width, height = 0.5 * (side[0] + side[2]), 0.5 * (side[1] + side[3])
    ends = np.array([[0, 0], [width, 0], [width, height], [0, height], [0, 0]], np.float64)
    out = np.zeros((n, 2))
    for k in range(4):
        along = np.arange(corner[k], corner[k] + (corner[(k + 1) % 4] - corner[k]) % len(loop) + 1)
        part = (at[along % len(loop)] - at[corner[k]]) % at[-1] / side[k]
        part[-1] = 1.0
        out[loop[along % len(loop)]] = ends[k] + part[:, None] * (ends[k + 1] - ends[k])
    held = np.zeros(n, bool)
    held[loop] = True
    return np.asarray(spanned(faces, out, held)[faces] * laid.unit(tris) * mirror)


def _four_corners(x: FloatArray, at: FloatArray) -> list[int]:
    """The four places along a border that turn the most, apart from one another by a twelfth of
    it."""
    before, after = x - np.roll(x, 1, axis=0), np.roll(x, -1, axis=0) - x
    turn = np.arctan2(
        before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(axis=1)
    )
    apart = at[-1] / 12
    taken: list[int] = []
    for k in np.argsort(-turn, kind="stable").tolist():
        gaps = [abs(at[k] - at[j]) for j in taken]
        if all(min(gap, at[-1] - gap) >= apart for gap in gaps):
            taken.append(k)
        if len(taken) == 4:
            return sorted(taken)
    raise LayoutError("This border has no four corners.", "islands", "Select another island.")
