"""The anytime search: place, look what did not fit, change the order, grow the scale.

A layout at one scale is made by placing the pieces in an order, each as low and as far left as it
goes, holes and bays included. When all fit, the scale grows; when some do not, the order is changed
and the change is kept if less area is left over. The search explores on a coarse grid, two orders at
a time on two cores, and ends on finer grids, where less is lost to the cells. Known ways:
bottom-left-fill on a raster, and local search over the order (Burke et al. 2006, A New
Bottom-Left-Fill Heuristic Algorithm for the Two-Dimensional Irregular Packing Problem).
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack.placer import Placer
from quilt_core.pack.problem import Attempt, Effort, PackProblem, PackSettings

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


@dataclass(frozen=True)
class Plan:
    """What an effort means: the grid to explore on, steps there, and finer grids to end on."""

    explore: int
    steps: int
    polish: tuple[int, ...]


PLANS = {
    "quick": Plan(512, 16, (1024,)),
    "standard": Plan(1024, 120, (2048,)),
    "thorough": Plan(1024, 900, (2048, 4096)),
}
LANES = 2
FIRST_GUESSES = 7
POLISH_STEPS = 7
POLISH_SHARE = 0.2
"""Part of a time limit that is kept for the finer grids."""


MANY = 400
CELLS_PER_PIECE = 10
FINEST = 4096


def plan_for(effort: Effort, count: int) -> Plan:
    """The plan of an effort: with many pieces a step takes longer, and fewer are taken."""
    plan = PLANS[effort]
    if count <= MANY:
        return plan
    return replace(
        plan, steps=max(1, plan.steps * MANY // count), polish=plan.polish if count < 5 * MANY else ()
    )


class _OutOfTime(Exception):
    """The time limit was reached or the caller wants to stop."""


def search(
    problem: PackProblem, settings: PackSettings, stop: Callable[[], bool] = lambda: False
) -> Iterator[Attempt]:
    """Yield better and better layouts; the last one has ``done`` set.

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
    with ThreadPoolExecutor(LANES) as pool:
        yield from _Search(problem, settings, stop, pool).run()


def longest_edges(problem: PackProblem) -> FloatArray:
    """(P,) longer edge of the bounding box of each piece in px at scale 1."""
    box = [
        extreme.reduceat(problem.edges[:, k::2].ravel(), 2 * problem.starts[:-1])
        for k in (0, 1)
        for extreme in (np.maximum, np.minimum)
    ]
    return np.asarray(np.maximum(box[0] - box[1], box[2] - box[3]))


def scale_bound(problem: PackProblem, settings: PackSettings) -> float:
    """Scale at which the areas alone, without padding, fill the tiles; 1 when nothing grows."""
    grows = problem.grows
    area, longest = float(problem.areas[grows].sum()), longest_edges(problem)
    if not grows.any() or area <= 0:
        return 1.0
    inner = np.array(
        [(t.width - 2 * settings.margin, t.height - 2 * settings.margin) for t in settings.bins]
    ).clip(1e-9)
    room = max(
        float(inner.prod(axis=1).sum() - problem.areas[~grows].sum()), 1e-3 * float(inner.prod(axis=1).sum())
    )
    by_length = float(np.hypot(*inner.T).max()) / max(float(longest[grows].max()), 1e-300)
    return float(min(np.sqrt(room / area), by_length))


