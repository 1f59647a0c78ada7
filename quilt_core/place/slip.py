"""Slip islands into free spots among others that stay: each where it is most snug, or nearest to a
point.

On a raster of the tile every place is looked at: where the island's cells are free, and what share of
its surroundings is taken, which says how snug a place is. The cells are on the safe side, so that
padding and margin hold exactly; what the raster leaves is closed by sliding.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from quilt_core.pack.controls import Controls
from quilt_core.pack.grid import Grid, make_grid
from quilt_core.pack.layout import obstacles_of, to_uv
from quilt_core.pack.mask_loops import hit_grid, row_runs, turned
from quilt_core.pack.pieces import Pieces, single_pieces
from quilt_core.pack.place_loops import block
from quilt_core.pack.problem import PackProblem, no_obstacles
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.side_table import packable
from quilt_core.pack.turns import Turns
from quilt_core.pack.variant_loops import spread
from quilt_core.place._slip_loops import best_place
from quilt_core.place.settle import SlideScene
from quilt_core.place.tight import tight_move
from quilt_core.scene.island_set import PER_ISLAND, IslandSet
from quilt_core.scene.placement import compose
from quilt_core.scene.tiles import TileSize
from quilt_core.scene.types import FloatArray, IntArray

CELLS = (512, 1024, 2048)
"""Cells along the longest edge of the tile, tried one after the other for what does not fit yet."""
RING = 2
"""Cells round an island that count as its surroundings."""


@dataclass(frozen=True, eq=False)
class Slipped:
    """How far the islands are.

    Parameters
    ----------
    placements : (I, 2, 3) float64
    placed : (N,) bool
        Which of the chosen islands have found a spot; the others lie where they were.
    step, steps : int
    """

    placements: FloatArray
    placed: NDArray[np.bool_]
    step: int
    steps: int


def slip_in(
    islands: IslandSet,
    placements: FloatArray,
    tile: TileSize,
    chosen: IntArray,
    settings: PackSettings,
    controls: Controls,
    pixels: FloatArray,
    near: tuple[float, float] | None = None,
    block: bool = False,
    stop: Callable[[], bool] = lambda: False,
) -> Iterator[Slipped]:
    """Find the best free spot of a tile for each chosen island, the largest first; nothing else
    moves.

    Parameters
    ----------
    islands : IslandSet
    placements : (I, 2, 3) float64
    tile : TileSize
    chosen : (N,) int64
        Islands that move; they keep their size in px.
    settings : PackSettings
        Padding, margin, and the turns that islands may make.
    controls : Controls
        Locks of the turn, mirroring and stacks hold for the chosen islands; nothing else is looked
        at.
    pixels : (I, 2) float64
        px per UV of the tiles that the islands lie in now.
    near : (float, float), optional
        px from the corner of the tile: the spots nearest to it instead of the most snug ones.
    block : bool
        All as one, as they lie.
    stop : callable
        Asked often; True ends with what is placed so far.
    """
    settings = replace(settings, tiles=(tile,), upright=False)
    stays = packable(islands)
    stays[chosen] = False
    pieces = _pieces(islands, placements, chosen, settings, controls, pixels, block)
    problem = pieces.problem
    order = np.argsort(-problem.areas, kind="stable")
    out = placements.copy()
    done = np.zeros(problem.count, bool)
    steps = problem.count
    yield Slipped(out, done[pieces.piece], 0, steps)
    scene: SlideScene | None = None
    for cells in CELLS:
        still = stays.copy()
        still[chosen[done[pieces.piece]]] = True
        grid = make_grid(settings, obstacles_of(islands, out, still, settings), cells)
        board = _Board(grid, near)
        for p in order[~done[order]]:
            if stop():
                return
            own = slice(problem.starts[p], problem.starts[p + 1])
            spot = board.best(problem.edges[own], problem.turns[p], int(problem.solid[p]))
            if spot is None:
                continue
            turn, shift = spot
            mine = pieces.piece == p
            row = np.concatenate([turn.matrices()[0], shift[:, None]], axis=1)
            rows = compose(np.broadcast_to(row, (int(mine.sum()), 2, 3)), pieces.to_piece[mine])
            group = chosen[mine]
            out[group] = to_uv(rows, np.zeros(len(group), np.int64), settings)
            if scene is None:
                scene = SlideScene.of_tile(islands, out, tile)
                waiting = np.zeros(islands.count, bool)
                waiting[chosen] = True
            waiting[group] = False
            scene.put(group, islands, out)
            if near is None:
                out[group, :, 2] += _snug(scene, group, grid.cell, settings, waiting) / scene.size
                scene.put(group, islands, out)
            board.take(scene.edges_of(group))
            done[p] = True
            yield Slipped(out.copy(), done[pieces.piece], int(done.sum()), steps)
        if done.all():
            break
    if done.all():
        yield Slipped(out, done[pieces.piece], steps, steps)
        return
    # What fits only just is found exactly, from spots of a raster on which all distances are shorter.
    board = _Board(_short_grid(islands, out, stays, chosen, done[pieces.piece], settings), near)
    for p in order[~done[order]]:
        if stop():
            return
        mine = pieces.piece == p
        scene = SlideScene.of_tile(islands, out, tile)
        still = stays.copy()
        still[chosen[done[pieces.piece]]] = True
        there = scene.edges[still[scene.owner] & np.isfinite(scene.low).all(axis=1)]
        fitted = _tight(board, there, problem, pieces, int(p), settings, scene.size)
        if fitted is None:
            continue
        rows = compose(np.broadcast_to(fitted, (int(mine.sum()), 2, 3)), pieces.to_piece[mine])
        group = chosen[mine]
        out[group] = to_uv(rows, np.zeros(len(group), np.int64), settings)
        scene.put(group, islands, out)
        board.take(scene.edges_of(group))
        done[p] = True
        yield Slipped(out.copy(), done[pieces.piece], int(done.sum()), steps)
    yield Slipped(out, done[pieces.piece], steps, steps)


TRIED = 6
"""Spots that are looked at exactly for an island that no raster has room for."""
SHORT = 3
"""Cells that padding is shorter on the raster that finds those spots: as much as rasters are on the safe side."""


LEAST_FILLED = 0.3
"""Part of a hole that an island fills which is looked at exactly."""
MOST_EXACT = 4
"""Islands that are; the largest ones."""


def fills_a_hole(
    islands: IslandSet, placements: FloatArray, tile: TileSize, waiting: IntArray, settings: PackSettings,
    shapes: FloatArray, pixels: FloatArray,
) -> IntArray:  # fmt: skip
    """Which of some islands are about as large as a hole between what lies in a tile.

    Parameters
    ----------
    islands : IslandSet
    placements : (I, 2, 3) float64
        Of what stays; those that wait are out of the way.
    tile : TileSize
    waiting : (N,) int64
    settings : PackSettings
    shapes : (I, 2, 3) float64, pixels : (I, 2) float64
        Placements that tell how large they are, and px per UV there.

    Returns
    -------
    (M,) int64
        Rows of `waiting`, the largest first.
    """
    settings = replace(settings, tiles=(tile,), upright=False)
    stays = packable(islands)
    stays[waiting] = False
    grid = _short_grid(islands, placements, stays, waiting[:0], np.zeros(0, bool), settings)
    parts, count = label(grid.occupied == 0)
    holes = np.bincount(parts.ravel(), minlength=count + 1)[1:] * grid.cell**2
    area = (islands.uv_area * np.abs(np.linalg.det(shapes[:, :, :2])) * pixels.prod(axis=1))[
        waiting
    ]
    # The raster on which distances are shorter makes holes larger, but never by half.
    near = (area[:, None] <= 1.05 * holes) & (area[:, None] >= LEAST_FILLED * holes)
    order = np.argsort(-area, kind="stable")
    return np.asarray(order[near.any(axis=1)[order]][:MOST_EXACT])


def _short_grid(
    islands: IslandSet, placements: FloatArray, stays: NDArray[np.bool_], chosen: IntArray, placed: NDArray[np.bool_],
    settings: PackSettings,
) -> Grid:  # fmt: skip
    """The finest raster with padding and margin shorter than they are."""
    (tile,) = settings.bins
    less = SHORT * max(tile.width, tile.height) / CELLS[-1]
    short = replace(
        settings,
        padding=max(settings.padding - less, 0.0),
        margin=max(settings.margin - less, 0.0),
    )
    still = stays.copy()
    still[chosen[placed]] = True
    return make_grid(short, obstacles_of(islands, placements, still, short), CELLS[-1])


def _tight(
    board: _Board, others: FloatArray, problem: PackProblem, pieces: Pieces, p: int,
    settings: PackSettings, size: FloatArray,
) -> FloatArray | None:  # fmt: skip
    """(2, 3) px at which a piece fits exactly beside the outline edges of others; None where it does not."""
    edges = problem.edges[problem.starts[p] : problem.starts[p + 1]]
    taken = board.occupied.copy()
    for _ in range(TRIED):
        spot = board.best(edges, problem.turns[p], int(problem.solid[p]))
        if spot is None:
            break
        turn, shift = spot
        matrix = turn.matrices()[0]
        own = edges.reshape(-1, 2, 2) @ matrix.T + shift
        reach = 2 * SHORT * board.grid.cell
        move = tight_move(own, others, size, settings.padding, settings.margin, reach)
        if move is not None:
            board.restore(taken)
            return np.concatenate([matrix, (shift + move)[:, None]], axis=1)
        board.forget(own)
    board.restore(taken)
    return None


def _pieces(
    islands: IslandSet, placements: FloatArray, chosen: IntArray, settings: PackSettings,
    controls: Controls, pixels: FloatArray, block: bool,
) -> Pieces:  # fmt: skip
    """One for each island or stack, or one for all."""
    mask = np.zeros(islands.count, bool)
    mask[chosen] = True
    mine = islands.select(mask)
    own = Controls(
        flags=controls.flags[mask],
        tile=np.zeros(mine.count, np.int64),
        bundle=np.full(mine.count, -1),
        stack=np.full(mine.count, -1) if block else controls.stack[mask],
        chosen=np.ones(mine.count, bool),
    )
    names = [f"island {i + 1}" for i in chosen]
    in_px = placements[mask] * pixels[mask][:, :, None]
    laid = replace(mine.placed(in_px), proportion=np.ones(mine.count))
    if block:
        own = Controls(
            flags=np.bitwise_or.reduce(own.flags, keepdims=True),
            tile=own.tile[:1], bundle=own.bundle[:1], stack=own.stack[:1], chosen=own.chosen[:1],
        )  # fmt: skip
        laid = _as_one(laid)
    upright = np.broadcast_to(np.eye(2), (laid.count, 2, 2))
    found = single_pieces(laid, upright, own, settings, no_obstacles(), names)
    piece = np.zeros(mine.count, np.int64) if block else found.piece
    to_piece = np.broadcast_to(found.to_piece, in_px.shape)
    return Pieces(found.problem, piece, compose(to_piece, in_px))


def _as_one(laid: IslandSet) -> IslandSet:
    """All islands as one, as they lie."""
    return replace(
        laid,
        triangle_island=np.zeros(len(laid.triangle_island), np.int64),
        edge_island=np.zeros(len(laid.edge_island), np.int64),
        **{name: getattr(laid, name)[:1] for name in PER_ISLAND if name != "uv_area"},
        uv_area=laid.uv_area.sum(keepdims=True),
    )


def _snug(
    scene: SlideScene,
    group: IntArray,
    cell: float,
    settings: PackSettings,
    waiting: NDArray[np.bool_],
) -> FloatArray:
    """px by which a group slides to what is nearest across and along, where that is no farther than
    the raster explains."""
    total = np.zeros(2)
    for axis in (0, 1):
        ways = [np.eye(2)[axis], -np.eye(2)[axis]]
        far = [scene.reach(group, way, settings.padding, settings.margin, waiting) for way in ways]
        k = int(np.argmin(far))
        if 0 < far[k] <= 3 * cell:
            total += far[k] * ways[k]
            scene.shift(group, far[k] * ways[k])
    return total


class _Board:
    """The cells of a tile that are taken."""

    def __init__(self, grid: Grid, near: tuple[float, float] | None) -> None:
        self.grid, self.occupied = grid, grid.occupied.copy()
        spot = np.full(2, np.nan) if near is None else np.array(near, np.float64)
        self.near = (spot - grid.margin) / grid.cell
        self._count()

    def _count(self) -> None:
        """Taken cells of each row up to a column; beyond the edges all is taken."""
        taken = np.pad(self.occupied, RING, constant_values=1)
        self.before = np.zeros((taken.shape[0], taken.shape[1] + 1), np.int32)
        np.cumsum(taken, axis=1, dtype=np.int32, out=self.before[:, 1:])

    def best(self, edges: FloatArray, turns: Turns, solid: int) -> tuple[Turns, FloatArray] | None:
        """Turn, and px from the corner of the tile, of the best spot; None when there is none."""
        found: tuple[float, Turns, FloatArray] | None = None
        known: list[NDArray[np.uint8]] = []
        for k in range(len(turns)):
            turn = turns[k : k + 1]
            local, low_x, low_y, width, height = turned(
                edges, turn.angle[0], turn.mirror[0], 1 / self.grid.cell
            )
            if max(height / self.grid.rows, width / self.grid.columns) > 1:
                continue
            hit = hit_grid(local, width, height, solid)
            if any(np.array_equal(hit, other) for other in known):
                continue
            known.append(hit)
            score, x, y = self._spot(hit)
            if y < 0 or (found is not None and score <= found[0]):
                continue
            at = np.array([x - low_x, y - low_y]) * self.grid.cell + self.grid.margin
            found = (score, turn, at)
        return None if found is None else (found[1], found[2])

    def _spot(self, hit: NDArray[np.uint8]) -> tuple[float, int, int]:
        """Score and cell of the best place of a mask; a row below 0 when there is none."""
        rows, columns = hit.shape
        ring = _ring(hit)
        own = _runs(hit)
        # Rows far apart first: a place that is taken is soon seen to be.
        first = np.argsort(spread(rows), kind="stable")[own[:, 0]]
        return best_place(  # type: ignore[no-any-return]
            self.before, own[np.argsort(first, kind="stable")], _runs(ring),
            self.grid.rows - rows + 1, self.grid.columns - columns + 1,
            np.array([columns, rows, ring.sum()], np.float64), self.near,
        )  # fmt: skip

    def restore(self, occupied: NDArray[np.uint8]) -> None:
        """Offer again what was forgotten."""
        if not np.array_equal(occupied, self.occupied):
            self.occupied = occupied
            self._count()

    def forget(self, edges: FloatArray) -> None:
        """Do not offer the spot of an island again: its outline edges (E, 2, 2) in px."""
        column, row = np.floor((edges[0, 0] - self.grid.margin) / self.grid.cell).astype(int)
        rows, columns = self.occupied.shape
        self.occupied[np.clip(row, 0, rows - 1), np.clip(column, 0, columns - 1)] = 1
        self._count()

    def take(self, edges: FloatArray) -> None:
        """Take the cells nearer than the padding to outline edges (E, 2, 2) in px."""
        grid = self.grid
        block(
            self.occupied, edges.reshape(-1, 4), np.array([0, len(edges)]), np.zeros(1, np.int64),
            grid.bands, 1 / grid.cell, grid.margin / grid.cell, grid.reach,
        )  # type: ignore[call-arg]  # fmt: skip
        self._count()


def _runs(mask: NDArray[np.uint8]) -> NDArray[np.int32]:
    """(R, 3) row, first and past-last column of each run of marked cells."""
    offsets, runs = row_runs(mask)
    row = np.repeat(np.arange(len(offsets) - 1, dtype=np.int32), np.diff(offsets))
    return np.concatenate([row[:, None], runs], axis=1).astype(np.int32)


def _ring(hit: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Cells round a mask, itself not among them; `RING` cells wider on each side."""
    rows, columns = hit.shape
    out = np.zeros((rows + 2 * RING, columns + 2 * RING), np.uint8)
    for dy in range(2 * RING + 1):
        for dx in range(2 * RING + 1):
            out[dy : dy + rows, dx : dx + columns] |= hit
    out[RING : RING + rows, RING : RING + columns][hit > 0] = 0
    return out
