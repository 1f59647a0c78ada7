"""The anytime search: place, look what did not fit, change the order, grow the scale.

A layout at one scale is made by placing the pieces in an order, each as low and as far left as it
goes, holes and bays included. When all fit, the scale grows; when some do not, the order is changed
and the change is kept if less area is left over. The search explores on a coarse grid, two orders at
a time on two cores, then on finer grids, and ends with compaction, which knows no cells. Known ways:
bottom-left-fill on a raster, and local search over the order (Burke et al. 2006, A New
Bottom-Left-Fill Heuristic Algorithm for the Two-Dimensional Irregular Packing Problem).
"""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable, Generator, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack.bounds import fineness, scale_bound
from quilt_core.pack.compaction import compact
from quilt_core.pack.efforts import (
    FEWER_TURNS,
    HURRIED,
    MANY,
    POLISH_STEPS,
    SHARES,
    SHARES_OF_ORDERS,
    plan_for,
)
from quilt_core.pack.fitting import fit
from quilt_core.pack.many import grow_many
from quilt_core.pack.orders import disturbed, first_orders
from quilt_core.pack.pace import steady, while_at_work
from quilt_core.pack.placer import Placer
from quilt_core.pack.problem import MIRRORED, Attempt, PackProblem, PackSettings, nothing_placed
from quilt_core.pack.separation import Separation

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


LANES = 2
FEW_FILL, MANY_FILL = 0.82, 0.75
"""First guess at the scale, over the scale at which the areas alone fill the tiles."""
MOVES_A_STEP = 100
MANY_STEPS = 200
GAINS = (0.006, 0.02, 0.012)
"""What each climb of the order search tries to gain at first."""
PATIENCE = 50
"""Steps without a gain after which a climb ends."""
OUT_OF_REACH = 0.014
"""Gain of the mating pieces over the plain orders that better orders seldom make good."""


class _OutOfTime(Exception):
    """The time limit was reached or the caller wants to stop."""


def search(
    problem: PackProblem, settings: PackSettings, stop: Callable[[], bool] = lambda: False
) -> Iterator[Attempt]:
    """Yield better and better layouts; the last one has ``done`` set.

    When a first layout takes long, as of thousands of pieces, pictures of the pass at work come, which are
    not ``whole``.
    When it is stopped before, there is no layout at all.

    Parameters
    ----------
    problem : PackProblem
    settings : PackSettings
    stop : callable
        Asked often; when it says True the search ends with its best so far.

    Raises
    ------
    LayoutError
        When there is nothing to pack, the margins leave no room, or nothing fits.
    """
    if problem.count == 0:
        raise LayoutError("There are no islands to pack.", "", "Bring in meshes that have UVs.")
    with ThreadPoolExecutor(LANES) as pool, ThreadPoolExecutor(1) as aside:
        yield from steady(_Search(problem, settings, stop, pool, aside).run())


def _without_half_turns(turns: FloatArray) -> FloatArray:
    return turns[(turns < np.pi - 1e-9) | (turns > MIRRORED - 7)]


