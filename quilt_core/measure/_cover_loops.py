"""Inner loops of the area that triangles cover together."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def crossings(triangles, low, step, lines):  # type: ignore[no-untyped-def]
    """Where triangles (N, 3, 2) meet lines at low + (k + 1/2) step: line number, start and end, one
    row each."""
    total = 0
    for n in range(len(triangles)):
        ys = triangles[n, :, 1]
        first = max(0, int(np.ceil((ys.min() - low) / step - 0.5)))
        last = min(lines - 1, int(np.floor((ys.max() - low) / step - 0.5)))
        total += max(0, last - first + 1)
    line = np.empty(total, np.int64)
    start = np.empty(total)
    end = np.empty(total)
    m = 0
    for n in range(len(triangles)):
        t = triangles[n]
        first = max(0, int(np.ceil((t[:, 1].min() - low) / step - 0.5)))
        last = min(lines - 1, int(np.floor((t[:, 1].max() - low) / step - 0.5)))
        for k in range(first, last + 1):
            y = low + (k + 0.5) * step
            left, right = np.inf, -np.inf
            for a in range(3):
                b = a + 1 if a < 2 else 0
                ay, by = t[a, 1], t[b, 1]
                if (ay <= y) != (by <= y):
                    x = t[a, 0] + (y - ay) / (by - ay) * (t[b, 0] - t[a, 0])
                    left, right = min(left, x), max(right, x)
            if right > left:
                line[m], start[m], end[m] = k, left, right
                m += 1
    return line[:m], start[:m], end[:m]


@njit(cache=True, nogil=True)
def length_of_runs(line, start, end):  # type: ignore[no-untyped-def]
    """Total length of the union of runs, sorted by line and start."""
    total = 0.0
    current, reached = -1, 0.0
    for n in range(len(line)):
        if line[n] != current:
            current, reached = line[n], start[n]
        begin = max(start[n], reached)
        if end[n] > begin:
            total += end[n] - begin
            reached = end[n]
    return total
