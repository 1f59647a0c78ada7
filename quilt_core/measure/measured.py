"""A layout that was measured, and what an edit changes of that.

Every pair of islands is measured by itself, so that what is found of it does not depend on what else
there is. After an edit only the pairs of the islands that moved, and of those whose pile changed,
are measured again; all that is told is put together from the pairs in the same order as from nothing,
so that it is the same to the last bit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from quilt_core.measure._near_loops import mark_near
from quilt_core.measure.coverage import Unions
from quilt_core.measure.figures import Figures, figures_of, in_uv, not_meant, piles
from quilt_core.measure.gap import Again, ClosePairs, close_again, close_pairs, few_edged
from quilt_core.measure.overlap import (
    Overlaps,
    SharedFaces,
    overlaps_of,
    shared_again,
    shared_faces,
)
from quilt_core.measure.placed import PlacedIslands, lie_again, lie_of
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.tiles import TileSize
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

REACH = 1.5
"""Pairs of islands are kept up to this many times the padding."""
MOST_AGAIN = 0.05
"""When a larger part of the islands changed, all is measured from nothing."""


@dataclass(frozen=True, eq=False)
class Measured:
    """A layout with what was found of it.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    placements : (I, 2, 3) float64
    tiles : tuple of TileSize
    padding : float
        In px.
    stack : (I,) int64
    on_tiles : PlacedIslands
    shared : SharedFaces
        In a plane of the largest width and height of any tile.
    near : tuple of ClosePairs
        For each tile the pairs nearer than `reach`, in its px.
    reach : float
        In px.
    pile : (I,) int64
        See `piles`.
    unions : dict
        Areas that the piles cover.
    figures : Figures
    """

    islands: IslandSet
    placements: FloatArray
    tiles: tuple[TileSize, ...]
    padding: float
    stack: IntArray
    on_tiles: PlacedIslands
    shared: SharedFaces
    near: tuple[ClosePairs, ...]
    reach: float
    pile: IntArray
    unions: Unions
    figures: Figures


def measure_layout(
    islands: IslandSet,
    placements: FloatArray,
    tiles: Sequence[TileSize],
    padding: float = 8.0,
    stack: IntArray | None = None,
) -> Measured:
    """Measure a layout on tiles.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    placements : (I, 2, 3) float64
    tiles : sequence of TileSize
        At least one.
    padding : float
        The gap that is expected, in px.
    stack : (I,) int64, optional
        Islands with the same number share texels on purpose; -1 for none.
    """
    tiles = tuple(tiles)
    stack = np.full(islands.count, -1) if stack is None else stack
    on_tiles = lie_of(islands, placements, tiles)
    placed = on_tiles.placed
    plane = _plane(tiles)
    usable = on_tiles.whole[placed.triangle_island][:, None, None]
    shared = shared_faces(
        np.where(usable, placed.triangles * plane, np.nan),
        _noise_in(plane, on_tiles, placed.triangle_island),
    )
    found = overlaps_of(shared, placed.triangle_island, islands.count)
    overlaps = not_meant(in_uv(found, plane, on_tiles.size), stack)
    pile = piles(overlaps, islands.count, stack)
    near, reach = _near(on_tiles, tiles, max(REACH * padding, 1.0), pile)
    return _with_figures(
        Measured(
            islands, placements, tiles, padding, stack, on_tiles, shared, near, reach, pile, {},
            None,  # type: ignore[arg-type]
        ),
        found, overlaps, {},
    )  # fmt: skip


def measure_again(
    before: Measured, placements: FloatArray, stack: IntArray | None = None
) -> Measured:
    """Measure a layout that differs from a measured one by the places of some islands, or by
    stacks.

    It gives what `measure_layout` would, bit by bit, and takes as long as what changed asks for.

    Parameters
    ----------
    before : Measured
    placements : (I, 2, 3) float64
    stack : (I,) int64, optional
        As before without it.
    """
    stack = before.stack if stack is None else stack
    islands, tiles, padding = before.islands, before.tiles, before.padding

    def from_nothing() -> Measured:
        return measure_layout(islands, placements, tiles, padding, stack)

    if placements.shape != before.placements.shape:
        return from_nothing()
    differ = np.flatnonzero(placements.reshape(-1) != before.placements.reshape(-1))
    moved = np.unique(differ // 6)
    if len(moved) > max(1, MOST_AGAIN * islands.count):
        return from_nothing()
    on_tiles = lie_again(before.on_tiles, islands, placements, tiles, moved)
    shared = _shared_again(before, on_tiles, moved)
    if shared is None:
        return from_nothing()
    plane = _plane(tiles)
    found = overlaps_of(shared, islands.triangle_island, islands.count)
    overlaps = not_meant(in_uv(found, plane, on_tiles.size), stack)
    pile = piles(overlaps, islands.count, stack)
    changed = pile != before.pile
    changed[moved] = True
    lead = np.flatnonzero(changed)
    if len(lead) > max(1, MOST_AGAIN * islands.count):
        return from_nothing()
    near = []
    for k in range(len(tiles)):
        again = _near_again(before, on_tiles, k, changed, lead, pile)
        if again is None:
            return from_nothing()
        near.append(again)
    reach = before.reach
    if not any(len(part.pairs) for part in near):
        near, reach = _near(on_tiles, tiles, 2 * reach, pile)  # type: ignore[assignment]
    still = np.ones(islands.count, bool)
    still[moved] = False
    kept = {
        key: area
        for key, area in before.unions.items()
        if still[np.frombuffer(key[1], np.int64)].all()
    }
    return _with_figures(
        replace(
            before, placements=placements, stack=stack, on_tiles=on_tiles, shared=shared, near=tuple(near),
            reach=reach, pile=pile,
        ),
        found, overlaps, kept,
    )  # fmt: skip


def _plane(tiles: Sequence[TileSize]) -> FloatArray:
    """(2,) px of a plane in which all islands are compared."""
    return np.asarray(np.array([(t.width, t.height) for t in tiles], np.float64).max(axis=0))


def _noise_in(plane: FloatArray, on_tiles: PlacedIslands, of: IntArray) -> FloatArray:
    """(N,) px by which some islands may be off in the plane."""
    longest = np.maximum(on_tiles.size[:, 0], on_tiles.size[:, 1])
    return np.asarray(on_tiles.noise[of] * plane.max() / longest[of])


def _slack(box: FloatArray) -> float:
    """UVs that boxes are widened by, so that rounding does not part what meets."""
    return 1e-9 * float(np.abs(box[np.isfinite(box)]).max(initial=1.0))


def _shared_again(before: Measured, on_tiles: PlacedIslands, moved: IntArray) -> SharedFaces | None:
    plane, owner = _plane(before.tiles), before.islands.triangle_island
    changed = np.zeros(before.islands.count, bool)
    changed[moved] = True
    some = []
    for one in (before.on_tiles, on_tiles):
        slack = _slack(one.box[moved])
        near = np.flatnonzero(
            mark_near(
                one.placed.triangles, *before.islands.triangle_rows, one.box, one.whole, moved,
                slack, slack,
            )
        )  # fmt: skip
        px = one.placed.triangles[near] * plane
        usable = np.isfinite(px).all(axis=(1, 2))
        some.append((np.ascontiguousarray(px[usable]), near[usable]))
    (old, old_rows), (new, rows) = some
    lead, old_lead = changed[owner[rows]], changed[owner[old_rows]]
    count = before.shared.count - int(old_lead.sum()) + int(lead.sum())
    pairs = before.shared.pairs
    keep = ~(changed[owner[pairs[:, 0]]] | changed[owner[pairs[:, 1]]])
    noise = _noise_in(plane, on_tiles, owner[rows])
    return shared_again(before.shared, keep, (old, old_lead), (new, lead), rows, noise, count)


def _near(
    on_tiles: PlacedIslands, tiles: Sequence[TileSize], reach: float, pile: IntArray
) -> tuple[tuple[ClosePairs, ...], float]:
    """Pairs nearer than the reach in each tile, with a reach that is doubled until there is one."""
    sizes = np.array([(tile.width, tile.height) for tile in tiles], np.float64)
    parts = list(zip(on_tiles.inside.T, sizes, strict=True))
    spans = [
        np.ptp((on_tiles.box[use].reshape(-1, 2)) * size, axis=0).max()
        for use, size in parts
        if use.any()
    ]
    kinds = np.where(pile < 0, -1 - np.arange(len(pile)), pile)
    alone = all(len(np.unique(kinds[use])) < 2 for use, _ in parts)
    while True:
        near = tuple(
            close_pairs(
                _outlines(on_tiles.placed, use, size), 1, 1, reach, group=pile,
                box=on_tiles.box * np.tile(size, 2),
            )
            for use, size in parts
        )  # fmt: skip
        if (
            any(len(part.pairs) for part in near)
            or alone
            or reach > 4 * max(spans, default=0.0) + 1
        ):
            return near, reach
        reach *= 2


def _outlines(placed: IslandSet, use: BoolArray, size: FloatArray) -> IslandSet:
    """Outlines of some islands in px of a tile; all islands keep their numbers."""
    here = np.flatnonzero(use[placed.edge_island])
    return replace(placed, edges=placed.edges[here] * size, edge_island=placed.edge_island[here])


def _near_again(
    before: Measured, on_tiles: PlacedIslands, tile: int, changed: BoolArray, lead: IntArray, pile: IntArray
) -> ClosePairs | None:  # fmt: skip
    known, at = before.near[tile], before.tiles[tile]
    size = np.array([at.width, at.height], np.float64)
    owner = before.islands.edge_island
    some, leads = [], []
    for one, group in ((before.on_tiles, before.pile), (on_tiles, pile)):
        use = np.ascontiguousarray(one.inside[:, tile])
        wide, high = before.reach / size + _slack(one.box[lead])
        near = np.flatnonzero(
            mark_near(one.placed.edges, *before.islands.edge_rows, one.box, use, lead, wide, high)
        )
        px = one.placed.edges[near] * size
        usable = np.isfinite(px).all(axis=(1, 2))
        near, px = near[usable], px[usable]
        leads.append(int(changed[owner[near]].sum()))
        islands = replace(one.placed, edges=px, edge_island=owner[near])
        some.append(Again(islands, one.box * np.tile(size, 2), use, group))
    old, new = some
    count = known.count - leads[0] + leads[1]
    few = few_edged(np.diff(before.islands.edge_rows[1]))
    return close_again(known, new, old, before.reach, changed, count, few)


def _with_figures(m: Measured, found: Overlaps, overlaps: Overlaps, known: Unions) -> Measured:
    figures, unions = figures_of(m, found, overlaps, known)
    return replace(m, figures=figures, unions=unions)


def measure(
    islands: IslandSet, placements: FloatArray, width: int, height: int, padding: float = 8.0
) -> Figures:
    """Measure a layout on one tile, the 0–1 square; see `measure_tiles`."""
    return measure_tiles(islands, placements, (TileSize(1001, width, height),), padding)


def measure_tiles(
    islands: IslandSet,
    placements: FloatArray,
    tiles: Sequence[TileSize],
    padding: float = 8.0,
    stack: IntArray | None = None,
) -> Figures:
    """Measure a layout on tiles; see `measure_layout`."""
    return measure_layout(islands, placements, tiles, padding, stack).figures