class _Search:
    def __init__(
        self,
        problem: PackProblem,
        settings: PackSettings,
        stop: Callable[[], bool],
        pool: ThreadPoolExecutor,
        aside: ThreadPoolExecutor,
    ) -> None:
        if not problem.grows.any():
            settings = replace(settings, fixed_scale=True)
        if problem.count > FEWER_TURNS:
            problem = replace(problem, turns=tuple(_without_half_turns(t) for t in problem.turns))
        self.problem, self.settings, self.stop, self.pool, self.aside = problem, settings, stop, pool, aside
        self.plan = plan_for(settings.effort, problem.count)
        self.rng = np.random.default_rng(settings.seed)
        self.started = time.monotonic()
        self.deadline = np.inf
        self.hurried = problem.count > (HURRIED if settings.effort == "quick" else MANY)
        self.placer = self._placer(self.plan.explore, LANES)
        self.steps = (
            self.plan.steps
            + 2 * self.plan.compactions  # of the mating pieces, and of the others
            + POLISH_STEPS[settings.effort] * len(self.plan.polish)
            + self.plan.moves // MOVES_A_STEP
            + (MANY_STEPS if problem.count > FEWER_TURNS else 0)
        )
        self.step = 0
        self.best: Attempt | None = None
        self.picture: Attempt | None = None
        self.fitted: Attempt | None = None
        self.settled = False  # what the orders can reach is beaten already
        self.separation: Separation | None = None
        self.order = np.empty(0, np.int64)
        self.left_over = np.empty(0, np.int64)

    def _placer_for(self, problem: PackProblem) -> Placer:
        return Placer(
            problem, self.settings, fineness(self.problem, self.settings, self.plan.explore), self.pool
        )

    def _placer(self, cells: int, lanes: int) -> Placer:
        return Placer(
            self.problem,
            self.settings,
            fineness(self.problem, self.settings, cells),
            self.pool,
            lanes,
            self.hurried,
        )

    def _until(self, phase: str) -> None:
        """Let the time run out when the share of the limit is used that ends with this phase."""
        if self.settings.seconds:
            share = (SHARES if self.plan.moves else SHARES_OF_ORDERS)[phase]
            self.deadline = self.started + share * self.settings.seconds

    def _check(self) -> None:
        if time.monotonic() > self.deadline or self.stop():
            raise _OutOfTime

    def _hear(self) -> None:
        """Only whether the caller wants to stop: what is begun late is still brought to its end."""
        if self.stop():
            raise _OutOfTime

    def run(self) -> Iterator[Attempt]:
        orders: tuple[IntArray, ...] = first_orders(self.problem)
        if self.problem.count > FEWER_TURNS:
            orders = orders[:1]  # the other one takes three times as long
        explore = self._fixed(orders) if self.settings.fixed_scale else self._grow(orders)
        for phase, part in (
            ("explore", explore),
            ("polish", self._polish()),
            ("compact", self._after_orders()),
            ("separate", self._separate()),
            ("refine", self._compact()),
        ):
            self._until(phase)
            try:
                yield from part
            except _OutOfTime:
                if self.stop():
                    break
        if self.best is None:
            if self.stop() and self.problem.count > FEWER_TURNS:
                return  # even a coarse layout would take longer than one wants to wait
            yield from self._emergency(orders[0])
        if self.best is None:
            raise LayoutError(
                "The islands do not fit even when made very small.",
                "pack",
                "Use a larger tile or less padding, or unlock islands that keep their place or size.",
            )
        yield replace(self._progress(), step=self.steps, done=True)

    def _grow(self, orders: tuple[IntArray, ...]) -> Iterator[Attempt]:
        """Find the largest scale of the plain orders, then improve the order."""
        if len(orders) == 1:
            self.order = orders[0]
            placers = (self.placer, self._placer(self.plan.explore, 1))
            for news in grow_many(
                self.problem, self.settings, placers, self.pool, self.order, self.plan.guesses, self._check
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
        """Local search over the order: climb from the plain order and its scale again and again; the best of all counts."""
        start = self.order
        for climb in itertools.count():
            yield from self._climb(start, plain, GAINS[climb % len(GAINS)])
            if self.step >= self.plan.steps:
                return

    def _climb(self, current: IntArray, scale: float, gain: float) -> Iterator[Attempt]:
        """Change the order at a scale a little above the one it reached, until that gets no further."""
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

    def _after_orders(self) -> Iterator[Attempt]:
        """Compact the best layout of the orders; go on with that of the mating pieces if it is better."""
        yield from self._compact()
        if self.fitted is not None and self.best is not None and self.fitted.scale > self.best.scale:
            yield self._accept(self.fitted)

    def _separate(self) -> Iterator[Attempt]:
        """Let the pieces overlap and push the overlap out."""
        tidy = self.problem.region is not None  # pieces would leave their regions
        if self.best is None or self.settings.fixed_scale or not self.plan.moves or tidy:
            return
        self.separation = Separation(
            self.problem, self.settings, self.best, self.pool, LANES, self._check, self.rng, self._hear
        )
        before = self.step
        for found in self.separation.grow(self.plan.moves):
            self.step = before + self.separation.used // MOVES_A_STEP
            yield self._accept(found) if found else self._progress()

    def _compact(self) -> Iterator[Attempt]:
        """Let all pieces move and grow at once; the raster's cells no longer count."""
        if self.best is None or self.settings.fixed_scale or not self.plan.compactions:
            return
        for found in compact(
            self.problem, self.settings, self.best, self.plan.compactions, self._check, hear=self._hear
        ):
            self.step += 1
            yield self._accept(found)

    def _emergency(self, order: IntArray) -> Iterator[Attempt]:
        """Stopped before the first answer: a coarse one, without regard to the clock."""
        self.placer = self._placer(256, 1)
        scale = 1.0 if self.settings.fixed_scale else 0.7 * scale_bound(self.problem, self.settings)
        for _ in range(60):
            found, left = self.placer.place(order, scale, lambda: None)
            if self.settings.fixed_scale or left == 0:
                yield self._accept(found)
                return
            scale *= 0.8
            self.placer.loosen()

    def _accept(self, found: Attempt) -> Attempt:
        self.best = found
        return self._progress()

    def _at_work(self, picture: Attempt | None = None) -> Attempt:
        """The best layout, or while there is none the picture of a pass."""
        if self.best is not None:
            return self._progress()
        # The same picture is handed on until there is a newer one, so that nobody draws it twice.
        self.picture = picture or self.picture or nothing_placed(self.problem)
        return replace(self.picture, step=self.step, steps=self.steps)

    def _progress(self) -> Attempt:
        assert self.best is not None
        shown = self.best
        if self.fitted is not None and self.fitted.scale > shown.scale:
            shown = self.fitted
        return replace(shown, step=min(self.step, self.steps), steps=self.steps)
