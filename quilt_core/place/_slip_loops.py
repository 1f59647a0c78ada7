"""Inner loop that looks at all places of an island among taken cells."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def best_place(taken, hit, ring, rows, columns, size, near):  # type: ignore[no-untyped-def]
    """Score, column and row of the best free place of a mask; a row below 0 when there is none.

    Parameters
    ----------
    taken : (H, W + 1) int32
        Taken cells of each row up to a column; the border is as wide on each side as the ring is
        wider than the mask.
    hit, ring : (R, 3) int32
        Row, first and past-last column of runs: of the mask, the rows that tell most first, and of
        its surroundings, from their own corner.
    rows, columns : int
        Places to look at.
    size : (3,) float64
        Width and height of the mask, and cells of the ring.
    near : (2,) float64
        Cells that the middle of the mask shall lie near to; NaN for where it is most snug.
    """
    best, at_x, at_y = -1e300, -1, -1
    by_distance = not np.isnan(near[0])
    border = (taken.shape[0] - rows - int(size[1]) + 1) // 2
    for y in range(rows):
        for x in range(columns):
            score = 0.0
            if by_distance:
                score = -np.hypot(x + 0.5 * size[0] - near[0], y + 0.5 * size[1] - near[1])
                if score <= best:
                    continue
            free = True
            for k in range(len(hit)):
                row = taken[y + border + hit[k, 0]]
                if row[x + border + hit[k, 2]] != row[x + border + hit[k, 1]]:
                    free = False
                    break
            if not free:
                continue
            if not by_distance:
                around = 0
                for k in range(len(ring)):
                    row = taken[y + ring[k, 0]]
                    around += row[x + ring[k, 2]] - row[x + ring[k, 1]]
                score = around / size[2]
            if score > best + 1e-12:
                best, at_x, at_y = score, x, y
    return best, at_x, at_y
