"""Area that is covered, where what is covered more than once counts once."""

from __future__ import annotations

import numpy as np

from quilt_core.measure._cover_loops import crossings, length_of_runs
from quilt_core.scene.island_set import IslandSet, sums
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups

LINES_PER_PX = 4
LEAST_LINES = 256
MOST_CROSSINGS = 3_000_000


Unions = dict[tuple[int, bytes], float]
"""Areas that piles cover, by the position of their tile and their islands."""


def covered(
    placed: IslandSet,
    use: BoolArray,
    tile: IntArray,
    sizes: FloatArray,
    overlaps: IntArray,
    complete: bool = True,
    known: Unions | None = None,
    rows: tuple[IntArray, IntArray] | None = None,
) -> tuple[FloatArray, Unions]:
    """Area that islands cover in each tile, in texels.

    The areas of islands that overlap nothing are added up; the union of those that do is measured
    along lines a quarter of a texel apart, exactly along each line.

    Parameters
    ----------
    placed : IslandSet
        Already placed: its coordinates are tile UVs.
    use : (I,) bool
        Islands that count.
    tile : (I,) int64
        Position of the tile of each island.
    sizes : (T, 2) float64
        px of the tiles.
    overlaps : (P, 2) int64
        Pairs of islands that overlap; an island that overlaps itself is a pair as well.
    complete : bool
        Whether these are all pairs; if not, all islands count as one heap.
    known : dict, optional
        Of piles that lie as they did.
    rows : two arrays, optional
        `IslandSet.triangle_rows`, when they are known.

    Returns
    -------
    (T,) float64, dict
        And the area of each pile.
    """
    out = np.zeros(len(sizes))
    piled = np.zeros(placed.count, bool)
    if not complete and use.any():
        chain = np.flatnonzero(use)
        overlaps = np.stack([np.full(len(chain), chain[0]), chain], axis=1)
    pairs = overlaps[use[overlaps].all(axis=1)] if len(overlaps) else overlaps
    piled[pairs] = True
    plain = use & ~piled
    area = placed.uv_area * sizes.prod(axis=1)[np.maximum(tile, 0)]
    out += sums(tile[plain], area[plain], len(sizes))
    found: Unions = {}
    if piled.any():
        pile, which = groups(pairs, placed.count), np.flatnonzero(piled)
        which = which[np.lexsort((tile[which], pile[which]))]
        order, start = placed.triangle_rows if rows is None else rows
        cuts = np.flatnonzero(np.diff(pile[which] * len(sizes) + tile[which])) + 1
        for members in np.split(which, cuts):
            at = int(tile[members[0]])
            key = (at, members.tobytes())
            if known is None or key not in known:
                own = np.sort(np.concatenate([order[start[m] : start[m + 1]] for m in members]))
                found[key] = union_area(placed.triangles[own] * sizes[at])
            else:
                found[key] = known[key]
            out[at] += found[key]
    return out, found


def union_area(triangles: FloatArray) -> float:
    """Area of the union of triangles (N, 3, 2), measured along lines, see `covered`.

    Examples
    --------
    >>> square = np.array([[[0.0, 0], [8, 0], [8, 8]], [[0, 0], [8, 8], [0, 8]]])
    >>> round(union_area(np.concatenate([square, square])), 9)
    64.0
    """
    low, high = float(triangles[:, :, 1].min()), float(triangles[:, :, 1].max())
    if not high > low:
        return 0.0
    lines = max(int(np.ceil((high - low) * LINES_PER_PX)), LEAST_LINES)
    heights = float(np.ptp(triangles[:, :, 1], axis=1).sum()) / (high - low)
    lines = max(1, min(lines, int(MOST_CROSSINGS / max(heights, 1.0))))
    step = (high - low) / lines
    line, start, end = crossings(np.ascontiguousarray(triangles), low, step, lines)
    left, width = float(start.min(initial=np.inf)), float(end.max(initial=-np.inf))
    order = np.argsort(line + 0.999 * (start - left) / max(width - left, 1e-300))
    return float(length_of_runs(line[order], start[order], end[order]) * step)
