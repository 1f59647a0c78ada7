"""A hashed grid over boxes, for the inner loops of overlap and gap."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def slot(ix, iy, mask):  # type: ignore[no-untyped-def]
    """Slot of a grid cell in a table of mask + 1 entries (a power of two)."""
    h = np.uint64(ix) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(iy) * np.uint64(0xC2B2AE3D27D4EB4F)
    h ^= h >> np.uint64(29)
    return np.int64(h & np.uint64(mask))


@njit(cache=True)
def fill_grid(boxes, cell, mask):  # type: ignore[no-untyped-def]
    """Slots of all cells that each box (N, 4) touches.

    Returns offsets (mask + 2,) and rows (box, column, row) of the entries: different cells can share
    a slot, so an entry says which cell it is.
    """
    n = len(boxes)
    counts = np.zeros(mask + 2, np.int64)
    for i in range(n):
        for ix in range(int(np.floor(boxes[i, 0] / cell)), int(np.floor(boxes[i, 2] / cell)) + 1):
            for iy in range(int(np.floor(boxes[i, 1] / cell)), int(np.floor(boxes[i, 3] / cell)) + 1):
                counts[slot(ix, iy, mask) + 1] += 1
    offsets = np.cumsum(counts)
    items = np.empty((offsets[-1], 3), np.int64)
    fill = offsets.copy()
    for i in range(n):
        for ix in range(int(np.floor(boxes[i, 0] / cell)), int(np.floor(boxes[i, 2] / cell)) + 1):
            for iy in range(int(np.floor(boxes[i, 1] / cell)), int(np.floor(boxes[i, 3] / cell)) + 1):
                s = slot(ix, iy, mask)
                items[fill[s], 0] = i
                items[fill[s], 1] = ix
                items[fill[s], 2] = iy
                fill[s] += 1
    return offsets, items


def grid_size(boxes: np.ndarray, least: float) -> tuple[float, int]:
    """Cell size and table mask that keep the number of entries close to the number of boxes."""
    extent = np.maximum(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1])
    cell = max(least, 1.5 * float(extent.mean()), float(extent.max()) / 256, 1e-12)
    mask = 1
    while mask < 2 * len(boxes):
        mask *= 2
    return cell, mask - 1
