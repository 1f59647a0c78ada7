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
from quilt_core.pack.problem import MIRRORED, Attempt, Effort, PackProblem, PackSettings
from quilt_core.pack.separation import Separation

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


@dataclass(frozen=True)
class Plan:
    """What an effort means.

    Parameters
    ----------
    explore : int
        Cells of the grid to try orders on.
    guesses, steps : int
        Scales tried for the plain orders, and changes of the order.
    moves, grids : int
        Moves of the separation, and finer grids that it ends on.
    polish : tuple of int
        Finer grids that the best order is placed on.
    """

    explore: int
    guesses: int
    steps: int
    moves: int
    grids: int
    polish: tuple[int, ...]


PLANS = {
    "quick": Plan(512, 5, 3, 0, 0, (1024,)),
    "standard": Plan(1024, 7, 60, 6000, 2, (2048,)),
    "thorough": Plan(1024, 7, 400, 80000, 4, (2048, 4096)),
}
LANES = 2
POLISH_STEPS = {"quick": 2, "standard": 5, "thorough": 7}
SHARES = {"explore": 0.4, "polish": 0.5, "separate": 0.8, "refine": 1.0}
"""Parts of a time limit at which each phase ends."""
MANY = 400
FEW_FILL, MANY_FILL = 0.82, 0.75
"""First guess at the scale, over the scale at which the areas alone fill the tiles."""
HURRIED = 100
"""With more pieces than this, quick effort does not look twice for places of one size."""
VERY_MANY = 30000
FEWER_TURNS = 2000
"""With more pieces than this, half turns are left out: they change little."""
FEW, MOST_SEPARATED = 100, 600
"""Separation pays at standard effort for few pieces, and at thorough effort for not too many."""
CELLS_PER_PIECE = 20
CELLS_ACROSS = 16
MOVES_A_STEP = 100
FINEST = 4096


def plan_for(effort: Effort, count: int) -> Plan:
    """The plan of an effort: with many pieces a step takes longer, and fewer are taken."""
    plan = PLANS[effort]
    if effort == "standard" and count > FEW:
        plan = replace(plan, steps=2 * plan.steps, moves=0, grids=0)
    if count > MOST_SEPARATED:
        plan = replace(plan, moves=0, grids=0)
    if count <= MANY:
        return plan
    return replace(
        plan,
        guesses=4 if count <= FEWER_TURNS or effort != "quick" else 2,
        steps=plan.steps * MANY // count if effort != "quick" else 0,
        polish=plan.polish if effort != "quick" and count < 5 * MANY else (),
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


def _without_half_turns(turns: FloatArray) -> FloatArray:
    return turns[(turns < np.pi - 1e-9) | (turns > MIRRORED - 7)]


class _Search:
    def __init__(
        self, problem: PackProblem, settings: PackSettings, stop: Callable[[], bool], pool: ThreadPoolExecutor
    ) -> None:
        if not problem.grows.any():
            settings = replace(settings, fixed_scale=True)
        if problem.count > FEWER_TURNS:
            problem = replace(problem, turns=tuple(_without_half_turns(t) for t in problem.turns))
        self.problem, self.settings, self.stop, self.pool = problem, settings, stop, pool
        self.plan = plan_for(settings.effort, problem.count)
        self.rng = np.random.default_rng(settings.seed)
        self.started = time.monotonic()
        self.deadline = np.inf
        self.hurried = problem.count > (HURRIED if settings.effort == "quick" else MANY)
        self.placer = self._placer(self.plan.explore, LANES)
        self.steps = (
            self.plan.steps
            + POLISH_STEPS[settings.effort] * len(self.plan.polish)
            + self.plan.moves // MOVES_A_STEP
        )
        self.step = 0
        self.best: Attempt | None = None
        self.separation: Separation | None = None
        self.order = np.empty(0, np.int64)
        self.left_over = np.empty(0, np.int64)

    def _placer(self, cells: int, lanes: int) -> Placer:
        return Placer(self.problem, self.settings, self._fineness(cells), self.pool, lanes, self.hurried)

    def _fineness(self, cells: int) -> int:
        """Cells for a grid on which a middling piece still has some cells along its edge."""
        wanted = CELLS_PER_PIECE * np.sqrt(self.problem.count)
        finest = FINEST if self.problem.count < VERY_MANY else FINEST // 2
        # A long and narrow tile must still have some cells across.
        wanted = max(
            wanted,
            CELLS_ACROSS * max(max(t.width / t.height, t.height / t.width) for t in self.settings.bins),
        )
        while cells < wanted and cells < finest:
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
        orders: tuple[IntArray, ...] = (
            np.argsort(-extent, kind="stable"),
            np.argsort(-self.problem.areas, kind="stable"),
        )
        if self.problem.count > FEWER_TURNS:
            orders = orders[:1]  # the other one takes three times as long
        explore = self._fixed(orders) if self.settings.fixed_scale else self._grow(orders)
        for phase, part in (
            ("explore", explore),
            ("polish", self._polish()),
            ("separate", self._separate()),
            ("refine", self._refine()),
        ):
            self._until(SHARES[phase])
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
        many = self.problem.count > MANY
        guess = (MANY_FILL if many else FEW_FILL) * high
        self.order = orders[0]
        for n in range(self.plan.guesses + 40):
            if low > 0 and n >= self.plan.guesses:
                break
            # Of many, the area left over says how much too large the guess was.
            trials = self._both(orders, guess, np.inf if many and not low else 0.0)
            left = [area for _, area in trials]
            k = int(np.argmin(left))
            if left[k] == 0:
                low, self.order = guess, orders[k]
                yield self._accept(trials[k][0])
                guess = min(0.5 * (low + high), low * 1.02) if many else 0.5 * (low + high)
            else:
                high = guess
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
            self.placer = self._placer(cells, 1)
            low, high = self.best.scale, self.best.scale * 1.04
            guess = low * 1.008
            for _ in range(POLISH_STEPS[self.settings.effort]):
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

    def _separate(self) -> Iterator[Attempt]:
        """Let the pieces overlap and push the overlap out."""
        if self.best is None or self.settings.fixed_scale or not self.plan.moves:
            return
        self.separation = Separation(
            self.problem, self.settings, self.best, self.pool, LANES, self._check, self.rng
        )
        before = self.step
        for found in self.separation.grow(self.plan.moves):
            self.step = before + self.separation.used // MOVES_A_STEP
            yield self._accept(found) if found else self._progress()

    def _refine(self) -> Iterator[Attempt]:
        """The same with small moves on finer grids."""
        if self.separation is not None:
            for found in self.separation.refine(self.plan.grids):
                yield self._accept(found) if found else self._progress()

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

    def _accept(self, found: Attempt) -> Attempt:
        self.best = found
        return self._progress()

    def _progress(self) -> Attempt:
        assert self.best is not None
        return replace(self.best, step=min(self.step, self.steps), steps=self.steps)
