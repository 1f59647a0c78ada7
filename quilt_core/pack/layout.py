"""From islands with placements to pieces in px, through the search, and back."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.measure.overlap import find_overlaps
from quilt_core.pack.cluster_search import attempts
from quilt_core.pack.controls import Controls, no_controls, spread_over_groups
from quilt_core.pack.freedom import by_freedom
from quilt_core.pack.pieces import Pieces, single_pieces
from quilt_core.pack.problem import Attempt, Obstacles, no_obstacles
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.side_table import lay_beside, packable, side_table_top
from quilt_core.scene.flags import LEAVE_OUT, LOCK_PLACE
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import compose
from quilt_core.scene.tiles import TileSize, home_tiles, pixel_sizes
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

LEAST_OVERLAP = 1e-3
"""Texels that locked islands may share before they count as lying on one another."""


def pack_islands(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    stop: Callable[[], bool] = lambda: False,
    controls: Controls | None = None,
    frozen: Sequence[TileSize] = (),
    pixels: FloatArray | None = None,
    names: Sequence[str] = (),
) -> Iterator[tuple[Attempt, FloatArray, BoolArray]]:
    """Pack islands into tiles.

    Parameters
    ----------
    islands : IslandSet
        All islands; those that are not finite are left where they are.
    placements : (I, 2, 3) float64
        Their sizes relative to one another are kept.
    settings : PackSettings
    stop : callable
        Asked often; True ends the search with its best so far, if there is one yet.
    controls : Controls, optional
        Locks, tiles, bundles, stacks, and which islands are to be packed at all.
    frozen : sequence of TileSize
        Tiles whose islands are not touched.
    pixels : (I, 2) float64, optional
        px per UV of the tiles that the islands lie in now; without it those of `settings`.
    names : sequence of str
        What to call the islands in errors.

    Yields
    ------
    attempt : Attempt
        One that is not ``whole`` is an image of a search at work; islands without a place have no
        size.
    placements : (I, 2, 3) float64
        Base UVs to UVs, tile (column, row) at UV (column, row). What is left over or left out lies
        on the side table, to the left of the tiles.
    placed : (I,) bool
        False for left-over and left-out islands, and for others that lie in no tile.

    Raises
    ------
    LayoutError
        When the settings and controls cannot be met, before anything is yielded.
    """
    controls = controls or no_controls(islands.count)
    names = list(names) or [f"island {i + 1}" for i in range(islands.count)]
    pixels = pixel_sizes(islands, placements, settings.bins) if pixels is None else pixels
    whole = packable(islands)
    held = spread_over_groups(controls.has(LOCK_PLACE) & whole, controls.stack)
    held = spread_over_groups(held, controls.bundle)
    held |= home_tiles(islands, placements, frozen) >= 0
    moves = whole & controls.chosen & ~held & ~controls.has(LEAVE_OUT)
    aside = whole & controls.chosen & controls.has(LEAVE_OUT) & ~held
    stays = whole & ~moves & ~aside
    if not moves.any():
        raise LayoutError(
            "There are no islands to pack."
            if not whole.any()
            else "Every island is locked, frozen or left out.",
            "",
            "Bring in meshes that have UVs."
            if not whole.any()
            else "Unlock some, or choose others.",
        )
    _check_locks(
        islands, placements, controls.has(LOCK_PLACE) & stays, controls.stack, pixels, names
    )
    obstacles = obstacles_of(islands, placements, stays, settings)
    chosen = islands.select(moves)
    mine = Controls(
        controls.flags[moves], controls.tile[moves], controls.bundle[moves], controls.stack[moves],
        controls.chosen[moves],
    )  # fmt: skip
    own_names = [names[i] for i in np.flatnonzero(moves)]
    linear = placements[moves][:, :, :2] * pixels[moves][:, :, None]

    def tried(how: PackSettings) -> Iterator[tuple[Attempt, Pieces]]:
        single = single_pieces(chosen, linear, mine, how, obstacles, own_names)
        return attempts(chosen, single, mine, how, own_names, stop)

    lying = home_tiles(islands, placements, settings.bins) >= 0
    settled = stays & (lying | (home_tiles(islands, placements, frozen) >= 0))
    there = float((islands.placed(placements).uv_area * pixels.prod(axis=1))[stays & lying].sum())
    total = sum(tile.width * tile.height for tile in settings.bins)
    top = side_table_top(islands, placements, stays, pixels)
    shown: FloatArray | None = None
    out, placed = placements, settled
    for attempt, pieces in by_freedom(settings, chosen.count, tried, stop):
        attempt = replace(attempt, coverage=attempt.coverage + there / total)
        if shown is attempt.shift:  # no news but the progress
            yield attempt, out, placed
            continue
        shown = attempt.shift
        out, placed = placements.copy(), settled.copy()
        at = pieces.piece
        done, home = _moved(pieces, attempt), attempt.tile[at]
        beside = ~attempt.placed[at]
        out[moves] = to_uv(done, np.maximum(home, 0), settings)
        placed[moves] = ~beside
        if not attempt.whole:
            # Those that the pass did not come to yet are not seen.
            out[np.flatnonzero(moves)[beside], :, :2] = 0.0
            yield attempt, out, placed
            continue
        parked = np.zeros(islands.count, bool)
        parked[moves] = beside
        parked |= aside
        if parked.any():
            upright = placements[:, :, :2] * pixels[:, :, None]
            out[parked] = lay_beside(islands.select(parked), upright[parked], settings, top)
        yield attempt, out, placed


def _moved(pieces: Pieces, attempt: Attempt) -> FloatArray:
    """(I, 2, 3) base UVs to px from the corner of the tile."""
    scales = pieces.problem.scales(attempt.scale)
    linear = attempt.turn.matrices() * scales[:, None, None]
    move = np.concatenate([linear, attempt.shift[:, :, None]], axis=2)
    return compose(move[pieces.piece], pieces.to_piece)


def to_uv(rows: FloatArray, tile: IntArray, settings: PackSettings) -> FloatArray:
    """Placements in px from the corner of a tile to placements in UVs."""
    bins = settings.bins
    sizes = np.array([(t.width, t.height) for t in bins], np.float64)[tile]
    out = rows / sizes[:, :, None]
    out[:, :, 2] += np.array([t.corner for t in bins], np.float64)[tile]
    return out


def _check_locks(
    islands: IslandSet,
    placements: FloatArray,
    locked: BoolArray,
    stack: IntArray,
    pixels: FloatArray,
    names: Sequence[str],
) -> None:
    """Locked islands must not lie on one another, unless they are stacked."""
    if not locked.any():
        return
    numbers = np.flatnonzero(locked)
    found = find_overlaps(
        islands.placed(placements).select(locked), *pixels[locked].max(axis=0).astype(int)
    )
    for pair, texels in zip(found.pairs, found.texels, strict=True):
        a, b = numbers[pair]
        if a != b and not (stack[a] >= 0 and stack[a] == stack[b]) and texels > LEAST_OVERLAP:
            raise LayoutError(
                "Two islands whose place is locked lie on one another.",
                f"{names[a]} and {names[b]}",
                "Unlock one of them.",
            )


def obstacles_of(
    islands: IslandSet, placements: FloatArray, stays: BoolArray, settings: PackSettings
) -> Obstacles:
    """Islands that stay, in px of every tile that their boxes meet."""
    if not stays.any():
        return no_obstacles()
    still = islands.select(stays).placed(placements[stays])
    box = still.bounds()
    order = np.argsort(still.edge_island, kind="stable")
    starts = np.searchsorted(still.edge_island[order], np.arange(still.count + 1))
    rows, tiles = [], []
    for k, tile in enumerate(settings.bins):
        size, corner = (
            np.array([tile.width, tile.height], np.float64),
            np.array(tile.corner, np.float64),
        )
        reach = settings.padding / size
        near = (box[:, :2] < corner + 1 + reach).all(axis=1) & (box[:, 2:] > corner - reach).all(
            axis=1
        )
        for i in np.flatnonzero(near):
            own = still.edges[order[starts[i] : starts[i + 1]]]
            rows.append(((own - corner) * size).reshape(-1, 4))
            tiles.append(k)
    if not rows:
        return no_obstacles()
    return Obstacles(
        np.ascontiguousarray(np.concatenate(rows)),
        np.concatenate([[0], np.cumsum([len(r) for r in rows])]).astype(np.int64),
        np.array(tiles, np.int64),
    )
