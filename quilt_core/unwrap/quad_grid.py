"""Grids of quads laid straight: a bent pipe becomes a strip, a curved panel a rectangle."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._island_loops import figures
from quilt_core.unwrap.pieces import Pieces

LEAST = 4
"""Quads of a grid."""


def straight_grid(
    pieces: Pieces,
    tris: IntArray,
    faces: IntArray,
    joined: BoolArray,
    stretch: float,
    taper: float = 1.0,
) -> FloatArray | None:
    """(K, 3, 2) a region that is a full grid of quads, as a rectangle with straight rows and columns, each as wide as its edges
    are in the mean; None where it is no grid or its L2 stretch would be above `stretch`.

    Parameters
    ----------
    pieces : Pieces
    tris : (K,) int64
    faces : (K, 3) int64
        Vertices of the region, apart on both sides of a cut.
    joined : (K, 3) bool
        Sides that are no border.
    stretch : float
    taper : float
        By what part of the longest row (or column) the shortest one may be shorter.
    """
    pair = diagonals(pieces, tris, joined)
    if pair is None:
        return None
    place = _places(pieces, tris, faces, joined, pair)
    if place is None:
        return None
    low = place.min(axis=0)
    place = place - low
    wide, high = (int(v) for v in place.max(axis=0))
    if 2 * wide * high != len(tris) or len(place) != (wide + 1) * (high + 1):
        return None
    if len(np.unique(place[:, 0] * (high + 1) + place[:, 1])) != len(place):
        return None
    size = np.linalg.norm(np.roll(pieces.points[tris], -1, axis=1) - pieces.points[tris], axis=2)
    one, two = place[faces], place[np.roll(faces, -1, axis=1)]
    lines = []
    for axis, many in ((0, wide), (1, high)):
        along = one[..., 1 - axis] == two[..., 1 - axis]
        step = np.minimum(one[..., axis], two[..., axis])[along]
        held = np.bincount(step, minlength=many)
        if (held == 0).any():
            return None
        # Edges inside are met from both sides.
        line = one[..., 1 - axis][along]
        each = np.bincount(line, size[along]) / np.bincount(line)
        if each.min() < (1 - taper) * each.max():
            return None
        lines.append(np.r_[0.0, np.cumsum(np.bincount(step, size[along], many) / held)])
    x = np.stack([lines[0][place[:, 0]], lines[1][place[:, 1]]], axis=1)
    flat = x[faces]
    if figures(pieces.rest[tris], flat)[2]:
        x[:, 1] *= -1
        flat = x[faces]
    _, squared, flipped, _ = figures(pieces.rest[tris], flat)
    return None if flipped or squared > stretch * stretch else np.asarray(flat)


def diagonals(pieces: Pieces, tris: IntArray, joined: BoolArray) -> IntArray | None:
    """(K,) the side of each triangle that is the diagonal of its quad: inside a polygon of four corners, or the longest of both triangles;
    None where a triangle has none, or there are too few for a grid.

    Parameters
    ----------
    pieces : Pieces
    tris : (K,) int64
    joined : (K, 3) bool
    """
    if len(tris) < 2 * LEAST:
        return None
    half = 3 * tris[:, None] + np.arange(3)
    own = pieces.inner[half] & joined
    length = np.where(joined, pieces.length[half], -1.0)
    side = np.where(own.any(axis=1), own.argmax(axis=1), length.argmax(axis=1))
    if (own.sum(axis=1) > 1).any() or not joined[np.arange(len(tris)), side].all():
        return None
    row = np.full(pieces.count, -1, np.int64)
    row[tris] = np.arange(len(tris))
    chosen = 3 * tris + side
    far = pieces.across[chosen]
    other = row[far // 3]
    return side if (other >= 0).all() and (far % 3 == side[other]).all() else None


def _places(
    pieces: Pieces, tris: IntArray, faces: IntArray, joined: BoolArray, side: IntArray
) -> IntArray | None:
    """(N, 2) whole numbers of each vertex in the grid; None where two ways to it do not agree."""
    row = np.full(pieces.count, -1, np.int64)
    row[tris] = np.arange(len(tris))
    across = row[pieces.across[3 * tris[:, None] + np.arange(3)] // 3]
    slot = pieces.across[3 * tris[:, None] + np.arange(3)] % 3
    place = np.full((int(faces.max()) + 1, 2), np.iinfo(np.int64).min)
    unknown = place[0, 0]

    def quad(t: int) -> list[int]:
        """Corners of a quad in order, from the corner of triangle t after its diagonal."""
        s, o = int(side[t]), int(across[t, side[t]])
        return [int(faces[t, (s + 1) % 3]), int(faces[t, (s + 2) % 3]),
                int(faces[t, s]), int(faces[o, (int(side[o]) + 2) % 3])]  # fmt: skip

    first = quad(0)
    place[first] = [(0, 0), (1, 0), (1, 1), (0, 1)]
    seen = np.zeros(len(tris), bool)
    seen[[0, across[0, side[0]]]] = True
    todo = [0, int(across[0, side[0]])]
    while todo:
        t = todo.pop()
        for s in range(3):
            if s == side[t] or not joined[t, s]:
                continue
            o, r = int(across[t, s]), int(slot[t, s])
            if seen[o]:
                continue
            partner = int(across[o, side[o]])
            seen[[o, partner]] = True
            todo += [o, partner]
            corners = quad(o)
            # The edge from a to b of this quad is that from b to a of the next one.
            a, b = int(faces[o, r]), int(faces[o, (r + 1) % 3])
            k = corners.index(a)
            if corners[(k + 1) % 4] != b:
                return None
            step = place[b] - place[a]
            inward = np.array([-step[1], step[0]])
            wanted = {
                corners[(k + 2) % 4]: place[b] + inward,
                corners[(k + 3) % 4]: place[a] + inward,
            }
            for v, at in wanted.items():
                if place[v, 0] == unknown:
                    place[v] = at
                elif (place[v] != at).any():
                    return None
    return place if (place[:, 0] != unknown).all() else None
