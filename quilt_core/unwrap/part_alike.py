"""Parts of a mesh that occur again: in other meshes, or elsewhere in its own."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap._alike_loops import walk_both
from quilt_core.unwrap.alike import distance_of, edges_of, start_of

MOST_PLACES = 2000
"""Places that are compared by shape."""
NEAR = 0.02
"""Largest misfit of a part that counts as the same, as a part of its size: small parts have their
topology in common with much that is shaped in another way."""


@dataclass(frozen=True, eq=False)
class Place:
    """Where a part occurs.

    Parameters
    ----------
    corner : (K,) int64
        Corner there for each corner of the part.
    mirrored : bool
    misfit : float
        As in `Match`.
    """

    corner: IntArray
    mirrored: bool
    misfit: float


def part_corners(mesh: Mesh, faces: IntArray) -> IntArray:
    """(K,) corners of some faces, in order."""
    chosen = np.zeros(mesh.face_count, bool)
    chosen[faces] = True
    return np.flatnonzero(chosen[mesh.corner_face])


def find_part(mesh: Mesh, faces: IntArray, other: Mesh, near: float = NEAR) -> list[Place]:
    """Find where a part of a mesh occurs in another one, or again in the same.

    Parameters
    ----------
    mesh : Mesh
    faces : (F,) int64
        The part; its faces hang together by edges.
    other : Mesh
        The mesh itself to find the part elsewhere in it.
    near : float
        Largest misfit.

    Returns
    -------
    list of Place
        None of them lie on one another; those that fit best come first.

    Raises
    ------
    LayoutError
        When the faces do not hang together.
    """
    corner = part_corners(mesh, faces)
    a, b = edges_of(mesh), edges_of(other)
    mine = np.zeros(len(a.after), bool)
    mine[corner] = True
    twin = np.where(mine & (a.twin >= 0) & mine[a.twin], a.twin, -1)
    _whole(mesh, a.after, twin, corner)
    start = int(corner[np.argmax(twin[corner] >= 0)]) if len(corner) else -1
    taken = np.zeros(len(b.after), bool)
    if other is mesh:
        taken[corner] = True
    image, queue = np.full(len(a.after), -1, np.int64), np.empty(len(a.after), np.int64)
    p = mesh.positions[mesh.corner_vertex[corner]]
    p = p - p.mean(axis=0)
    found: list[Place] = []
    for mirrored in (False, True):
        after = b.before if mirrored else b.after
        for at in range(len(after)):
            if len(found) >= MOST_PLACES:
                break
            if not walk_both(start, at, a.after, twin, after, b.twin, False, image, taken, queue):
                continue
            there = start_of(image[corner], b, mirrored)
            image[corner] = -1
            q = other.positions[other.corner_vertex[there]]
            misfit = distance_of(p, q - q.mean(axis=0))
            if misfit <= near and _same_faces(mesh, other, corner, there):
                found.append(Place(there, mirrored, misfit))
    found.sort(key=lambda place: (round(place.misfit, 7), place.mirrored))
    out: list[Place] = []
    for place in found:
        if not taken[place.corner].any():
            taken[place.corner] = True
            out.append(place)
    return out


def _whole(mesh: Mesh, after: IntArray, twin: IntArray, corner: IntArray) -> None:
    linked = corner[twin[corner] >= 0]
    pairs = [np.stack([corner, after[corner]], 1), np.stack([linked, twin[linked]], 1)]
    label = groups(np.concatenate(pairs), len(after))[corner]
    if len(corner) and (label != label[0]).any():
        raise LayoutError(
            f"The selected faces are {len(np.unique(label))} parts.",
            "faces",
            "Select faces that hang together by their edges.",
        )


def _same_faces(mesh: Mesh, other: Mesh, here: IntArray, there: IntArray) -> bool:
    """Whether faces have as many corners in both: a walk round a face closes in both or none."""
    sizes, others = np.diff(mesh.face_offsets), np.diff(other.face_offsets)
    return bool((sizes[mesh.corner_face[here]] == others[other.corner_face[there]]).all())
