"""Equal and nearly equal rows get equal numbers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import FloatArray, IntArray

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
    # One sort of scrambled rows instead of one for each column; then a look at whether two kinds
    # got mixed up.
    mixed = np.zeros(len(columns[0]), np.uint64)
    for column in columns:
        whole = column.dtype.kind in "iub"
        bits = (
            column.astype(np.int64) if whole else column.astype(np.float64) + 0.0
        )  # -0.0 becomes 0.0
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


FEW_PLACES = 64
"""Things that are compared one by one, as the libraries load slowly."""
MOST_BETWEEN = 4
"""Others of a line that are looked at for each point on average; where there are more a tree finds them sooner."""


def near_ids(points: FloatArray, tolerance: float) -> IntArray:
    """Give points that are nearer than a tolerance to one another, or linked by such, equal
    numbers.

    Parameters
    ----------
    points : (N, D) float64
        Rows that are not finite are like nothing but themselves, value by value.
    tolerance : float
        Euclidean distance in the unit of the points.

    Examples
    --------
    >>> ids = near_ids(np.array([[0.0, 0.0], [1.0, 0.0], [1e-9, 0.0]]), 1e-6)
    >>> (ids == ids[0]).tolist()
    [True, False, True]
    """
    ids = weld_ids(*points.T)
    kinds, first = np.unique(ids, return_index=True)
    finite = np.flatnonzero(np.isfinite(points[first]).all(axis=1))
    if len(finite) < 2 or not tolerance > 0:
        return ids
    own = points[first[finite]]
    if len(own) <= FEW_PLACES:
        far = np.linalg.norm(own[:, None] - own, axis=2)
        found: IntArray = np.argwhere(np.triu(far <= tolerance, 1))
    else:
        found = _near_pairs(own, tolerance)
    pairs = finite[found]
    return ids if not len(pairs) else groups(pairs, len(kinds))[ids]


def _near_pairs(points: FloatArray, tolerance: float) -> IntArray:
    """(P, 2) pairs of points that are not farther apart than a tolerance.

    Points that are near are near along any line, too: they are sorted along one that is in line with nothing, so that few
    others come between.
    """
    line = np.sqrt(np.array([2.0, 3.0, 5.0, 7.0])[: points.shape[1]])
    along = points @ (line / np.linalg.norm(line))
    order = np.argsort(along)
    along = along[order]
    rounding = 8 * np.finfo(float).eps * np.abs(points).max()
    here = np.arange(len(order))
    behind = np.searchsorted(along, along + tolerance + rounding, side="right") - here - 1
    if behind.sum() > MOST_BETWEEN * len(order):
        from scipy.spatial import cKDTree  # loads slowly

        tree = cKDTree(points, balanced_tree=False, compact_nodes=False)
        return np.asarray(tree.query_pairs(tolerance, output_type="ndarray"))
    first = np.repeat(here, behind)
    second = first + 1 + np.arange(len(first)) - np.repeat(np.cumsum(behind) - behind, behind)
    pairs = np.stack([order[first], order[second]], axis=1)
    off = points[pairs[:, 0]] - points[pairs[:, 1]]
    return np.asarray(pairs[np.einsum("pd,pd->p", off, off) <= tolerance * tolerance])


def groups(pairs: IntArray, count: int) -> IntArray:
    """(count,) number of the group that each thing is in, linked by pairs (N, 2)."""
    if count <= FEW_PLACES:
        lowest, before = np.arange(count), np.full(count, -1)
        while not np.array_equal(lowest, before):
            before = lowest.copy()
            for side in (0, 1):
                np.minimum.at(lowest, pairs[:, side], lowest[pairs[:, 1 - side]])
        return np.asarray(np.unique(lowest, return_inverse=True)[1], np.int64)
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    graph = coo_array(
        (np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(count, count)
    )
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)


def next_corner(face_offsets: IntArray, corner_count: int) -> IntArray:
    """(C,) corner that follows each corner around its face."""
    following = np.arange(1, corner_count + 1, dtype=np.int64)
    sizes = np.diff(face_offsets)
    real = sizes > 0
    following[face_offsets[1:][real] - 1] = face_offsets[:-1][real]
    return following


def weld_positions(mesh: Mesh) -> IntArray:
    """(V,) numbers of vertices, equal where they are at the same place, see `Mesh.same_place`."""
    if not len(mesh.positions):
        return np.empty(0, np.int64)
    finite = mesh.positions[np.isfinite(mesh.positions).all(axis=1)]
    size = float(np.ptp(finite, axis=0).max()) if len(finite) else 0.0
    return near_ids(mesh.positions, mesh.same_place * size)


def welded(mesh: Mesh, distance: float) -> Mesh:
    """The mesh with vertices counted as one that are nearer than a part of its size; they stay what
    and where they are."""
    return mesh if distance <= mesh.same_place else replace(mesh, same_place=distance)
