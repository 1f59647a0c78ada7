"""The search over orders: place all pieces, grow the scale, change the order, place on finer
grids."""

from __future__ import annotations

import itertools
from collections.abc import Generator, Iterator

import numpy as np

from quilt_core.pack.bounds import scale_bound
from quilt_core.pack.efforts import MANY, POLISH_STEPS
from quilt_core.pack.fitting import fit
from quilt_core.pack.many import grow_many
from quilt_core.pack.orders import disturbed
from quilt_core.pack.pace import while_at_work
from quilt_core.pack.problem import Attempt
from quilt_core.pack.search_state import LANES, MANY_STEPS, SearchState
from quilt_core.scene.types import IntArray

FEW_FILL, MANY_FILL = 0.82, 0.75
"""First guess at the scale, over the scale at which the areas alone fill the tiles."""
GAINS = (0.006, 0.02, 0.012)
"""What each climb of the order search tries to gain at first."""
PATIENCE = 50
"""Steps without a gain after which a climb ends."""
OUT_OF_REACH = 0.014
"""Gain of the mating pieces over the plain orders that better orders seldom make good."""


class OrderSearch(SearchState):
    """Layouts by placing the pieces one after the other."""

    def _grow(self, orders: tuple[IntArray, ...]) -> Iterator[Attempt]:
        """Find the largest scale of the plain orders, then improve the order."""
        if len(orders) == 1:
            self.order = orders[0]
            placers = (self.placer, self._placer(self.plan.explore, 1))
            for news in grow_many(
                self.problem,
                self.settings,
                placers,
                self.pool,
                self.order,
                self.plan.guesses,
                self._check,
            ):
                self.step = int(news.share * MANY_STEPS)
                if news.found is not None and news.found.whole:
                    yield self._accept(news.found)
                else:
                    yield self._at_work(news.found)
            return
        high, low = scale_bound(self.problem, self.settings), 0.0
        many = self.problem.count > MANY
        guess = (MANY_FILL if many else FEW_FILL) * high
        self.order = orders[0]
        for n in range(self.plan.guesses + 40):
            if low > 0 and n >= self.plan.guesses:
                break
            # Of many, the area left over says how much too large the guess was.
            trials = yield from self._both(orders, guess, np.inf if many and not low else 0.0)
            left = [area for _, area in trials]
            k = int(np.argmin(left))
            if left[k] == 0:
                low, self.order = guess, orders[k]
                yield self._accept(trials[k][0])
                guess = min(0.5 * (low + high), low * 1.02) if many else 0.5 * (low + high)
            else:
                high = guess
                if not low:
                    self.placer.loosen()
                placed = 1 - left[k] / self.problem.areas.sum()
                guess = (
                    0.5 * (low + high)
                    if low
                    else guess * min(0.985 * np.sqrt(placed), 0.97)
                    if many
                    else 0.85 * guess
                )
                if self.best is not None:
                    yield self._progress()
        if self.best is None:
            return
        plain = self.best.scale
        yield from self._fit()
        if not self.settled or (self.settings.effort == "thorough" and not self.plan.moves):
            yield from self._improve(plain)

    def _improve(self, plain: float) -> Iterator[Attempt]:
        """Local search over the order: climb from the plain order and its scale again and again;
        the best of all counts."""
        start = self.order
        for climb in itertools.count():
            yield from self._climb(start, plain, GAINS[climb % len(GAINS)])
            if self.step >= self.plan.steps:
                return

    def _climb(self, current: IntArray, scale: float, gain: float) -> Iterator[Attempt]:
        """Change the order at a scale a little above the one it reached, until that gets no
        further."""
        assert self.best is not None
        failures, silent, left_now = 0, 0, np.inf
        target = scale * (1 + gain)
        while self.step < self.plan.steps and silent < PATIENCE:
            self.step += 1
            pair = [current, self._disturbed(current, 0)] if np.isinf(left_now) else []
            while len(pair) < LANES:
                pair.append(self._disturbed(current, failures + len(pair)))
            trials = yield from self._both(tuple(pair), target, left_now)
            k = int(np.argmin([left for _, left in trials]))
            found, left = trials[k]
            if left == 0:
                current, scale = pair[k], found.scale
                failures, silent, left_now = 0, 0, np.inf
                if scale > self.best.scale:
                    self.order, self.settled = current, False
                    yield self._accept(found)
                target = scale * (1 + gain)
                continue
            if left <= left_now:
                current, left_now = pair[k], left
                self.left_over = np.flatnonzero(~found.placed)
            failures += 1
            silent += 1
            if failures % 10 == 0:
                gain = max(gain * 0.6, 0.0005)
                target = scale * (1 + gain)
                left_now = np.inf
            yield self._progress()

    def _both(
        self, orders: tuple[IntArray, ...], scale: float, limit: float
    ) -> Generator[Attempt, None, list[tuple[Attempt, float]]]:
        """Try orders at the same time, a lane each; deterministic, as each has buffers of its own.

        Yields how it stands when it takes long.
        """
        masks = self.aside.submit(self.placer.prepare, scale, self._check)
        for _ in while_at_work([masks]):
            yield self._at_work()
        masks.result()
        tasks = [
            self.pool.submit(self.placer.place, order, scale, self._check, lane, limit)
            for lane, order in enumerate(orders)
        ]
        for _ in while_at_work(tasks):
            yield self._at_work(self.placer.so_far())
        return [task.result() for task in tasks]

    def _disturbed(self, order: IntArray, strength: int) -> IntArray:
        return disturbed(order, self.left_over, strength, self.rng, self.problem.region)

    def _fixed(self, orders: tuple[IntArray, ...]) -> Iterator[Attempt]:
        """Place as much area as possible at scale 1."""
        pair, left_now = orders, np.inf
        while True:
            self.step += 1
            trials = yield from self._both(pair, 1.0, np.inf)
            k = int(np.argmin([left for _, left in trials]))
            found, left = trials[k]
            if left <= left_now:
                self.order, left_now = pair[k], left
                self.left_over = np.flatnonzero(~found.placed)
                if self.best is None or found.coverage > self.best.coverage:
                    yield self._accept(found)
            if left == 0 or self.step >= self.plan.steps:
                return
            pair = tuple(self._disturbed(self.order, self.step + lane) for lane in range(LANES))
            yield self._progress()

    def _polish(self) -> Iterator[Attempt]:
        """Place the best order again on finer grids, where the scale can grow a little more."""
        if self.settings.fixed_scale or self.settled:
            return
        for cells in self.plan.polish:
            if self.best is None:
                return
            self.placer, before = self._placer(cells, 1), self.placer
            self.placer.widenings = before.widenings
            low, high = self.best.scale, self.best.scale * 1.04
            guess = low * 1.008
            for _ in range(POLISH_STEPS[self.settings.effort]):
                self.step += 1
                self.placer.prepare(guess, self._check)
                found, left = self.placer.place(self.order, guess, self._check, limit=0.0)
                if left == 0:
                    low = guess
                    yield self._accept(found)
                    guess = min(0.5 * (low + high), low * 1.008)
                else:
                    high = guess
                    guess = 0.5 * (low + high)
                    yield self._progress()

    def _fit(self) -> Iterator[Attempt]:
        """Lay pieces whose outlines run along one another side by side."""
        assert self.best is not None
        if not self.plan.compactions or self.problem.region is not None:
            return
        plain = self.best.scale
        for found in fit(
            self.problem,
            self.settings,
            self._placer_for,
            self.best,
            self.plan.compactions,
            self._check,
            self._hear,
        ):
            self.step += 1
            self.fitted = found
            if found.scale > plain * (1 + OUT_OF_REACH):
                self.best, self.settled = found, True
            yield self._progress()
