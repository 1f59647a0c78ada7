"""Distances between islands, in pixels, on their exact outlines.

Nothing here is shared with the packer: this is the judge of what it does.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from quilt_core.measure.gap_loops import close_islands, close_segments, count_meeting
from quilt_core.measure.grid import EVERYONE, Grid, make_grid, meetings, slot_shares
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import weld_ids

LANES = 2
SMALL_SET = 4000
"""Fewer edges are compared in one thread."""
FEW_PAIRS, PAIRS_EACH = 625_000, 12
"""With more pairs of edges whose boxes meet, or more an edge, equal edges of a group speak for one
another."""
MOST_PAIRS, MOST_EACH = 2_500_000, 40
"""With more than these, each edge is compared with a few others only."""
FEW_OTHERS = 24
FEW_EDGES = 64
"""Islands with so many edges or fewer are compared island by island, others edge by edge."""
PATIENCE = 20
"""So many times more looks at pairs are taken before it is given up to compare them all."""


@dataclass(frozen=True)
class Gap:
    """Distance of the two nearest islands.

    Parameters
    ----------
    pixels : float
        0 where outlines cross; infinite with fewer than two islands.
    islands : (int, int)
    spots : ((float, float), (float, float))
        The two nearest points in px of the tile.
    """

    pixels: float
    islands: tuple[int, int]
    spots: tuple[tuple[float, float], tuple[float, float]]


class Again(NamedTuple):
    """A layout of which a part is compared.

    Parameters
    ----------
    islands : IslandSet
        All islands, in px, with the outlines of those that lead and whatever lies within the reach
        of them.
    box : (I, 4) float64
        Boxes of all islands.
    use : (I,) bool
        Islands that are compared at all.
    group : (I,) int64
    """

    islands: IslandSet
    box: FloatArray
    use: BoolArray
    group: IntArray


class _Edges(NamedTuple):
    """Edges (N, 4) in px, their islands and kinds, and of the islands the groups, whether they
    have few edges, and the boxes where they are known."""

    segments: FloatArray
    owner: IntArray
    kinds: IntArray
    group: IntArray
    few: BoolArray
    box: FloatArray | None


NO_GAP = Gap(float("inf"), (-1, -1), ((0.0, 0.0), (0.0, 0.0)))


@dataclass(frozen=True, eq=False)
class ClosePairs:
    """Pairs of islands nearer than some reach, nearest first.

    Parameters
    ----------
    pairs : (P, 2) int64
        Island numbers, the lower first.
    pixels : (P,) float64
    spots : (P, 2, 2) float64
        Nearest point on the one and on the other, in px.
    complete : bool
        False where so many edges lie on one spot that not all were compared.
    count : int
        Edges that were compared.
    meets : int
        Pairs of them whose boxes meet when they are widened by the reach; -1 when not each pair was
        compared by itself, so that a part cannot be measured again alone.
    """

    pairs: IntArray
    pixels: FloatArray
    spots: FloatArray
    complete: bool
    count: int = 0
    meets: int = 0


def smallest_gap(
    islands: IslandSet,
    width: int,
    height: int,
    expected: float = 16.0,
    group: IntArray | None = None,
) -> Gap:
    """Find the smallest gap between the outlines of any two placed islands.

    An island that lies wholly inside the area of another is found by `find_overlaps`, not here.

    Parameters
    ----------
    islands : IslandSet
        Already placed: its coordinates are tile UVs.
    width, height : int
        Resolution of the tile in px.
    expected : float
        Guess in px; the search starts with twice this reach and doubles it.
    group : (I,) int64, optional
        Islands with the same number are not compared with each other; -1 for none.
    """
    reach = max(2.0 * expected, 1.0)
    if (
        group is not None
        and len(np.unique(np.where(group < 0, -1 - np.arange(len(group)), group))) < 2
    ):
        return NO_GAP
    span = span_of(islands, width, height)
    while True:
        found = close_pairs(islands, width, height, reach, group=group)
        if len(found.pairs):
            return nearest(found)
        if reach > 4 * span + 1:
            return NO_GAP
        reach *= 2


def span_of(islands: IslandSet, width: int, height: int) -> float:
    """Longer side in px of the box round all outlines, 0 without any."""
    ends = _segments(islands, width, height)[0].reshape(-1, 2)
    return float(np.ptp(ends, axis=0).max()) if len(ends) else 0.0


def nearest(found: ClosePairs) -> Gap:
    """The first of some pairs."""
    (a, b), ((x, y), (u, v)) = found.pairs[0], found.spots[0]
    spots = ((float(x), float(y)), (float(u), float(v)))
    return Gap(float(found.pixels[0]), (int(a), int(b)), spots)


def close_pairs(
    islands: IslandSet, width: int, height: int, reach: float, kind: IntArray | None = None,
    group: IntArray | None = None, box: FloatArray | None = None,
) -> ClosePairs:  # fmt: skip
    """Find every pair of islands whose outlines are nearer than a reach.

    Parameters
    ----------
    islands : IslandSet
        Already placed: its coordinates are tile UVs.
    width, height : int
        Resolution of the tile in px.
    reach : float
        In px; pairs at just this distance do not count.
    kind : (E,) int64, optional
        Edges of the same kind do not count; -1 counts with all.
    group : (I,) int64, optional
        Islands with the same number are not compared with each other; -1 for none.
    box : (I, 4) float64, optional
        Boxes of the islands in px, where they are known.
    """
    segments, edge = _segments(islands, width, height)
    if len(edge) < 2 or reach <= 0:
        return _ranked([], islands.count, True, len(edge), 0)
    owner = islands.edge_island[edge]
    kinds = np.full(len(edge), -1) if kind is None else kind[edge]
    groups = np.full(islands.count, -1) if group is None else group
    few = few_edged(np.bincount(islands.edge_island, minlength=islands.count))
    edges = _Edges(segments, owner, kinds, groups, few, box)
    lead, limit = np.ones(islands.count, bool), _limit(len(edge), group)
    patience = PATIENCE * max(MOST_PAIRS, MOST_EACH * len(edge))
    found = _compare(edges, lead, reach, limit, patience=patience)
    if found is not None:
        return _ranked(found, islands.count, True, len(edge), _meets(found))
    if (groups >= 0).any():
        # Of equal edges of one group one speaks for all.
        kept = np.unique(weld_ids(*segments.T, groups[owner], kinds), return_index=True)[1]
        kept = np.sort(
            np.concatenate([kept[groups[owner[kept]] >= 0], np.flatnonzero(groups[owner] < 0)])
        )
        few = few | few_edged(np.bincount(owner[kept], minlength=islands.count))
        edges = _Edges(
            np.ascontiguousarray(segments[kept]), owner[kept], kinds[kept], groups, few, None
        )
        found = _compare(edges, lead, reach, max(MOST_PAIRS, MOST_EACH * len(kept)))
        if found is not None:
            return _ranked(found, islands.count, True, len(edge), -1)
    found = _compare(edges, lead, reach, EVERYONE, FEW_OTHERS)
    return _ranked(found or [], islands.count, False, len(edge), -1)


def few_edged(edges: IntArray) -> BoolArray:
    """Whether islands with so many edges are compared island by island."""
    return np.asarray((edges > 0) & (edges <= FEW_EDGES))


def _limit(count: int, group: IntArray | None) -> int:
    """Pairs of edges whose boxes meet that are all compared, each by itself."""
    if group is not None and (group >= 0).any():
        return max(FEW_PAIRS, PAIRS_EACH * count)
    return max(MOST_PAIRS, MOST_EACH * count)


def close_again(
    before: ClosePairs, new: Again, old: Again, reach: float, lead: BoolArray, count: int,
    few: BoolArray,
) -> ClosePairs | None:  # fmt: skip
    """The same as `close_pairs` of all islands, in px, after some of them changed.

    Parameters
    ----------
    before : ClosePairs
        Found at the same reach before.
    new, old : Again
        After and before.
    reach : float
    lead : (I,) bool
        Islands that moved, or whose group is another one.
    count : int
        Edges of the whole set now.
    few : (I,) bool
        Islands of few edges; see `few_edged`.

    Returns
    -------
    ClosePairs or None
        None when they have to be found from nothing.
    """
    if before.meets < 0:
        return None
    met = []
    found: list[tuple[Any, ...]] = []
    for now, total in ((old, before.count), (new, count)):
        segments, edge = _segments(now.islands, 1, 1)
        owner, limit = now.islands.edge_island[edge], _limit(total, now.group)
        kinds = np.full(len(edge), -1)
        edges = _Edges(segments, owner, kinds, now.group, few, now.box)
        parts = _compare(edges, lead, reach, limit)
        if parts is None:
            return None
        found = parts
        # Boxes may meet where no edge is near.
        pairs = count_meeting(_widened(now.box, reach), few & now.use, lead)
        met.append(int(pairs) + sum(part[4] for part in parts if part[5] == "edges"))
        if met[-1] > limit:
            return None
    meets = before.meets - met[0] + met[1]
    if meets > _limit(count, new.group):
        return None
    keep = ~(lead[before.pairs[:, 0]] | lead[before.pairs[:, 1]])
    others = _ranked(found, len(few), True, count, meets)
    pairs, pixels, spots = before.pairs[keep], before.pixels[keep], before.spots[keep]
    if len(others.pairs):
        at = _places(pixels, pairs, others, len(few))
        pairs = np.insert(pairs, at, others.pairs, axis=0)
        pixels, spots = (
            np.insert(pixels, at, others.pixels),
            np.insert(spots, at, others.spots, axis=0),
        )
    return ClosePairs(pairs, pixels, spots, True, count, meets)


def _places(pixels: FloatArray, pairs: IntArray, found: ClosePairs, count: int) -> IntArray:
    """(P,) where each found pair belongs among sorted ones: by distance, then by island."""
    first, last = (np.searchsorted(pixels, found.pixels, side) for side in ("left", "right"))  # type: ignore[call-overload]
    at = np.asarray(first, np.int64)
    for k in np.flatnonzero(last > first):
        own = pairs[first[k] : last[k]] @ [count, 1]
        at[k] += np.searchsorted(own, found.pairs[k] @ [count, 1])
    return at


def _meets(parts: list[tuple[Any, ...]]) -> int:
    return sum(int(part[4]) for part in parts)


def _compare(
    edges: _Edges, lead: BoolArray, reach: float, limit: int, most: int = EVERYONE,
    patience: int = EVERYONE,
) -> list[tuple[Any, ...]] | None:  # fmt: skip
    """What the loops find, each part with the word for what it compared.

    None when more than `limit` pairs meet in all, or more than `patience` have to be looked at.
    """
    segments, owner, kinds, group, few, box = edges
    small = few[owner]
    parts: list[tuple[Any, ...]] = []

    def lanes(look: Any, grid: Grid, what: str, many: int) -> bool:
        if patience < EVERYONE and meetings(grid, patience) > patience:
            return False
        shares = slot_shares(grid, LANES if many >= SMALL_SET else 1)
        with ThreadPoolExecutor(len(shares)) as pool:
            parts.extend((*part, what) for part in pool.map(look, shares))
        return limit == EVERYONE or _meets(parts) <= limit

    if small.any():
        rows = np.flatnonzero(small)
        rows = rows[np.argsort(owner[rows], kind="stable")]
        start = np.searchsorted(owner[rows], np.arange(len(few) + 1))
        ids = np.flatnonzero(np.diff(start))
        near = np.zeros((len(few), 4))
        ends = segments[rows]
        near[ids] = np.concatenate(
            [
                np.minimum.reduceat(np.minimum(ends[:, :2], ends[:, 2:]), start[ids]),
                np.maximum.reduceat(np.maximum(ends[:, :2], ends[:, 2:]), start[ids]),
            ],
            axis=1,
        )
        islands = make_grid(_widened((near if box is None else box)[ids], reach), reach)

        def by_island(share: tuple[int, int]) -> tuple[Any, ...]:
            found: tuple[Any, ...] = close_islands(
                segments, rows, start, near, ids, kinds, group, lead, islands, *share, reach, most,
                limit,
            )  # fmt: skip
            return found

        if not lanes(by_island, islands, "islands", len(rows)):
            return None
    if not small.all():
        low, high = (
            np.minimum(segments[:, :2], segments[:, 2:]),
            np.maximum(segments[:, :2], segments[:, 2:]),
        )
        grid = make_grid(_widened(np.concatenate([low, high], axis=1), reach), reach)

        def by_edge(share: tuple[int, int]) -> tuple[Any, ...]:
            found: tuple[Any, ...] = close_segments(
                segments, owner, kinds, group, lead, few, grid, *share, reach, most, limit
            )
            return found

        if not lanes(by_edge, grid, "edges", len(segments)):
            return None
    return parts


def _widened(boxes: FloatArray, reach: float) -> FloatArray:
    """Boxes (N, 4) that meet where the ones that are given are nearer than a reach."""
    return np.asarray(boxes + 0.5 * reach * np.array([-1.0, -1.0, 1.0, 1.0]))


def _ranked(
    parts: list[tuple[Any, ...]], count: int, complete: bool, edges: int, meets: int
) -> ClosePairs:
    """What the lanes found, nearest first; both may know a pair."""
    if not sum(len(part[0]) for part in parts):
        none = np.empty((0, 2), np.int64)
        return ClosePairs(none, np.empty(0), np.empty((0, 2, 2)), complete, edges, meets)
    keys, pixels, which, spots = (np.concatenate([part[k] for part in parts]) for k in range(4))
    order = np.lexsort((which[:, 1], which[:, 0], pixels, keys))
    order = order[np.unique(keys[order], return_index=True)[1]]
    order = order[np.lexsort((keys[order], pixels[order]))]
    pairs = np.stack([keys[order] // count, keys[order] % count], axis=1)
    return ClosePairs(pairs, pixels[order], spots[order].reshape(-1, 2, 2), complete, edges, meets)


def _segments(islands: IslandSet, width: int, height: int) -> tuple[FloatArray, IntArray]:
    """Outline edges in px, (N, 4), and their numbers; edges that are not numbers are left out."""
    pixels = islands.edges * np.array([width, height], np.float64)
    segments = np.ascontiguousarray(pixels.reshape(-1, 4))
    usable = np.flatnonzero(np.isfinite(segments).all(axis=1))
    return segments[usable], usable
