"""Inner loop that finds the outline edges of different pieces that lie near one another."""

from __future__ import annotations

import numpy as np
from numba import njit

from quilt_core.measure.gap_loops import distance2
from quilt_core.measure.grid import EVERYONE, meeting


@njit(cache=True, nogil=True)
def near_segments(segments, owner, still, grid, reach):  # type: ignore[no-untyped-def]
    """Pairs of segments (N, 4) of different owners nearer than `reach`, and their nearest points
    (n, 4).

    Owners from `still` on do not move, so pairs among them are left out.
    """
    capacity = 4096
    pairs = np.empty((capacity, 2), np.int64)
    spots = np.empty((capacity, 4))
    found = np.zeros(4)
    n = 0
    for i, j in meeting(grid, 0, len(grid.offsets) - 1, EVERYONE):
        if owner[i] == owner[j] or (owner[i] >= still and owner[j] >= still):
            continue
        if distance2(segments[i], segments[j], reach * reach, found) >= reach * reach:
            continue
        if n == capacity:
            capacity *= 2
            more = np.empty((capacity, 2), np.int64)
            more[:n] = pairs
            pairs = more
            wider = np.empty((capacity, 4))
            wider[:n] = spots
            spots = wider
        pairs[n, 0], pairs[n, 1] = i, j
        spots[n] = found
        n += 1
    return pairs[:n], spots[:n]
