"""UV islands: faces joined through edges that agree in position and in UV."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from quilt_core.scene.mesh import Mesh, UVChannel

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Islands:
    """The islands of one channel.

    Parameters
    ----------
    count : int
    face_island : (F,) int64
        Island of each face, -1 for a face without UVs.
    edges : (E, 2) int64
        Corner pairs ``(c, next corner)`` of the outline: edges used by one face, and edges where the
        layout folds over itself (the faces on both sides are turned differently).
    edge_island : (E,) int64
    folded : (I,) bool
        Islands with such folds; their outline is not a set of simple rings.
    """

    count: int
    face_island: IntArray
    edges: IntArray
    edge_island: IntArray
    folded: NDArray[np.bool_]


SCRAMBLE = np.uint64(0x9E3779B97F4A7C15)


def weld_ids(*columns: NDArray[np.generic]) -> IntArray:
    """Give equal rows equal numbers.

    Parameters
    ----------
    *columns : (N,) arrays
        The columns of the rows; -0.0 equals 0.0.

    Returns
    -------
    (N,) int64
        Numbers from 0, equal exactly where all columns are equal.

    Examples
    --------
    >>> ids = weld_ids(np.array([1.0, 2.0, 1.0]), np.array([5, 5, 5]))
    >>> (ids == ids[0]).tolist()
    [True, False, True]
    """
    if not columns:
        raise ValueError("weld_ids needs at least one column")
    # One sort of scrambled rows instead of one for each column; then a look at whether two kinds got mixed up.
    mixed = np.zeros(len(columns[0]), np.uint64)
    for column in columns:
        whole = column.dtype.kind in "iub"
        bits = column.astype(np.int64) if whole else column.astype(np.float64) + 0.0  # -0.0 becomes 0.0
        mixed = (mixed ^ bits.view(np.uint64)) * SCRAMBLE
        mixed ^= mixed >> np.uint64(31)
    _, first, ids = np.unique(mixed, return_index=True, return_inverse=True)
    ids = ids.astype(np.int64)
    if all(_equal(column, column[first[ids]]) for column in columns):
        return ids
    return _weld_by_columns(*columns)


def _equal(a: NDArray[np.generic], b: NDArray[np.generic]) -> bool:
    return bool(((a == b) | ((a != a) & (b != b))).all())


def _weld_by_columns(*columns: NDArray[np.generic]) -> IntArray:
    """The same, column by column."""
    _, ids = np.unique(columns[0], return_inverse=True)
    for column in columns[1:]:
        _, numbers = np.unique(column, return_inverse=True)
        _, ids = np.unique(
            ids.astype(np.int64) * (int(numbers.max(initial=0)) + 1) + numbers, return_inverse=True
        )
    return np.asarray(ids, np.int64)


def next_corner(face_offsets: IntArray, corner_count: int) -> IntArray:
    """(C,) corner that follows each corner around its face."""
    following = np.arange(1, corner_count + 1, dtype=np.int64)
    sizes = np.diff(face_offsets)
    real = sizes > 0
    following[face_offsets[1:][real] - 1] = face_offsets[:-1][real]
    return following


def weld_positions(mesh: Mesh) -> IntArray:
    """(V,) numbers of vertices, equal where their positions are."""
    return weld_ids(*mesh.positions.T) if len(mesh.positions) else np.empty(0, np.int64)


def find_islands(mesh: Mesh, channel: UVChannel, position: IntArray | None = None) -> Islands:
    """Find the islands of a UV channel.

    Two faces belong together when they share an edge whose two ends agree in position and in UV, by
    value: files that repeat vertices (as glTF must at hard edges and material borders) are welded
    first. Faces with a missing or non-finite UV belong to no island.

    Parameters
    ----------
    mesh : Mesh
    channel : UVChannel
        A channel of that mesh.
    position : (V,) int64, optional
        What `weld_positions` says, when it is already known.

    Returns
    -------
    Islands
        Numbered in the order of their first face.
    """
    corners = len(mesh.corner_vertex)
    uv = channel.per_corner
    has_uv = np.isfinite(uv).all(axis=1)
    face_ok = np.bincount(mesh.corner_face, ~has_uv, minlength=mesh.face_count) == 0
    position_ids = (weld_positions(mesh) if position is None else position)[mesh.corner_vertex]
    use = face_ok[mesh.corner_face]
    if not use.any():
        empty = np.empty(0, np.int64)
        nothing = np.empty(0, bool)
        return Islands(0, np.full(mesh.face_count, -1, np.int64), empty.reshape(0, 2), empty, nothing)

    ids = np.full(corners, -1, np.int64)
    ids[use] = weld_ids(position_ids[use], uv[use, 0], uv[use, 1])
    starts = np.flatnonzero(use)
    ends = next_corner(mesh.face_offsets, corners)[starts]
    low, high = np.minimum(ids[starts], ids[ends]), np.maximum(ids[starts], ids[ends])
    real = low != high
    starts, ends, low, high = starts[real], ends[real], low[real], high[real]
    _, edge, uses = np.unique(low * (ids.max() + 1) + high, return_inverse=True, return_counts=True)

    faces = mesh.corner_face[starts]
    order = np.argsort(edge, kind="stable")
    same = edge[order][1:] == edge[order][:-1]
    left, right = faces[order][:-1][same], faces[order][1:][same]
    graph = coo_array((np.ones(len(left), np.int8), (left, right)), shape=(mesh.face_count,) * 2)
    _, labels = connected_components(graph, directed=False)

    usable = np.flatnonzero(face_ok)
    _, first, inverse = np.unique(labels[usable], return_index=True, return_inverse=True)
    rank = np.empty(len(first), np.int64)
    rank[np.argsort(first, kind="stable")] = np.arange(len(first))
    face_island = np.full(mesh.face_count, -1, np.int64)
    face_island[usable] = rank[inverse]

    facing = np.sign(signed_uv_areas(mesh, uv))[faces]
    turned = np.bincount(edge, facing, minlength=len(uses))
    fold = (np.abs(turned) != uses)[edge] & (uses[edge] > 1)
    outline = fold | (uses[edge] == 1)
    pairs = np.stack([starts[outline], ends[outline]], axis=1)
    folded = np.bincount(face_island[faces[fold]], minlength=len(first)) > 0
    return Islands(len(first), face_island, pairs, face_island[faces[outline]], folded)


def signed_uv_areas(mesh: Mesh, uv: FloatArray) -> FloatArray:
    """(F,) signed areas of the faces by the shoelace formula; NaN where a UV is missing.

    Coordinates are taken relative to each face's first corner, so that small faces far from the
    origin keep their digits.
    """
    if not len(mesh.corner_vertex):
        return np.zeros(mesh.face_count, np.float64)
    local = uv - uv[mesh.face_offsets[:-1]][mesh.corner_face]
    after = local[next_corner(mesh.face_offsets, len(uv))]
    twice = local[:, 0] * after[:, 1] - local[:, 1] * after[:, 0]
    return np.asarray(np.bincount(mesh.corner_face, 0.5 * twice, minlength=mesh.face_count), np.float64)
