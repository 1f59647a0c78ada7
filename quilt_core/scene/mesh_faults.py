"""What is wrong with how the faces of a mesh hang together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import BoolArray, IntArray
from quilt_core.scene.weld import groups, next_corner


@dataclass(frozen=True, eq=False)
class MeshFaults:
    """Faults of one mesh; vertices at one place count as one.

    A face that lies in another one, and one with a corner twice, has no part in them: each is a
    fault of its own.

    Parameters
    ----------
    many : (M,) int64
        Faces at edges that more than two faces share.
    many_edges : int
    wound : (W,) int64
        Faces that run the other way round than most of those that they hang together with.
    open : (P,) int64
        Faces at edges that no other face shares.
    open_edges, open_borders : int
        Such edges, and the loops or lines of them.
    loose : int
        Vertices that nothing uses.
    """

    many: IntArray
    many_edges: int
    wound: IntArray
    open: IntArray
    open_edges: int
    open_borders: int
    loose: int


def mesh_faults(mesh: Mesh, position: IntArray, leave_out: IntArray) -> MeshFaults:
    """Find them.

    Parameters
    ----------
    mesh : Mesh
    position : (V,) int64
        Equal for vertices at the same place.
    leave_out : (L,) int64
        Faces that lie in another one.

    Returns
    -------
    MeshFaults
    """
    following = next_corner(mesh.face_offsets, len(mesh.corner_vertex))
    start = position[mesh.corner_vertex]
    end = start[following]
    face = mesh.corner_face
    left = np.ones(mesh.face_count, bool)
    left[leave_out] = False
    left[face[start == end]] = False
    left[_twice(start, face)] = False
    own = np.flatnonzero(left[face])
    low, high = np.minimum(start, end)[own], np.maximum(start, end)[own]
    places = int(position.max(initial=0)) + 1
    _, edge, sharing = np.unique(low * places + high, return_inverse=True, return_counts=True)
    alone, many = sharing[edge] == 1, sharing[edge] > 2
    borders = np.unique(np.concatenate([low[alone], high[alone]]), return_inverse=True)
    ends = borders[1].reshape(2, -1).T
    return MeshFaults(
        many=np.unique(face[own[many]]),
        many_edges=int((sharing > 2).sum()),
        wound=_wound(face[own], start[own] < end[own], edge, sharing, mesh.face_count),
        open=np.unique(face[own[alone]]),
        open_edges=int(alone.sum()),
        open_borders=len(np.unique(groups(ends, len(borders[0])))) if len(ends) else 0,
        loose=mesh.loose,
    )


def _twice(start: IntArray, face: IntArray) -> IntArray:
    """Faces that come to one place more than once."""
    order = np.lexsort((start, face))
    same = (start[order][1:] == start[order][:-1]) & (face[order][1:] == face[order][:-1])
    return np.asarray(face[order[1:][same]])


def _wound(
    face: IntArray, upward: BoolArray, edge: IntArray, sharing: IntArray, count: int
) -> IntArray:
    """Faces that run the other way round than most of those that they hang together with.

    Each face is there twice, as it is and turned over. Two that share an edge and run along it in
    opposite directions agree as they are; else one of them agrees with the other turned over.
    """
    two = np.flatnonzero(sharing[edge] == 2)
    order = two[np.argsort(edge[two], kind="stable")]
    one, other = face[order[::2]], face[order[1::2]]
    against = upward[order[::2]] == upward[order[1::2]]
    if not against.any():
        return np.empty(0, np.int64)
    first = np.concatenate([one, one + count])
    second = np.concatenate(
        [np.where(against, other + count, other), np.where(against, other, other + count)]
    )
    group = groups(np.stack([first, second], axis=1), 2 * count)
    here, over = group[:count], group[count:]
    size = np.bincount(here, minlength=int(group.max()) + 1)
    # A strip with one twist agrees with itself turned over: no side of it is the right one.
    fewer = (size[here] < size[over]) | ((size[here] == size[over]) & (here > over))
    return np.flatnonzero(fewer & (here != over))
