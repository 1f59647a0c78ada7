"""What tests of visibility are made of, for others too."""

from __future__ import annotations

import numpy as np

FACES = np.array([
    [(0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)], [(0, 1, 0), (0, 1, 1), (1, 1, 1), (1, 1, 0)],
    [(0, 0, 0), (0, 1, 0), (1, 1, 0), (1, 0, 0)], [(0, 0, 1), (1, 0, 1), (1, 1, 1), (0, 1, 1)],
    [(0, 0, 0), (0, 0, 1), (0, 1, 1), (0, 1, 0)], [(1, 0, 0), (1, 1, 0), (1, 1, 1), (1, 0, 1)],
], float)  # fmt: skip
"""A unit box, y up: bottom, top, and four walls, turned outward."""


def box(size: float = 1.0, shift=(0, 0, 0), inward: bool = False):
    """(12, 3, 3) triangles of a box and the wall that each belongs to."""
    quads = (FACES - 0.5) * size + shift
    triangles = np.stack([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]], axis=1).reshape(-1, 3, 3)
    return triangles[:, ::-1] if inward else triangles, np.repeat(np.arange(6), 2)
