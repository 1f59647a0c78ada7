"""What a search has: the problem and its rules, the clock, the grids it places on, and its best so
far."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from quilt_core.pack.bounds import fineness
from quilt_core.pack.efforts import (
    FEWER_TURNS,
    HURRIED,
    MANY,
    POLISH_STEPS,
    SHARES,
    SHARES_OF_ORDERS,
    plan_for,
)
from quilt_core.pack.placer import Placer
from quilt_core.pack.problem import Attempt, PackProblem, nothing_placed
from quilt_core.pack.separation import Separation
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.turns import Turns

LANES = 2
MOVES_A_STEP = 100
MANY_STEPS = 200


class OutOfTime(Exception):
    """The time limit was reached or the caller wants to stop."""


def _without_half_turns(turns: Turns) -> Turns:
    return turns[(turns.angle < np.pi - 1e-9) | turns.mirror]


class SearchState:
    """A search between two of its steps."""

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
        self.problem, self.settings, self.stop, self.pool, self.aside = (
            problem,
            settings,
            stop,
            pool,
            aside,
        )
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
        self.image: Attempt | None = None
        self.fitted: Attempt | None = None
        self.settled = False  # what the orders can reach is beaten already
        self.separation: Separation | None = None
        self.order = np.empty(0, np.int64)
        self.left_over = np.empty(0, np.int64)

    def _placer_for(self, problem: PackProblem) -> Placer:
        return Placer(
            problem,
            self.settings,
            fineness(self.problem, self.settings, self.plan.explore),
            self.pool,
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
            raise OutOfTime

    def _hear(self) -> None:
        """Only whether the caller wants to stop: what is begun late is still brought to its end."""
        if self.stop():
            raise OutOfTime

    def _accept(self, found: Attempt) -> Attempt:
        self.best = found
        return self._progress()

    def _at_work(self, image: Attempt | None = None) -> Attempt:
        """The best layout, or while there is none the image of a pass."""
        if self.best is not None:
            return self._progress()
        # The same image is handed on until there is a newer one, so that nobody draws it twice.
        self.image = image or self.image or nothing_placed(self.problem)
        return replace(self.image, step=self.step, steps=self.steps)

    def _progress(self) -> Attempt:
        assert self.best is not None
        shown = self.best
        if self.fitted is not None and self.fitted.scale > shown.scale:
            shown = self.fitted
        return replace(shown, step=min(self.step, self.steps), steps=self.steps)
