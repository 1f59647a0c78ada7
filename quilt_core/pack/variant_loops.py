"""Inner loop that makes the masks of many pieces in all their turns."""

from __future__ import annotations

import numpy as np
from numba import njit

from quilt_core.pack.mask_loops import hit_grid, row_runs, stamp_grid, turned


@njit(cache=True, nogil=True)
def _room_for(array, used, more):  # type: ignore[no-untyped-def]
    """The array, or a copy of twice the length when `more` entries no longer fit."""
    length = len(array)
    if used + more <= length:
        return array
    while length < used + more:
        length *= 2
    bigger = np.empty((length, array.shape[1]), array.dtype)
    bigger[:used] = array[:used]
    return bigger


@njit(cache=True, nogil=True)
def spread(rows):  # type: ignore[no-untyped-def]
    """Rows from far apart to close together, so that a collision is met early."""
    out = np.empty(rows, np.int32)
    seen = np.zeros(rows, np.uint8)
    n = 0
    step = 1
    while step < rows:
        step *= 2
    while step >= 1:
        row = min(step // 2, rows - 1)
        while row < rows:
            if seen[row] == 0:
                seen[row] = 1
                out[n] = row
                n += 1
            row += step
        step //= 2
    for row in range(rows):
        if seen[row] == 0:
            out[n] = row
            n += 1
    return out


@njit(cache=True, nogil=True)
def largest_square(grid):  # type: ignore[no-untyped-def]
    """Side and lowest row of the largest square of marked cells."""
    h, w = grid.shape
    above = np.zeros(w + 1, np.int32)
    best, low = 0, 0
    for y in range(h):
        corner = 0
        for x in range(w):
            kept = above[x + 1]
            above[x + 1] = min(above[x + 1], above[x], corner) + 1 if grid[y, x] else 0
            corner = kept
            if above[x + 1] > best:
                best, low = above[x + 1], y - above[x + 1] + 1
    return best, low


@njit(cache=True, nogil=True)
def make_variants(edges, starts, solid, angles, mirrors, turn_starts, scales, reach):  # type: ignore[no-untyped-def]
    """Masks of pieces at scales (P,) in cells: per variant sizes and corners, per row offsets,
    order and needs, and runs.

    Returns facts (V, 9: angle, corner x, corner y, columns, rows, border, stamp rows, side and
    lowest row of the largest square inside), hit rows (·, 3:
    run offset, order, longest run; one more row than the mask has), hit runs, hit runs per variant,
    stamp rows (·, 1), stamp runs and stamp runs per variant.
    """
    variants = turn_starts[-1]
    facts = np.empty((variants, 9))
    hit_counts = np.empty(variants, np.int32)
    stamp_counts = np.empty(variants, np.int32)
    first_run = np.empty(variants, np.int64)
    hit_rows = np.empty((1024, 3), np.int32)
    hit_runs = np.empty((1024, 2), np.int32)
    stamp_rows = np.empty((1024, 1), np.int32)
    stamp_runs = np.empty((1024, 2), np.int32)
    a = b = c = d = 0
    for piece in range(len(starts) - 1):
        own = edges[starts[piece] : starts[piece + 1]]
        for v in range(turn_starts[piece], turn_starts[piece + 1]):
            local, lx, ly, width, height = turned(own, angles[v], mirrors[v], scales[piece])
            hit = hit_grid(local, width, height, solid[piece])
            ring, border = stamp_grid(local, hit, reach, solid[piece])
            rows, runs = row_runs(hit)
            ring_rows, ring_runs = row_runs(ring)
            side, low = largest_square(hit)
            columns = hit.shape[1]
            for earlier in range(turn_starts[piece], v):
                if facts[earlier, 3] == columns and facts[earlier, 4] == hit.shape[0]:
                    at = first_run[earlier]
                    if hit_counts[earlier] == len(runs) and np.array_equal(
                        hit_runs[at : at + len(runs)], runs
                    ):
                        columns = 0
                        break
            facts[v] = np.array(
                [angles[v], lx, ly, columns, hit.shape[0], border, len(ring_rows) - 1, side, low],
                np.float64,
            )
            first_run[v] = b
            hit_counts[v], stamp_counts[v] = len(runs), len(ring_runs)
            hit_rows = _room_for(hit_rows, a, len(rows))
            hit_runs = _room_for(hit_runs, b, len(runs))
            stamp_rows = _room_for(stamp_rows, c, len(ring_rows))
            stamp_runs = _room_for(stamp_runs, d, len(ring_runs))
            order = spread(len(rows) - 1)
            for k in range(len(rows)):
                hit_rows[a + k, 0] = rows[k]
                hit_rows[a + k, 1] = order[k] if k < len(order) else 0
                longest = 0
                if k < len(order):
                    for r in range(rows[k], rows[k + 1]):
                        longest = max(longest, runs[r, 1] - runs[r, 0])
                hit_rows[a + k, 2] = longest
            hit_runs[b : b + len(runs)] = runs
            for k in range(len(ring_rows)):
                stamp_rows[c + k, 0] = ring_rows[k]
            stamp_runs[d : d + len(ring_runs)] = ring_runs
            a += len(rows)
            b += len(runs)
            c += len(ring_rows)
            d += len(ring_runs)
    return (
        facts,
        hit_rows[:a],
        hit_runs[:b],
        hit_counts,
        stamp_rows[:c],
        stamp_runs[:d],
        stamp_counts,
    )