class _Search:
    def __init__(
        self, problem: PackProblem, settings: PackSettings, stop: Callable[[], bool], pool: ThreadPoolExecutor
    ) -> None:
        if not problem.grows.any():
            settings = replace(settings, fixed_scale=True)
        self.problem, self.settings, self.stop, self.pool = problem, settings, stop, pool
        self.plan = plan_for(settings.effort, problem.count)
        self.rng = np.random.default_rng(settings.seed)
        self.started = time.monotonic()
        self.deadline = np.inf
        self.placer = Placer(problem, settings, self._fineness(self.plan.explore), pool, LANES)
        self.steps = self.plan.steps + POLISH_STEPS * len(self.plan.polish)
        self.step = 0
        self.best: Attempt | None = None
        self.order = np.empty(0, np.int64)
        self.left_over = np.empty(0, np.int64)

    def _fineness(self, cells: int) -> int:
        """Cells for a grid on which a middling piece still has some cells along its edge."""
        wanted = CELLS_PER_PIECE * np.sqrt(self.problem.count)
        while cells < wanted and cells < FINEST:
            cells *= 2
        return cells

    def _until(self, share: float) -> None:
        """Let the time run out when this share of the limit is used."""
        if self.settings.seconds:
            self.deadline = self.started + share * self.settings.seconds

    def _check(self) -> None:
        if time.monotonic() > self.deadline or self.stop():
            raise _OutOfTime

    def run(self) -> Iterator[Attempt]:
        extent = longest_edges(self.problem)
        orders = (
            np.argsort(-extent, kind="stable"),
            np.argsort(-self.problem.areas, kind="stable"),
        )
        explore = self._fixed(orders) if self.settings.fixed_scale else self._grow(orders)
        for share, part in ((1 - POLISH_SHARE, explore), (1.0, self._polish())):
            self._until(share)
            try:
                yield from part
            except _OutOfTime:
                if self.stop():
                    break
        if self.best is None:
            yield from self._emergency(orders[0])
        if self.best is None:
            raise LayoutError(
                "The islands do not fit even when made very small.",
                "pack",
                "Use a larger tile or less padding, or unlock islands that keep their place or size.",
            )
        yield replace(self.best, step=self.steps, steps=self.steps, done=True)

    def _grow(self, orders: tuple[IntArray, ...]) -> Iterator[Attempt]:
        """Find the largest scale of the plain orders, then improve the order."""
        high, low = scale_bound(self.problem, self.settings), 0.0
        guess = 0.82 * high
        self.order = orders[0]
        for n in range(FIRST_GUESSES + 40):
            if low > 0 and n >= (FIRST_GUESSES if self.problem.count <= MANY else FIRST_GUESSES // 2):
                break
            trials = self._both(orders, guess, 0.0)
            fitting = [k for k, (_, left) in enumerate(trials) if left == 0]
            if fitting:
                low, self.order = guess, orders[fitting[0]]
                yield self._accept(trials[fitting[0]][0])
                guess = 0.5 * (low + high)
            else:
                high = guess
                guess = 0.5 * (low + high) if low else 0.85 * guess
        if self.best is not None:
            yield from self._improve()

    def _improve(self) -> Iterator[Attempt]:
        """Local search over the order at a scale a little above the best one."""
        assert self.best is not None
        gain, failures, left_now = 0.006, 0, np.inf
        current = self.order
        target = self.best.scale * (1 + gain)
        while self.step < self.plan.steps:
            self.step += 1
            pair = [current, self._disturbed(current, 0)] if np.isinf(left_now) else []
            while len(pair) < LANES:
                pair.append(self._disturbed(current, failures + len(pair)))
            trials = self._both(tuple(pair), target, left_now)
            k = int(np.argmin([left for _, left in trials]))
            found, left = trials[k]
            if left == 0:
                self.order = current = pair[k]
                failures, left_now = 0, np.inf
                yield self._accept(found)
                target = found.scale * (1 + gain)
                continue
            if left <= left_now:
                current, left_now = pair[k], left
                self.left_over = np.flatnonzero(~found.placed)
            failures += 1
            if failures % 10 == 0:
                gain = max(gain * 0.6, 0.0005)
                target = self.best.scale * (1 + gain)
                left_now = np.inf
            yield self._progress()

    def _both(self, orders: tuple[IntArray, ...], scale: float, limit: float) -> list[tuple[Attempt, float]]:
        """Try orders at the same time, a lane each; deterministic, as each has buffers of its own."""
        self.placer.prepare(scale, self._check)
        tasks = [
            self.pool.submit(self.placer.place, order, scale, self._check, lane, limit)
            for lane, order in enumerate(orders)
        ]
        return [task.result() for task in tasks]

    def _disturbed(self, order: IntArray, strength: int) -> IntArray:
        """Move some of what was left over forward, and a few others about."""
        out = order.tolist()
        chosen = self.left_over[: 1 + strength % 3]
        for piece in chosen:
            at = out.index(piece)
            out.pop(at)
            out.insert(int(self.rng.integers(0, max(at, 1))), int(piece))
        for _ in range(1 + strength % 4):
            a = int(self.rng.integers(0, len(out)))
            piece = out.pop(a)
            reach = max(2, len(out) // 6)
            out.insert(int(np.clip(a + self.rng.integers(-reach, reach + 1), 0, len(out))), piece)
        return np.array(out, np.int64)

    def _fixed(self, orders: tuple[IntArray, ...]) -> Iterator[Attempt]:
        """Place as much area as possible at scale 1."""
        pair, left_now = orders, np.inf
        while True:
            self.step += 1
            trials = self._both(pair, 1.0, np.inf)
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
        if self.settings.fixed_scale:
            return
        for cells in self.plan.polish:
            if self.best is None:
                return
            self.placer = Placer(self.problem, self.settings, self._fineness(cells), self.pool)
            low, high = self.best.scale, self.best.scale * 1.04
            guess = low * 1.008
            for _ in range(POLISH_STEPS):
                self.step += 1
                found, left = self.placer.place(self.order, guess, self._check, limit=0.0)
                if left == 0:
                    low = guess
                    yield self._accept(found)
                    guess = min(0.5 * (low + high), low * 1.008)
                else:
                    high = guess
                    guess = 0.5 * (low + high)
                    yield self._progress()

    def _emergency(self, order: IntArray) -> Iterator[Attempt]:
        """Stopped before the first answer: a coarse one, without regard to the clock."""
        self.placer = Placer(self.problem, self.settings, self._fineness(256))
        scale = 1.0 if self.settings.fixed_scale else 0.7 * scale_bound(self.problem, self.settings)
        for _ in range(60):
            found, left = self.placer.place(order, scale, lambda: None)
            if self.settings.fixed_scale or left == 0:
                yield self._accept(found)
                return
            scale *= 0.8

    def _accept(self, found: Attempt) -> Attempt:
        self.best = found
        return self._progress()

    def _progress(self) -> Attempt:
        assert self.best is not None
        return replace(self.best, step=min(self.step, self.steps), steps=self.steps)
