"""Hashed grids over boxes, one per level of size, for the inner loops of overlap and gap.

A box lies in the grid whose cells are just larger than the box, so it touches four of them at most,
whatever else there is: one face as large as the whole scene costs no more than any other.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

MOST_LEVELS = 40
SMALL = 0.05
"""Boxes smaller than those of this quantile share the finest cells."""
ONE_CELL = 200
"""So many boxes or fewer share one cell for each quarter of the plane."""
EVERYONE = 2**62
LOOKS = 3
"""So many looks at pairs of boxes are taken for one pair that meets: boxes may share up to four
cells."""


class Grid(NamedTuple):
    """Boxes in hashed cells.

    Parameters
    ----------
    boxes : (N, 4) float64
        Lowest x, y and highest x, y.
    level : (N,) int64
    cells : (L,) float64
        Edge of the cells of each level.
    used : (L,) bool
        Levels that hold boxes.
    offsets : (S + 1,) int64
        First entry of each slot of the hash table.
    entries : (M, 4) int64
        Box, column, row and level.
    """

    boxes: NDArray[np.float64]
    level: NDArray[np.int64]
    cells: NDArray[np.float64]
    used: NDArray[np.bool_]
    offsets: NDArray[np.int64]
    entries: NDArray[np.int64]


@njit(cache=True, nogil=True)
def slot(ix, iy, level, mask):  # type: ignore[no-untyped-def]
    """Slot of a cell in a table of mask + 1 entries (a power of two)."""
    h = np.uint64(ix) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(iy) * np.uint64(
        0xC2B2AE3D27D4EB4F
    )
    h += np.uint64(level) * np.uint64(0x165667B19E3779F9)
    h ^= h >> np.uint64(29)
    h *= np.uint64(0xBF58476D1CE4E5B9)
    h ^= h >> np.uint64(32)
    return np.int64(h & np.uint64(mask))


@njit(cache=True, nogil=True)
def column(x, cell):  # type: ignore[no-untyped-def]
    """Column of a cell that holds x."""
    return int(np.floor(x / cell))


@njit(cache=True, nogil=True)
def _fill(boxes, level, cells, mask):  # type: ignore[no-untyped-def]
    counts = np.zeros(mask + 2, np.int64)
    for i in range(len(boxes)):
        cell = cells[level[i]]
        for ix in range(column(boxes[i, 0], cell), column(boxes[i, 2], cell) + 1):
            for iy in range(column(boxes[i, 1], cell), column(boxes[i, 3], cell) + 1):
                counts[slot(ix, iy, level[i], mask) + 1] += 1
    offsets = np.cumsum(counts)
    entries = np.empty((offsets[-1], 4), np.int64)
    fill = offsets.copy()
    for i in range(len(boxes)):
        cell = cells[level[i]]
        for ix in range(column(boxes[i, 0], cell), column(boxes[i, 2], cell) + 1):
            for iy in range(column(boxes[i, 1], cell), column(boxes[i, 3], cell) + 1):
                s = slot(ix, iy, level[i], mask)
                entry = entries[fill[s]]
                entry[0], entry[1], entry[2], entry[3] = i, ix, iy, level[i]
                fill[s] += 1
    return offsets, entries


def make_grid(boxes: NDArray[np.float64], least: float = 0.0) -> Grid:
    """Put boxes (N, 4) into cells; no cell is smaller than `least`."""
    far = float(np.abs(boxes).max(initial=0.0))
    if len(boxes) <= ONE_CELL:
        # So few are compared with one another sooner than they are sorted.
        level, cells = np.zeros(len(boxes), np.int64), np.array([4.0 * far + max(least, 1e-300)])
        boxes = np.ascontiguousarray(boxes)
        return Grid(boxes, level, cells, np.ones(1, bool), *_fill(boxes, level, cells, 3))
    extent = np.maximum(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1])
    # Columns stay whole numbers that a float64 can tell apart.
    small = float(np.quantile(extent, SMALL)) if len(extent) else 1.0
    base = max(
        least,
        small,
        float(extent.max(initial=0.0)) * 2.0 ** -(MOST_LEVELS - 2),
        far * 2.0**-50,
        1e-300,
    )
    with np.errstate(divide="ignore"):
        level = np.ceil(np.log2(np.maximum(extent, base) / base)).astype(np.int64)
    level = np.minimum(level, MOST_LEVELS - 1)
    cells = np.asarray(base * 2.0 ** np.arange(int(level.max(initial=0)) + 1), np.float64)
    cells[-1] = max(cells[-1], float(extent.max(initial=0.0)))
    mask = 1
    while mask < 2 * len(boxes):
        mask *= 2
    offsets, entries = _fill(boxes, level, cells, mask - 1)
    used = np.bincount(level, minlength=len(cells)) > 0
    return Grid(np.ascontiguousarray(boxes), level, cells, used, offsets, entries)


@njit(cache=True, nogil=True)
def _meet_in(a, b, ix, iy, cell):  # type: ignore[no-untyped-def]
    """Whether two boxes meet and this cell is the one that counts: that of the lower corner of
    their meeting."""
    if a[0] > b[2] or b[0] > a[2] or a[1] > b[3] or b[1] > a[3]:
        return False
    return ix == column(max(a[0], b[0]), cell) and iy == column(max(a[1], b[1]), cell)


# Not cached by itself: a generator out of the cache cannot be compiled into another function. Those
# that
# use it are cached whole.
@njit(nogil=True)
def meeting(grid, first, last, most):  # type: ignore[no-untyped-def]
    """Yield the pairs of boxes that meet, each once; boxes of the slots first to last - 1 lead.

    A box is compared with at most `most` others of one cell.
    """
    mask = len(grid.offsets) - 2
    boxes = grid.boxes
    for s in range(first, last):
        for u in range(grid.offsets[s], grid.offsets[s + 1]):
            i, ix, iy, own = grid.entries[u]
            # Its own level: the entries behind it in the same cell.
            cell = grid.cells[own]
            seen = 0
            for v in range(u + 1, grid.offsets[s + 1]):
                j = grid.entries[v, 0]
                if (
                    grid.entries[v, 1] != ix
                    or grid.entries[v, 2] != iy
                    or grid.entries[v, 3] != own
                ):
                    continue
                seen += 1
                if seen > most:
                    break
                if _meet_in(boxes[i], boxes[j], ix, iy, cell):
                    yield i, j
            # Coarser levels, once per box.
            if ix != column(boxes[i, 0], cell) or iy != column(boxes[i, 1], cell):
                continue
            for level in range(own + 1, len(grid.cells)):
                if not grid.used[level]:
                    continue
                cell = grid.cells[level]
                for jx in range(column(boxes[i, 0], cell), column(boxes[i, 2], cell) + 1):
                    for jy in range(column(boxes[i, 1], cell), column(boxes[i, 3], cell) + 1):
                        t = slot(jx, jy, level, mask)
                        seen = 0
                        for v in range(grid.offsets[t], grid.offsets[t + 1]):
                            j = grid.entries[v, 0]
                            if (
                                grid.entries[v, 1] != jx or grid.entries[v, 2] != jy
                                or grid.entries[v, 3] != level
                            ):  # fmt: skip
                                continue
                            seen += 1
                            if seen > most:
                                break
                            if _meet_in(boxes[i], boxes[j], jx, jy, cell):
                                yield i, j


@njit(cache=True, nogil=True)
def _count_looks(grid, most):  # type: ignore[no-untyped-def]
    """Number of looks that `meeting` takes at pairs of boxes, up to `most` and a few more."""
    mask = len(grid.offsets) - 2
    boxes = grid.boxes
    looks = 0
    for s in range(mask + 1):
        for u in range(grid.offsets[s], grid.offsets[s + 1]):
            i, ix, iy, own = grid.entries[u]
            looks += grid.offsets[s + 1] - u - 1
            cell = grid.cells[own]
            if ix == column(boxes[i, 0], cell) and iy == column(boxes[i, 1], cell):
                for level in range(own + 1, len(grid.cells)):
                    if not grid.used[level]:
                        continue
                    cell = grid.cells[level]
                    for jx in range(column(boxes[i, 0], cell), column(boxes[i, 2], cell) + 1):
                        for jy in range(column(boxes[i, 1], cell), column(boxes[i, 3], cell) + 1):
                            t = slot(jx, jy, level, mask)
                            looks += grid.offsets[t + 1] - grid.offsets[t]
            if looks > most:
                return looks
    return looks


def meetings(grid: Grid, most: int) -> int:
    """About how many pairs of boxes meet, an upper bound; from `most` on it may be any larger
    number."""
    return int(_count_looks(grid, LOOKS * most)) // LOOKS


def slot_shares(grid: Grid, parts: int) -> list[tuple[int, int]]:
    """Ranges of slots with about as many entries each."""
    ends = np.searchsorted(grid.offsets, np.linspace(0, grid.offsets[-1], parts + 1)[1:-1])
    cuts = [0, *(int(end) for end in ends), len(grid.offsets) - 1]
    return list(zip(cuts[:-1], cuts[1:], strict=True))
