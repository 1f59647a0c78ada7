"""Separation: let the pieces of a layout grow until they overlap, then push the overlap out.

References
----------
Egeblad, Nielsen and Odgaard 2007, Fast neighborhood search for two- and three-dimensional nesting
problems (overlap minimization with guided local search); Umetani and Murakami 2022 (on rasters);
Gardeyn and Wauters 2025 (the outer loop that shrinks the container, here: grows the pieces).
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack._depth_loops import Deep, deep_runs
from quilt_core.pack._separate_loops import LIGHTEST, World, separate
from quilt_core.pack.grid import make_grid
from quilt_core.pack.masks import Masks, make_masks
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.turns import Turns
from quilt_core.scene.types import FloatArray

State = NDArray[np.int32]

DEPTHS = np.array([1, 2, 4, 7, 11], np.int32)
DEPTH_WEIGHTS = np.array([1, 1, 2, 3, 4], np.int32)
"""A cell that lies so deep (in cells) in another piece weighs so much more: depth counts, not only
area."""


@dataclass(eq=False)
class _Lane:
    """What one thread works on."""

    state: State
    best: State
    weights: NDArray[np.int32]
    cells: NDArray[np.int32]
    facts: NDArray[np.int64]
    table: NDArray[np.int32]
    costs: NDArray[np.float32]


class Separator:
    """Separation on one grid; each lane has a state of its own."""

    def __init__(
        self,
        problem: PackProblem,
        settings: PackSettings,
        cells: int,
        pool: Executor | None,
        lanes: int,
        deep: bool,
    ) -> None:
        self.problem, self.settings, self._pool = problem, settings, pool
        self.grid = make_grid(settings, problem.obstacles, cells)
        # Masks take in every cell that is touched, about half a cell more on each side; on a coarse
        # grid
        # a cell less of padding makes up for it, and what then is too near is mended by linear
        # programs.
        self.reach = self.grid.reach - 1
        self._senses_depth = deep
        self._blocked = len(problem.obstacles.tile) > 0
        self._total = float(sum(tile.width * tile.height for tile in settings.bins))
        n = problem.count
        self.lanes = [
            _Lane(
                np.empty((n, 3), np.int32), np.empty((n, 3), np.int32), np.ones((n, n), np.int32),
                np.full((n, n + 1), -1, np.int32), np.zeros(2, np.int64),
                np.zeros((self.grid.rows, self.grid.columns + 1), np.int32),
                np.zeros(self.grid.columns + 1, np.float32),
            )
            for _ in range(lanes)
        ]  # fmt: skip
        self.scale = 0.0
        self.masks: Masks | None = None

    def prepare(self, scale: float, check: Callable[[], None]) -> None:
        """Make the masks for a scale."""
        if self.masks is None or scale != self.scale:
            scales = self.problem.scales(scale) / self.grid.cell
            self.masks = make_masks(self.problem, scales, self.reach, check, self._pool)
            m = self.masks
            # Small moves on a fine grid need no sense of depth, and its masks are large.
            self._deep = (
                Deep(
                    *deep_runs(m.stamp_at, m.stamp_offsets, m.stamp_run_at, m.stamp_runs, DEPTHS),  # type: ignore[call-arg]
                    DEPTH_WEIGHTS,
                )
                if self._senses_depth
                else Deep(
                    m.stamp_offsets[None], m.stamp_run_at[None], m.stamp_runs, DEPTH_WEIGHTS[:1]
                )
            )
            self.scale = scale

    def start(self, lane: int, state: State, fresh: bool = True) -> None:
        """Give a lane a state to begin with; `fresh` forgets what it has learnt."""
        own = self.lanes[lane]
        own.state[:] = state
        own.best[:] = state
        own.cells[0, 0] = -1
        own.facts[:] = (-1, 0)
        if fresh:
            own.weights[:] = LIGHTEST

    def state_of(self, attempt: Attempt) -> State:
        """Cells of a layout whose pieces are taken to grow about the middles of their boxes."""
        masks = self.masks
        assert masks is not None
        starts = masks.variant_start
        out = np.empty((self.problem.count, 3), np.int32)
        old, new = self.problem.scales(attempt.scale), self.problem.scales(self.scale)
        for p in range(self.problem.count):
            own = slice(starts[p], starts[p + 1])
            off = np.abs(masks.angle[own] - attempt.turn.angle[p])
            off[masks.mirror[own] != attempt.turn.mirror[p]] = np.inf
            variant = starts[p] + int(np.argmin(off))
            growth = old[p] / new[p]
            # The middle of the box of the turned piece, before and after it grew.
            extent = self._extent(variant, p)
            low = (
                masks.corner[variant] * growth
                + (attempt.shift[p] - self.grid.margin) / self.grid.cell
            )
            corner = low + 0.5 * extent * growth - 0.5 * extent
            if masks.size[variant, 0] == 0:
                variant = self._twin(variant, p)
            variant, tile = self._fitting(variant, p, int(attempt.tile[p]))
            first, end, columns = self.grid.bands[tile]
            width, height = masks.size[variant]
            out[p, 0] = np.clip(round(corner[0]), 0, max(columns - width, 0))
            out[p, 1] = np.clip(first + round(corner[1]), first, max(end - height, first))
            out[p, 2] = variant
        return out

    def _fitting(self, variant: int, piece: int, tile: int) -> tuple[int, int]:
        """The turn and tile of a piece, others where it has grown too long for them."""
        masks = self.masks
        assert masks is not None
        rooms = self.grid.bands[:, 1] - self.grid.bands[:, 0]
        own = range(int(masks.variant_start[piece]), int(masks.variant_start[piece + 1]))
        only = int(self.problem.tile[piece])
        tiles = [only] if only >= 0 else [tile, *(t for t in range(len(rooms)) if t != tile)]
        for t in tiles:
            for v in (variant, *own):
                width, height = masks.size[v]
                if 0 < width <= self.grid.bands[t, 2] and height <= rooms[t]:
                    return v, t
        return variant, tile

    def _extent(self, variant: int, piece: int) -> FloatArray:
        masks = self.masks
        assert masks is not None
        width, height = masks.size[variant]
        if width == 0:
            width = masks.size[self._twin(variant, piece), 0]
        return np.array([width, height], np.float64)

    def _twin(self, variant: int, piece: int) -> int:
        """The earlier variant with the same mask."""
        masks = self.masks
        assert masks is not None
        first = int(masks.variant_start[piece])
        same = [
            v
            for v in range(first, variant)
            if masks.size[v, 0] and masks.size[v, 1] == masks.size[variant, 1]
        ]
        return same[0] if same else first

    def fits(self) -> bool:
        """Whether every piece has a turn in which it fits a tile that it may lie in, at the
        prepared scale."""
        assert self.masks is not None
        size, starts = self.masks.size, self.masks.variant_start
        only = np.repeat(self.problem.tile, np.diff(starts))
        good = np.zeros(len(size), bool)
        for band, (first, end, columns) in enumerate(self.grid.bands):
            inside = (size[:, 0] > 0) & (size[:, 0] <= columns) & (size[:, 1] <= end - first)
            good |= inside & ((only < 0) | (only == band))
        return bool(np.logical_or.reduceat(good, starts[:-1]).all())

    def run(self, lane: int, moves: int, seed: int, reach: int = 0) -> tuple[int, int]:
        """Work for some moves; returns the fewest colliding cells so far (0: done) and rounds
        without gain."""
        masks, own = self.masks, self.lanes[lane]
        assert masks is not None
        world = World(self.grid.bands, self.problem.tile, self.grid.occupied, self._blocked)
        left = separate(  # type: ignore[call-arg]
            own.state,
            own.best,
            own.weights,
            own.cells,
            own.facts,
            moves,
            seed,
            reach,
            world,
            masks,
            self._deep,
            own.table,
            own.costs,
        )
        return int(left), int(own.facts[1])

    def attempt(self, lane: int) -> Attempt:
        """The layout of a lane that is free of collisions."""
        masks, state = self.masks, self.lanes[lane].best
        assert masks is not None
        variant = state[:, 2]
        tile = self.grid.tile_of(state[:, 1])
        local = state[:, :2] - np.stack([np.zeros(len(tile)), self.grid.bands[tile, 0]], axis=1)
        shift = (local - masks.corner[variant]) * self.grid.cell + self.grid.margin
        area = float((self.problem.areas * self.problem.scales(self.scale) ** 2).sum())
        placed = np.ones(len(tile), bool)
        turn = Turns(masks.angle[variant], masks.mirror[variant])
        return Attempt(self.scale, turn, shift, tile, placed, area / self._total, 0, 0)
