"""Inner loops that place pieces on a grid of cells, bottom-left first, holes and bays used.

The grid knows for every cell the next and the previous occupied cell in its row. A run of a piece
is then tested in one look, and a collision tells how far to jump.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from quilt_core.pack.mask_loops import fill_inside, mark_edges

BLOCK = 64
"""Columns whose longest free run is remembered together."""


class Raster(NamedTuple):
    """The grid while pieces are placed on it.

    Parameters
    ----------
    after, before : (H, W + 1) int16
        The next and the previous occupied column of every cell.
    gaps : (H, blocks) int16
        The longest free run that begins in each block of columns.
    room : (H,) int32
        The longest free run of every row.
    open_rows : (levels, H) uint8
        Where a free square of 2^level cells may have its lowest row.
    """

    after: NDArray[np.int16]
    before: NDArray[np.int16]
    gaps: NDArray[np.int16]
    room: NDArray[np.int32]
    open_rows: NDArray[np.uint8]


def empty_raster(rows: int, columns: int, levels: int) -> Raster:
    """Room for a grid; `load` fills it."""
    shape = (rows, columns + 1)
    return Raster(
        np.empty(shape, np.int16),
        np.empty(shape, np.int16),
        np.empty((rows, columns // BLOCK + 1), np.int16),
        np.empty(rows, np.int32),
        np.empty((levels, rows), np.uint8),
    )


@njit(cache=True, nogil=True)
def load(occupied, raster):  # type: ignore[no-untyped-def]
    """Bring the grid to the state that `occupied` (H, W) says, 1 for cells that are taken."""
    h, w = occupied.shape
    after, before = raster.after, raster.before
    for v in range(h):
        last = -1
        for u in range(w):
            if occupied[v, u]:
                last = u
            before[v, u] = last
        before[v, w] = last
        following = w
        after[v, w] = w
        for u in range(w - 1, -1, -1):
            if occupied[v, u]:
                following = u
            after[v, u] = following
        for block in range(raster.gaps.shape[1]):
            raster.gaps[v, block] = longest_free(after, v, block)
        raster.room[v] = raster.gaps[v].max()
    raster.open_rows[:, :] = 1


@njit(cache=True, nogil=True)
def longest_free(after, row, block):  # type: ignore[no-untyped-def]
    """Length of the longest run of free cells that begins in a block of a row."""
    w = after.shape[1] - 1
    best, u = 0, block * BLOCK
    end = min(w, u + BLOCK)
    if u > 0 and u < w and after[row, u - 1] > u - 1:
        u = after[row, u]  # this run began earlier
    while u < end:
        stop = after[row, u]
        best = max(best, stop - u)
        u = stop + 1
    return best


@njit(cache=True, nogil=True)
def stamp(raster, x, y, offsets, runs, border, low, high):  # type: ignore[no-untyped-def]
    """Occupy the stamp cells of a piece whose hit mask lies at (x, y), in rows low to high - 1."""
    after, before, gaps = raster.after, raster.before, raster.gaps
    w = after.shape[1] - 1
    for row in range(len(offsets) - 1):
        v = y + row - border
        if v < low or v >= high or offsets[row] == offsets[row + 1]:
            continue
        for k in range(offsets[row], offsets[row + 1]):
            a = max(0, x + runs[k, 0] - border)
            b = min(w, x + runs[k, 1] - border)
            if a >= b:
                continue
            for u in range(a, b):
                after[v, u] = u
                before[v, u] = u
            u = a - 1
            while u >= 0 and after[v, u] > a:
                after[v, u] = a
                u -= 1
            cut = (u + 1) // BLOCK
            u = b
            while u < w and before[v, u] < b - 1:
                before[v, u] = b - 1
                u += 1
            # The run that was cut short, and those that begin among or behind the cells that are
            # taken now.
            gaps[v, cut] = longest_free(after, v, cut)
            for block in range(max(cut + 1, a // BLOCK), b // BLOCK + 1):
                gaps[v, block] = longest_free(after, v, block)
        raster.room[v] = gaps[v].max()


@njit(cache=True, nogil=True)
def next_run(raster, row, u, length):  # type: ignore[no-untyped-def]
    """First column from `u` on at which `length` free cells begin; the row's end when there is
    none."""
    before, gaps = raster.before, raster.gaps
    w = before.shape[1] - 1
    while u + length <= w:
        last = before[row, u + length - 1]
        if last < u:
            return u
        u = last + 1
        block = u // BLOCK
        if gaps[row, block] < length:
            block += 1
            while block < gaps.shape[1] and gaps[row, block] < length:
                block += 1
            u = block * BLOCK
    return w


@njit(cache=True, nogil=True)
def square_fits(after, before, y, side):  # type: ignore[no-untyped-def]
    """Whether a free square of `side` cells has its lowest row at `y`."""
    h, w1 = after.shape
    if y + side > h:
        return False
    x = 0
    while x + side <= w1 - 1:
        jump = -1
        for v in range(y, y + side):
            if after[v, x] < x + side:
                jump = before[v, x + side - 1] + 1
                break
        if jump < 0:
            return True
        x = jump
    return False


@njit(cache=True, nogil=True)
def lowest_place(  # type: ignore[no-untyped-def]
    raster,
    width,
    height,
    offsets,
    runs,
    order,
    needs,
    square,
    x_first,
    x_end,
    y_first,
    y_end,
    y_stop,
):
    """First free place in reading order from the bottom, or (-1, -1).

    The piece lies within columns x_first to x_end - 1 and rows y_first to y_end - 1, and starts
    below `y_stop`; `order` is the order in which the piece's rows are tested, and
    `needs` the longest run of each row: where a row has less room, the piece cannot lie. `square`
    is the side and lowest row of the largest square inside the piece. A row that is found without
    room for it stays closed, as cells are only ever taken.
    """
    after, before, room, open_rows = raster.after, raster.before, raster.room, raster.open_rows
    top = min(y_end - height, y_stop - 1)
    looks = min(height, 4)
    level = 0
    while level + 1 < len(open_rows) and 1 << (level + 1) <= square[0]:
        level += 1
    up = square[1]
    # The longest run of all is looked for first: it leads from one free run to the next.
    lead = int(np.argmax(needs))
    ahead = 0
    for r in range(offsets[lead], offsets[lead + 1]):
        if runs[r, 1] - runs[r, 0] == needs[lead]:
            ahead = runs[r, 0]
            break
    y = y_first
    while y <= top:
        if open_rows[level, y + up] == 0:
            y += 1
            continue
        fits = room[y + lead] >= needs[lead]
        for k in range(looks):
            if room[y + order[k]] < needs[order[k]]:
                fits = False
                break
        x = x_first
        while fits:
            x = next_run(raster, y + lead, x + ahead, needs[lead]) - ahead
            if x > x_end - width:
                break
            jump = 0
            for k in range(height):
                row = order[k]
                v = y + row
                for r in range(offsets[row], offsets[row + 1]):
                    if after[v, x + runs[r, 0]] < x + runs[r, 1]:
                        # Everything up to the last occupied cell under this run is in the way.
                        jump = before[v, x + runs[r, 1] - 1] + 1 - runs[r, 0]
                        break
                if jump > 0:
                    break
            if jump == 0:
                return x, y
            x = jump
        if level > 0 and not square_fits(after, before, y + up, 1 << level):
            for higher in range(level, len(open_rows)):
                open_rows[higher, y + up] = 0
        y += 1
    return -1, -1


@njit(cache=True, nogil=True)
def block(occupied, edges, starts, tiles, bands, scale, margin, reach):  # type: ignore[no-untyped-def]
    """Take the cells nearer than `reach` to outlines that lie at fixed places.

    `edges` are in px from the corner of their tile; `scale` is cells per px and `margin` in cells.
    """
    border = int(np.ceil(reach)) + 2
    for n in range(len(starts) - 1):
        own = edges[starts[n] : starts[n + 1]] * scale - margin
        low_x, low_y, high_x, high_y = 1e300, 1e300, -1e300, -1e300
        for e in range(len(own)):
            low_x = min(low_x, own[e, 0], own[e, 2])
            high_x = max(high_x, own[e, 0], own[e, 2])
            low_y = min(low_y, own[e, 1], own[e, 3])
            high_y = max(high_y, own[e, 1], own[e, 3])
        first, end, columns = bands[tiles[n], 0], bands[tiles[n], 1], bands[tiles[n], 2]
        left = max(-border, int(np.floor(low_x)) - border)
        right = min(columns + border, int(np.ceil(high_x)) + border)
        bottom = max(-border, int(np.floor(low_y)) - border)
        top = min(end - first + border, int(np.ceil(high_y)) + border)
        if right <= left or top <= bottom:
            continue
        grid = np.zeros((top - bottom, right - left), np.uint8)
        mark_edges(own, reach, grid, float(-left), float(-bottom))
        fill_inside(own, grid, float(-left), float(-bottom))
        for v in range(grid.shape[0]):
            row = first + bottom + v
            if row < first or row >= end:
                continue
            for u in range(grid.shape[1]):
                if grid[v, u] and 0 <= left + u < columns:
                    occupied[row, left + u] = 1
