"""Cut islands: along edges, round faces, at a corner."""

from __future__ import annotations

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap.edits.laid import Edited, Laid, rejoined


def cut_edges(laid: Laid, corners: IntArray, gap: float) -> Edited:
    """Cut islands along edges. The largest part of each stays, the others step aside.

    Parameters
    ----------
    laid : Laid
    corners : (K,) int64
        Edges, see `Laid.halves`.
    gap : float
        Way that a part steps aside, in the unit of the layout.

    Raises
    ------
    LayoutError
        When nothing comes apart.
    """
    half = laid.halves(corners)
    if not laid.work.joined[half].any():
        raise LayoutError(
            "These edges are seams already.", "edges", "Select edges inside of an island."
        )
    return _cut(laid, half, gap, "edges")


def split_faces(laid: Laid, faces: IntArray, gap: float) -> Edited:
    """Split faces off their islands.

    Raises
    ------
    LayoutError
        When they are whole islands.
    """
    own = laid.triangles(faces)
    half = np.flatnonzero(np.repeat(own, 3) & laid.work.joined)
    border = half[~own[laid.pieces.across[half] // 3]]
    if not len(border):
        raise LayoutError(
            "These faces are whole islands already.", "faces", "Select some faces of an island."
        )
    return _cut(laid, np.concatenate([border, laid.pieces.across[border]]), gap, "faces", own)


def rip_corner(laid: Laid, corner: int, gap: float) -> Edited:
    """Take one face's corner off its neighbours: the face keeps the island at its other edges.

    Parameters
    ----------
    laid : Laid
    corner : int
    gap : float
        Way that the corner moves, towards the middle of its face.

    Raises
    ------
    LayoutError
        When it shares its place with no other face of the island.
    """
    pieces, work = laid.pieces, laid.work
    halves = laid.halves(np.array([corner]))
    face = laid.mesh.corner_face[corner]
    own = np.flatnonzero(laid.triangles(np.array([face])))
    tied = work.joined[halves].any() or any(
        work.joined[3 * t + s] and not pieces.inner[3 * t + s]
        for t in own.tolist()
        for s in range(3)
        if corner in (pieces.corner[t, s], pieces.corner[t, (s + 1) % 3])
    )
    if not tied:
        raise LayoutError(
            "This vertex is free already.", "corner", "Select a vertex inside of an island."
        )
    middle = laid.uv[laid.mesh.corner_face == face].mean(axis=0)
    way = middle - laid.uv[corner]
    far = float(np.linalg.norm(way))
    out = laid.uv.copy()
    out[corner] += way * min(0.5, gap / max(far, 1e-300))
    return Edited(out, "1 vertex unpicked")


def _cut(
    laid: Laid, half: IntArray, gap: float, where: str, leaving: BoolArray | None = None
) -> Edited:
    """Open half-edges. `leaving` (N,) are triangles whose parts step aside, not the smaller ones."""
    work = laid.work
    joined = work.joined.copy()
    joined[half] = False
    after = rejoined(work, joined)
    flat, changed = work.uv.copy(), np.zeros(laid.pieces.count, bool)
    parts = 0
    area = laid.pieces.area
    for island in np.unique(work.label[half // 3]):
        tris = np.flatnonzero(work.label == island)
        names = np.unique(after.label[tris])
        if len(names) < 2:
            continue
        parts += len(names) - 1
        size = [float(area[after.label == name].sum()) for name in names]
        if leaving is not None:
            size = [
                s * (1e-9 if leaving[after.label == name].all() else 1.0)
                for s, name in zip(size, names, strict=True)
            ]
        stays = names[int(np.argmax(size))]
        middle = flat[after.label == stays].reshape(-1, 2).mean(axis=0)
        for name in names[names != stays]:
            part = after.label == name
            flat[part] += _way_off(laid, after.label, part, half, middle) * gap
            changed |= part
    if not parts:
        raise LayoutError(
            "These edges do not part an island: it hangs together round their ends.",
            where,
            "Cut right through, or unwrap the island along them.",
        )
    return Edited(
        laid.having(flat, changed), f"{parts} {'part' if parts == 1 else 'parts'} cut off"
    )


def _way_off(
    laid: Laid, label: IntArray, part: BoolArray, half: IntArray, middle: FloatArray
) -> FloatArray:
    """(2,) direction in which a part steps aside: square to its cut, into its inside."""
    mine = half[part[half // 3]]
    t, s = mine // 3, mine % 3
    along = laid.work.uv[t, (s + 1) % 3] - laid.work.uv[t, s]
    inward = (
        np.stack([-along[:, 1], along[:, 0]], axis=1)
        * np.sign(triangle_areas(laid.work.uv[t]))[:, None]
    )
    way = inward.sum(axis=0)
    if np.linalg.norm(way) < 0.2 * np.linalg.norm(along, axis=1).sum():
        way = laid.work.uv[part].reshape(-1, 2).mean(axis=0) - middle
    size = float(np.linalg.norm(way))
    return np.asarray(way / size) if size > 0 else np.array([1.0, 0.0])


def cut_folds(laid: Laid, tris: IntArray, gap: float) -> Edited:
    """Cut islands that turn over at a fold there: faces that face the other way become islands of
    their own.

    Parameters
    ----------
    laid : Laid
    tris : (K,) int64
        Triangles of the islands to look at.
    gap : float

    Raises
    ------
    LayoutError
        When none is folded.
    """
    up = np.zeros(laid.pieces.count)
    signed = triangle_areas(laid.work.uv)
    for island in np.unique(laid.work.label[tris]):
        mine = laid.work.label == island
        up[mine] = laid.facing(np.flatnonzero(mine))
    # What has hardly any area turns nowhere.
    least = 1e-9 * np.abs(signed[tris]).max(initial=0.0)
    over = (signed * up < -least) & np.isin(laid.work.label, laid.work.label[tris])
    faces = np.unique(laid.pieces.face[over])
    if not len(faces):
        raise LayoutError("No face is folded over.", "islands", "There is nothing to cut.")
    made = split_faces(laid, faces, gap)
    return Edited(made.uv, f"{len(faces)} folded {'face' if len(faces) == 1 else 'faces'} cut off")


def pieces_of(laid: Laid, own: BoolArray) -> list[IntArray]:
    """Triangles of `own` (N,) in joined pieces."""
    pieces, joined = laid.pieces, laid.work.joined
    half = np.flatnonzero(joined & np.repeat(own, 3))
    half = half[own[pieces.across[half] // 3]]
    label = groups(np.stack([half // 3, pieces.across[half] // 3], axis=1), pieces.count)
    tris = np.flatnonzero(own)
    order = tris[np.argsort(label[tris], kind="stable")]
    cuts = np.flatnonzero(np.diff(label[order])) + 1
    return np.split(order, cuts) if len(order) else []
