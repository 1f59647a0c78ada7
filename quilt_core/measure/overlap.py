"""Overlap of islands, exact on their triangles."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from quilt_core.measure._overlap_loops import overlapping_pairs
from quilt_core.measure.grid import EVERYONE, Grid, make_grid, meetings, slot_shares
from quilt_core.scene.island_set import IslandSet, sums
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

LEAST_TEXELS = 1e-12
"""Shared areas below this many texels are left out of all sums."""
FEW_PAIRS, PAIRS_EACH = 625_000, 16
"""With more pairs of triangles whose boxes meet, or more a triangle, copies of a triangle are
looked for."""
MOST_PAIRS, MOST_EACH = 2_500_000, 24
"""With more than these, each triangle is compared with a few others only."""
FEW_OTHERS = 20
LANES = 2
SMALL_SET = 4000
"""Fewer triangles are compared in one thread."""
PATIENCE = 20
"""So many times more looks at pairs are taken before it is given up to compare them all."""


@dataclass(frozen=True, eq=False)
class Overlaps:
    """Pairs of islands that share area.

    Parameters
    ----------
    pairs : (P, 2) int64
        Island numbers, the lower first; equal numbers for an island that folds over itself.
    texels : (P,) float64
        Shared area in texels; areas covered by several pairs of faces count once per pair.
    spots : (P, 2) float64
        A point in px inside the largest shared piece of each pair.
    triangle_pairs : (T, 2) int64
        Triangles of the set that share area.
    triangle_texels : (T,) float64
    complete : bool
        False where so many faces lie on one spot that not every pair was compared. Where there are
        many copies of a face, they are compared with the first of them, and only that one with the
        others.
    """

    pairs: IntArray
    texels: FloatArray
    spots: FloatArray
    triangle_pairs: IntArray
    triangle_texels: FloatArray
    complete: bool = True

    @property
    def islands(self) -> IntArray:
        """Sorted numbers of all islands involved."""
        return np.unique(self.pairs)

    def select(self, keep: BoolArray) -> Overlaps:
        """Only some pairs of islands; the triangles stay."""
        return Overlaps(
            self.pairs[keep],
            self.texels[keep],
            self.spots[keep],
            self.triangle_pairs,
            self.triangle_texels,
            self.complete,
        )


@dataclass(frozen=True, eq=False)
class SharedFaces:
    """Pairs of triangles that share area, sorted by their numbers.

    Parameters
    ----------
    pairs : (T, 2) int64
        Triangles, the lower number first.
    shares : (T, 4) float64
        Area in texels, a point in it, and 1 where it cannot be rounding.
    total : int
        Triangles of the set.
    count : int
        Triangles that were compared: those whose corners are numbers.
    meets : int
        Pairs of them whose boxes meet; -1 when not each pair was compared by itself, so that a part
        cannot be measured again alone.
    complete : bool
        See `Overlaps`.
    """

    pairs: IntArray
    shares: FloatArray
    total: int
    count: int
    meets: int
    complete: bool


def find_overlaps(
    islands: IslandSet, width: int, height: int, noise: FloatArray | None = None
) -> Overlaps:
    """Find all overlaps of placed islands, within and between them.

    Parameters
    ----------
    islands : IslandSet
        Already placed: its coordinates are tile UVs.
    width, height : int
        Resolution of the tile in px.
    noise : (I,) float64, optional
        px by which outlines may be off; shared pieces that are not wider are no overlap. Without it
        the rounding of float64 at a few texels.
    """
    triangles = islands.triangles * np.array([width, height], np.float64)
    own_noise = np.full(islands.count, 1e-9) if noise is None else noise
    found = shared_faces(triangles, own_noise[islands.triangle_island])
    return overlaps_of(found, islands.triangle_island, islands.count)


def shared_faces(triangles: FloatArray, noise: FloatArray) -> SharedFaces:
    """Compare triangles (N, 3, 2), in px, of which each may be off by a `noise`, (N,) px."""
    usable = np.flatnonzero(np.isfinite(triangles).all(axis=(1, 2)))
    some, own = np.ascontiguousarray(triangles[usable]), noise[usable]
    count, grid = len(some), _grid(some)
    lead = np.ones(count, bool)
    most = max(MOST_PAIRS, MOST_EACH * count)
    patient = meetings(grid, PATIENCE * most) <= PATIENCE * most
    found = _compare(some, own, lead, grid, few_enough(count)) if patient else None
    if found is not None:
        pairs, shares, meets = found
        return _sorted(usable[pairs], shares, len(triangles), count, meets)
    first_of, kept = _copies(some)
    lead, grid = np.ones(len(kept), bool), _grid(some[kept])
    most, complete = max(MOST_PAIRS, MOST_EACH * len(kept)), True
    found = _compare(some[kept], own[kept], lead, grid, most)
    if found is None:
        complete = False
        found = _compare(some[kept], own[kept], lead, grid, most, FEW_OTHERS)
    assert found is not None
    corners = some[first_of[:, 0]]
    area = np.abs(triangle_areas(corners))
    same = np.column_stack([area, corners.mean(axis=1), area > LEAST_TEXELS])
    return _sorted(
        np.concatenate([usable[kept[found[0]]], usable[np.sort(first_of, axis=1)]]),
        np.concatenate([found[1], same]), len(triangles), count, -1, complete,
    )  # fmt: skip


def few_enough(count: int) -> int:
    """Pairs of triangles whose boxes meet that are all compared without a look for copies."""
    return max(FEW_PAIRS, PAIRS_EACH * count)


def shared_again(
    before: SharedFaces, keep: BoolArray, old: tuple[FloatArray, BoolArray],
    new: tuple[FloatArray, BoolArray], rows: IntArray, noise: FloatArray, count: int,
) -> SharedFaces | None:  # fmt: skip
    """The same as `shared_faces` of all triangles, after some of them moved.

    Parameters
    ----------
    before : SharedFaces
        Found before they moved.
    keep : (T,) bool
        Its pairs of which neither moved.
    old, new : (n, 3, 2) float64 and (n,) bool
        Triangles that moved and all whose boxes meet theirs, in px, before and after, and which of
        them moved; only with corners that are numbers.
    rows : (n,) int64
        Numbers of the new ones in the whole set, ascending.
    noise : (n,) float64
        Of the new ones.
    count : int
        Triangles of the whole set that have such corners.

    Returns
    -------
    SharedFaces or None
        None when it has to be found from nothing.
    """
    if before.meets < 0:
        return None
    limit = few_enough(count)
    went = _compare(old[0], np.zeros(len(old[0])), old[1], _grid(old[0]), few_enough(before.count))
    came = _compare(new[0], noise, new[1], _grid(new[0]), limit)
    if went is None or came is None or before.meets - went[2] + came[2] > limit:
        return None
    pairs = np.concatenate([before.pairs[keep], rows[came[0]]])
    shares = np.concatenate([before.shares[keep], came[1]])
    total = before.total
    return _sorted(pairs, shares, total, count, before.meets - went[2] + came[2])


def overlaps_of(found: SharedFaces, owner: IntArray, count: int) -> Overlaps:
    """Overlaps of islands; `owner` (N,) is the island of each triangle, `count` their number."""
    areas = found.shares
    if not len(areas):
        none, spots = np.empty((0, 2), np.int64), np.empty((0, 2))
        return Overlaps(none, np.empty(0), spots, none, np.empty(0), found.complete)
    between = np.sort(owner[found.pairs], axis=1)
    key = between[:, 0] * max(count, 1) + between[:, 1]
    # Slight shares of two islands count with those that are no rounding, and not by themselves.
    sure = areas[:, 3] > 0
    real = np.isin(key, key[sure])
    triangle_pairs, areas, sure = found.pairs[real], areas[real], sure[real]
    keys, inverse = np.unique(key[real], return_inverse=True)
    pairs = np.stack([keys // max(count, 1), keys % max(count, 1)], axis=1)
    # The largest shared piece of each pair: the last one when sorted by area.
    order = np.argsort(areas[:, 0], kind="stable")
    largest = np.zeros(len(keys), np.int64)
    largest[inverse[order]] = order
    return Overlaps(
        pairs,
        sums(inverse, areas[:, 0], len(keys)),
        areas[largest, 1:3],
        triangle_pairs[sure],
        areas[sure, 0],
        found.complete,
    )


def _compare(
    triangles: FloatArray, noise: FloatArray, lead: BoolArray, grid: Grid, limit: int,
    few: int | None = None,
) -> tuple[IntArray, FloatArray, int] | None:  # fmt: skip
    """Pairs, their shares and how many meet; None when these are more than `limit`. With `few`
    others of a cell that each is compared with, there is no limit."""
    every = few is None
    most, limit = (EVERYONE, limit) if every else (few, EVERYONE)

    def look(share: tuple[int, int]):  # type: ignore[no-untyped-def]
        return overlapping_pairs(triangles, noise, lead, grid, *share, LEAST_TEXELS, most, limit)

    if len(triangles) < SMALL_SET:
        parts = [look((0, len(grid.offsets) - 1))]
    else:
        with ThreadPoolExecutor(LANES) as pool:
            parts = list(pool.map(look, slot_shares(grid, LANES)))
    meets = sum(part[2] for part in parts)
    if every and (meets > limit or any(part[3] for part in parts)):
        return None
    return np.concatenate([p[0] for p in parts]), np.concatenate([p[1] for p in parts]), meets


def _sorted(
    pairs: IntArray, shares: FloatArray, total: int, count: int, meets: int, complete: bool = True
) -> SharedFaces:  # fmt: skip
    order = np.argsort(pairs[:, 0] * max(total, 1) + pairs[:, 1], kind="stable")
    return SharedFaces(pairs[order], shares[order], total, count, int(meets), complete)


def _grid(triangles: FloatArray) -> Grid:
    a, b, c = triangles.transpose(1, 0, 2)
    low, high = np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)
    return make_grid(np.concatenate([low, high], axis=1))


def _copies(triangles: FloatArray) -> tuple[IntArray, IntArray]:
    """Triangles that are equal to an earlier one, as (first, copy), and those that are not."""
    corner = np.lexsort((triangles[:, :, 1], triangles[:, :, 0]), axis=1)
    rows = np.ascontiguousarray(
        np.take_along_axis(triangles, corner[:, :, None], axis=1).reshape(-1, 6)
    )
    _, first, inverse = np.unique(
        rows.view(np.dtype((np.void, 48))).ravel(), return_index=True, return_inverse=True
    )
    of = first[inverse]
    again = np.flatnonzero(of != np.arange(len(of)))
    return np.stack([of[again], again], axis=1), np.sort(first)
