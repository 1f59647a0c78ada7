"""Inner loop that finds the cells deep inside a mask."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray


class Deep(NamedTuple):
    """Runs of cells at least so deep inside the stamp masks, for several depths.

    Parameters
    ----------
    offsets : (L, rows of all masks) int32
    first : (L, V) int32
        First run of every mask.
    runs : (R, 2) int32
    weights : (L,) int32
        What a cell at least so deep weighs more.
    """

    offsets: NDArray[np.int32]
    first: NDArray[np.int32]
    runs: NDArray[np.int32]
    weights: NDArray[np.int32]


@njit(cache=True, nogil=True)
def depths(offsets, runs, rows, columns):  # type: ignore[no-untyped-def]
    """(rows, columns) steps across or along to the nearest free cell, 0 for free ones."""
    out = np.zeros((rows, columns), np.int32)
    for y in range(rows):
        for k in range(offsets[y], offsets[y + 1]):
            out[y, runs[k, 0] : runs[k, 1]] = 1 << 20
    for y in range(rows):
        for x in range(columns):
            if out[y, x]:
                up = out[y - 1, x] if y > 0 else 0
                left = out[y, x - 1] if x > 0 else 0
                out[y, x] = min(up, left) + 1
    for y in range(rows - 1, -1, -1):
        for x in range(columns - 1, -1, -1):
            if out[y, x]:
                down = out[y + 1, x] if y + 1 < rows else 0
                right = out[y, x + 1] if x + 1 < columns else 0
                out[y, x] = min(out[y, x], down + 1, right + 1)
    return out


@njit(cache=True, nogil=True)
def deep_runs(stamp_at, stamp_offsets, stamp_run_at, stamp_runs, thresholds):  # type: ignore[no-untyped-def]
    """Runs of cells at least so deep: for each threshold all masks, in the layout of the masks
    given.

    Returns run offsets per row (L, rows of all masks), first run of every mask (L, V) and runs.
    """
    variants = len(stamp_at) - 1
    levels = len(thresholds)
    row_offsets = np.zeros((levels, len(stamp_offsets)), np.int32)
    first = np.zeros((levels, variants), np.int32)
    out = np.empty((1024, 2), np.int32)
    used = 0
    for v in range(variants):
        rows = stamp_at[v + 1] - stamp_at[v] - 1
        offsets = stamp_offsets[stamp_at[v] : stamp_at[v] + rows + 1]
        runs = stamp_runs[stamp_run_at[v] : stamp_run_at[v + 1]]
        columns = 0
        for k in range(len(runs)):
            columns = max(columns, runs[k, 1])
        depth = depths(offsets, runs, rows, columns)
        for level in range(levels):
            first[level, v] = used
            n = 0
            for y in range(rows):
                row_offsets[level, stamp_at[v] + y] = n
                start = -1
                for x in range(columns + 1):
                    inside = x < columns and depth[y, x] >= thresholds[level]
                    if inside and start < 0:
                        start = x
                    elif not inside and start >= 0:
                        if used + n == len(out):
                            bigger = np.empty((2 * len(out), 2), np.int32)
                            bigger[: len(out)] = out
                            out = bigger
                        out[used + n, 0], out[used + n, 1] = start, x
                        n += 1
                        start = -1
            row_offsets[level, stamp_at[v] + rows] = n
            used += n
    return row_offsets, first, out[:used]
