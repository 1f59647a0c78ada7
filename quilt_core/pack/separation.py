"""The outer loop of the separation: grow, push apart, make exact, grow again."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from quilt_core.pack.compaction import compact
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.separator import Separator, State
from quilt_core.pack.settings import PackSettings

CELLS_PER_PIECE = 22
COARSE, FINE, CELLS_STEP = 256, 1024, 32
CHUNK = 60
"""Moves between two looks at the clock."""
PATIENCE = 25
"""Rounds without gain before a lane is stirred."""
STIRS = 3
"""Stirs before a growth is given up."""
FIRST_GAIN, MOST_GAIN, LEAST_GAIN = 0.006, 0.01, 0.001
ALMOST = 24
"""So few colliding cells may be nothing but the coarseness of the grid: exact distances are
tried."""
SETTLED = 4
"""How much finer the grid is on which a layout of the coarse one is made exact."""
SETTLE_TRIES, SETTLE_LOSS, WORTH_SETTLING = 5, 0.004, 0.012
COMPACTIONS, LEAST_MENDED = 16, 0.95
LEAST_FINE_GAIN, FINE_ROUNDS = 0.0008, 12
SHAKE_LOSS, HARDEST, SHAKE_ROUNDS = 0.004, 4, 40
"""Scale given up when a layout is shaken, for each step of hardness; steps of hardness; rounds to
get it free again."""


def grid_cells(count: int) -> int:
    """Cells of the grid that is searched: coarse ones are quick, and what they blur is made exact
    afterwards."""
    return int(
        np.clip(CELLS_STEP * np.ceil(CELLS_PER_PIECE * np.sqrt(count) / CELLS_STEP), COARSE, FINE)
    )


class Separation:
    """Better layouts from a good one, by overlap and its removal."""

    def __init__(
        self,
        problem: PackProblem,
        settings: PackSettings,
        best: Attempt,
        pool: ThreadPoolExecutor,
        lanes: int,
        check: Callable[[], None],
        rng: np.random.Generator,
        hear: Callable[[], None] | None = None,
    ) -> None:
        self.problem, self.settings, self.best = problem, settings, best
        self.pool, self.lanes, self.check, self.rng = pool, lanes, check, rng
        self.hear = hear
        self.used = 0
        self.rough: Attempt | None = None

    def grow(self, moves: int) -> Iterator[Attempt | None]:
        """Search the whole tiles for places; yields a layout, or None when there is no news.

        Where growth ends and moves are left, the best layout is shaken and grown again, harder each
        time.
        """
        separator = self._separator(grid_cells(self.problem.count), deep=True)
        yield from self._grow_from(separator, self.best, moves)
        shakes = 0
        while self.used < moves and self.problem.count > 1:
            before = self.best.scale
            shaken = yield from self._shaken(separator, shakes, moves)
            if shaken is not None:
                yield from self._grow_from(separator, shaken, moves)
            shakes = 0 if self.best.scale > before else shakes + 1

    def _shaken(
        self, separator: Separator, shakes: int, moves: int
    ) -> Generator[Attempt | None, None, Attempt | None]:
        """The best layout with some pieces exchanged, a little smaller, free of overlap again; None
        if that fails."""
        separator.prepare(self.best.scale * (1 - SHAKE_LOSS * (1 + shakes % HARDEST)), self.check)
        if not separator.fits():
            return None
        base = separator.state_of(self.best)
        for lane in range(self.lanes):
            separator.start(lane, base)
            for _ in range(1 + (shakes + lane) % HARDEST):
                separator.start(lane, self._stirred(separator, lane), fresh=False)
        for _ in range(SHAKE_ROUNDS):
            rounds = self._run(separator, CHUNK, 0)
            self.used += CHUNK * self.lanes
            # What is almost free gets free while it grows, or when exact distances are tried.
            done = next((lane for lane, (left, _) in enumerate(rounds) if left <= ALMOST), None)
            if done is not None:
                return separator.attempt(done)
            if self.used >= moves or min(idle for _, idle in rounds) > 2 * PATIENCE:
                break
            yield None
        return None

    def _grow_from(
        self, separator: Separator, rough: Attempt, moves: int
    ) -> Iterator[Attempt | None]:
        gain = FIRST_GAIN
        while gain > LEAST_GAIN and self.used < moves:
            separator.prepare(rough.scale * (1 + gain), self.check)
            if not separator.fits():
                gain *= 0.5
                continue
            base = separator.state_of(rough)
            for lane in range(self.lanes):
                separator.start(lane, base)
            done, stirs = None, 0
            while done is None and stirs < STIRS * self.lanes and self.used < moves:
                rounds = self._run(separator, CHUNK, 0)
                self.used += CHUNK * self.lanes
                done = next((lane for lane, (left, _) in enumerate(rounds) if left == 0), None)
                for lane, (left, idle) in enumerate(rounds):
                    if done is None and idle > PATIENCE:
                        if left <= ALMOST and (yield from self._mended(separator.attempt(lane))):
                            done = lane
                            break
                        separator.start(lane, self._stirred(separator, lane), fresh=False)
                        stirs += 1
                if done is None:
                    yield None
            if done is None:
                gain *= 0.5
                yield from self._settle()
                continue
            self.rough = rough = separator.attempt(done)
            gain = min(gain * 1.2, MOST_GAIN)
            if rough.scale > self.best.scale * (1 + WORTH_SETTLING):
                yield from self._settle()
        yield from self._settle()

    def _settle(self) -> Iterator[Attempt | None]:
        """Make the layout of the coarse grid exact: win back the distances and compact, else push
        apart on a finer grid first."""
        rough, self.rough = self.rough, None
        if rough is None or rough.scale <= self.best.scale * (1 + LEAST_FINE_GAIN):
            return
        if (yield from self._mended(rough)):
            return
        coarse = grid_cells(self.problem.count)
        separator = self._separator(SETTLED * coarse, deep=False)
        scale = rough.scale
        for _ in range(SETTLE_TRIES):
            if scale <= self.best.scale * (1 + LEAST_FINE_GAIN):
                return
            separator.prepare(scale, self.check)
            base = separator.state_of(rough)
            for lane in range(self.lanes):
                separator.start(lane, base)
            for _ in range(FINE_ROUNDS):
                rounds = self._run(separator, CHUNK, 3 * SETTLED)
                self.used += CHUNK * self.lanes
                done = next((lane for lane, (left, _) in enumerate(rounds) if left == 0), None)
                stuck = min(idle for _, idle in rounds) > PATIENCE
                if done is None and stuck:
                    done = next(
                        (lane for lane, (left, _) in enumerate(rounds) if left <= ALMOST), None
                    )
                if done is not None and (yield from self._mended(separator.attempt(done))):
                    return
                if done is not None or stuck:
                    break
                yield None
            scale = max(scale * (1 - SETTLE_LOSS), 0.5 * (scale + self.best.scale))

    def _mended(self, rough: Attempt) -> Generator[Attempt | None, None, bool]:
        """Win back the distances of a layout of the coarse grid and compact it; False when pieces
        overlap too much."""
        mended = None
        for mended in compact(
            self.problem, self.settings, rough, COMPACTIONS, self.check, LEAST_MENDED, self.hear
        ):
            if mended.scale > self.best.scale:
                self.best = mended
                yield mended
        return mended is not None

    def _separator(self, cells: int, deep: bool) -> Separator:
        return Separator(self.problem, self.settings, cells, self.pool, self.lanes, deep)

    def _run(self, separator: Separator, moves: int, reach: int) -> list[tuple[int, int]]:
        self.check()
        seeds = self.rng.integers(0, 2**31, self.lanes)
        tasks = [
            self.pool.submit(separator.run, lane, moves, int(seeds[lane]), reach)
            for lane in range(self.lanes)
        ]
        return [task.result() for task in tasks]

    def _stirred(self, separator: Separator, lane: int) -> State:
        """The lane's best state with two pieces of like size exchanged."""
        state = separator.lanes[lane].best.copy()
        assert separator.masks is not None
        size = separator.masks.size[state[:, 2]]
        a = int(self.rng.choice(len(state), p=self.problem.areas / self.problem.areas.sum()))
        near = np.argsort(np.abs(np.log(self.problem.areas / self.problem.areas[a])), kind="stable")
        b = int(near[self.rng.integers(0, min(len(near), 1 + max(4, len(near) // 4)))])
        only = self.problem.tile
        if a == b or only[a] != only[b]:
            return state
        tiles = separator.grid.tile_of(state[:, 1])
        corner = state[[b, a], :2].copy()
        for piece, place, tile in ((a, corner[0], tiles[b]), (b, corner[1], tiles[a])):
            first, end, columns = separator.grid.bands[tile]
            width, height = size[piece]
            if width <= columns and height <= end - first:
                state[piece, 0] = min(place[0], columns - width)
                state[piece, 1] = min(place[1], end - height)
        return state
