"""Blocks of a compressed texture that hold texels of several islands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.types import FloatArray, IntArray


@dataclass(frozen=True, eq=False)
class SharedBlocks:
    """Pairs of islands that have texels in the same block of one tile.

    Parameters
    ----------
    pairs : (P, 2) int64
        Islands, the smaller number first; those that share most blocks first.
    blocks : (P,) int64
        Blocks that they share.
    spots : (P, 2) float64
        Middle of one such block, in px from the tile's lower left corner.
    """

    pairs: IntArray
    blocks: IntArray
    spots: FloatArray


def shared_blocks(
    edges: FloatArray,
    island: IntArray,
    block: int,
    height: int,
    noise: float = 1e-6,
    stack: IntArray | None = None,
) -> SharedBlocks:
    """Find them from the outlines.

    Blocks begin at the image's first texel, which is the tile's upper left corner, as in the block
    formats of the Khronos Data Format Specification (BC, ETC and ASTC).
    A block that two islands have a part of is filled by neither, so the outlines of both cross it.

    Parameters
    ----------
    edges : (E, 2, 2) float64
        Outline edges of one tile's islands, in px from its lower left corner.
    island : (E,) int64
    block : int
        Width and height of a block in px.
    height : int
        Of the tile in px.
    noise : float
        px by which an outline may reach into a block untold.
    stack : (I,) int64, optional
        Islands of one number share texels on purpose; -1 for none.

    Returns
    -------
    SharedBlocks
    """
    place = np.stack([edges[..., 0], height - edges[..., 1]], axis=-1) / block
    column, row, owner = _crossed(place, island, noise / block)
    rows = int(row.max(initial=0)) + 1
    cells = np.unique(np.stack([column * rows + row, owner]), axis=1)
    one, other, cell = _in_one_cell(*cells)
    if stack is not None:
        apart = (stack[one] < 0) | (stack[one] != stack[other])
        one, other, cell = one[apart], other[apart], cell[apart]
    pairs, first, counts = np.unique(
        np.stack([one, other], axis=1), axis=0, return_index=True, return_counts=True
    )
    order = np.argsort(-counts, kind="stable")
    at = cell[first[order]]
    middle = np.stack([at // rows + 0.5, height / block - (at % rows + 0.5)], axis=1) * block
    return SharedBlocks(pairs.reshape(-1, 2)[order], counts[order], middle)


def _crossed(
    place: FloatArray, island: IntArray, noise: float
) -> tuple[IntArray, IntArray, IntArray]:
    """Columns and rows of the cells whose inside edges cross, and whose edges they are."""
    left = np.where(place[:, 0, 0] <= place[:, 1, 0], 0, 1)
    each = np.arange(len(place))
    x0, y0 = place[each, left].T
    x1, y1 = place[each, 1 - left].T
    first, last = _span(x0, x1, noise)
    edge, column = _ranges(first, last)
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = np.where(x1 > x0, (y1 - y0) / (x1 - x0), 0.0)[edge]
    # The part of the edge within the column; an upright edge has all of it in one.
    upright = (last == first)[edge]
    start = np.maximum(column, x0[edge]) - x0[edge]
    end = np.minimum(column + 1, x1[edge]) - x0[edge]
    ya = np.where(upright, y0[edge], y0[edge] + slope * start)
    yb = np.where(upright, y1[edge], y0[edge] + slope * end)
    low, high = _span(np.minimum(ya, yb), np.maximum(ya, yb), noise)
    part, row = _ranges(low, high)
    return column[part], row, island[edge[part]]


def _span(low: FloatArray, high: FloatArray, noise: float) -> tuple[IntArray, IntArray]:
    """First and last cell that an interval reaches into; none where it lies on a border."""
    first = np.floor(low + noise).astype(np.int64)
    last = np.ceil(high - noise).astype(np.int64) - 1
    # What is shorter than the noise is in the cell of its middle, unless that is a border.
    middle = 0.5 * (low + high)
    inside = np.abs(middle - np.round(middle)) > noise
    short = last < first
    cell = np.floor(middle).astype(np.int64)
    return np.where(short & inside, cell, first), np.where(short & inside, cell, last)


def _ranges(first: IntArray, last: IntArray) -> tuple[IntArray, IntArray]:
    """Each whole number from first to last, and which range it is of."""
    count = np.maximum(last - first + 1, 0)
    which = np.repeat(np.arange(len(first)), count)
    start = np.cumsum(count) - count
    return which, first[which] + np.arange(len(which)) - start[which]


def _in_one_cell(cell: IntArray, owner: IntArray) -> tuple[IntArray, IntArray, IntArray]:
    """Pairs of owners of the same cell, for pairs (cell, owner) in order."""
    ones, others, cells = [], [], []
    step = 1
    while True:
        same = np.flatnonzero(cell[step:] == cell[:-step])
        if not len(same):
            break
        ones.append(owner[same])
        others.append(owner[same + step])
        cells.append(cell[same])
        step += 1
    if not ones:
        nothing = np.empty(0, np.int64)
        return nothing, nothing, nothing
    return np.concatenate(ones), np.concatenate(others), np.concatenate(cells)


def gap_for_blocks(block: float) -> float:
    """Gap in px between islands that surely have no block in common: its diagonal, rounded up.

    Two points of one block are at most its diagonal apart, wherever the blocks begin.

    Examples
    --------
    >>> gap_for_blocks(4), gap_for_blocks(6), gap_for_blocks(0)
    (5.66, 8.49, 0.0)
    """
    return float(np.ceil(100 * np.sqrt(2.0) * block) / 100)
