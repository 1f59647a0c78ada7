"""Move single corners, line them up, space them evenly."""

from __future__ import annotations

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.unwrap._island_loops import island_vertices
from quilt_core.unwrap.edits.laid import Edited, Laid
from quilt_core.unwrap.edits.names import WAYS


def move_corners(laid: Laid, corners: IntArray, by: FloatArray) -> Edited:
    """Move corners, and with each all corners that are the same point of its island.

    Parameters
    ----------
    laid : Laid
    corners : (K,) int64
    by : (2,) or (K, 2) float64

    Raises
    ------
    LayoutError
        When a corner has no UVs, or the way is not finite.
    """
    if not np.isfinite(by).all():
        raise LayoutError("A way that is not finite.", "by", "Give numbers.")
    groups, first = _points(laid, corners)
    out = laid.uv.copy()
    steps = np.broadcast_to(np.asarray(by, np.float64), (len(corners), 2))
    for group, k in zip(groups, first, strict=True):
        out[group] += steps[k]
    return _told(laid, out, groups, "moved")


def align_corners(laid: Laid, corners: IntArray, way: str) -> Edited:
    """Line corners up.

    Parameters
    ----------
    laid : Laid
    corners : (K,) int64
    way : str
        left, right, top, bottom: to the outermost; middle: upright on their mean; level: on their
        mean height; line: on the straight line through the two that are farthest apart; even: there
        too, equally spaced.

    Raises
    ------
    LayoutError
        When there are fewer than two, or the way is none of these.
    """
    if way not in WAYS:
        raise LayoutError(f"A way “{way}”.", "way", f"Give {', '.join(WAYS)}.")
    groups, first = _points(laid, corners)
    p = laid.uv[corners[first]]
    if len(p) < 2:
        raise LayoutError("A single vertex has nothing to line up with.", "corners", "Select more.")
    new = p.copy()
    if way in ("left", "right", "middle"):
        new[:, 0] = {"left": p[:, 0].min(), "right": p[:, 0].max(), "middle": p[:, 0].mean()}[way]
    elif way in ("top", "bottom", "level"):
        new[:, 1] = {"top": p[:, 1].max(), "bottom": p[:, 1].min(), "level": p[:, 1].mean()}[way]
    else:
        far = np.linalg.norm(p[:, None] - p[None], axis=2)
        a, b = np.unravel_index(int(np.argmax(far)), far.shape)
        along = p[b] - p[a]
        share = (p - p[a]) @ along / max(float(along @ along), 1e-300)
        if way == "even":
            share = np.argsort(np.argsort(share, kind="stable")) / (len(p) - 1)
        new = p[a] + share[:, None] * along
    out = laid.uv.copy()
    for group, at in zip(groups, new, strict=True):
        out[group] = at
    return _told(laid, out, groups, f"lined up: {way}")


def _points(laid: Laid, corners: IntArray) -> tuple[list[IntArray], IntArray]:
    """The corners of each point that is meant, and where in `corners` it comes first."""
    inside = (corners >= 0) & (corners < len(laid.uv))
    if not len(corners) or not inside.all() or not np.isfinite(laid.uv[corners]).all():
        raise LayoutError("A vertex without UVs.", "corners", "Select vertices of an island.")
    pieces = laid.pieces
    tris = np.flatnonzero(laid.known)
    faces, _ = island_vertices(
        tris, pieces.across, laid.work.joined, np.full(pieces.count, -1, np.int64)
    )
    name = np.full(len(laid.uv), -1, np.int64)
    name[pieces.corner[tris].ravel()] = faces.ravel()
    if (name[corners] < 0).any():
        raise LayoutError(
            "A vertex of a face without surface.", "corners", "Select vertices of other faces."
        )
    _, first = np.unique(name[corners], return_index=True)
    first = np.sort(first)
    return [np.flatnonzero(name == name[corners[k]]) for k in first], first


def _told(laid: Laid, uv: FloatArray, groups: list[IntArray], what: str) -> Edited:
    flat = uv[laid.pieces.corner].reshape(-1, 3, 2)
    moved = np.unique(np.concatenate(groups))
    touched = np.isin(laid.pieces.corner, moved).any(axis=1) & laid.known
    before, after = triangle_areas(laid.work.uv[touched]), triangle_areas(flat[touched])
    over = int(((before > 0) != (after > 0)).sum())
    turned = f", {over} triangles turned over" if over else ""
    return Edited(
        uv, f"{len(groups)} {'vertex' if len(groups) == 1 else 'vertices'} {what}{turned}"
    )
