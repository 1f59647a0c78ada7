"""The anytime search: place, look what did not fit, change the order, grow the scale.

A layout at one scale is made by placing the pieces in an order, each as low and as far left as it
goes, holes and bays included. When all fit, the scale grows; when some do not, the order is changed
and the change is kept if less area is left over. Known ways: bottom-left-fill on a raster, and
iterated local search over the order (Burke et al. 2006, A New Bottom-Left-Fill Heuristic Algorithm
for the Two-Dimensional Irregular Packing Problem).
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack._place_loops import clear, place_in_order
from quilt_core.pack.masks import Masks, make_masks
from quilt_core.pack.problem import Attempt, PackProblem, PackSettings

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

GRID = {"quick": 512, "standard": 1024, "thorough": 2048}
STEPS = {"quick": 12, "standard": 120, "thorough": 600}
FIRST_GUESSES = 7
CHUNK = 64
SLACK = 2.0**-22
"""Extra padding as a part of the tile's size: 32-bit files round UVs by up to half of this."""


class _OutOfTime(Exception):
    """The time limit was reached or the caller wants to stop."""


@dataclass
class _Grid:
    """The tile without its margin, in cells."""

    columns: int
    rows: int
    cell: float
    margin: float
    reach: float


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
        When there is nothing to pack or the margins leave no room.
    """
    if problem.count == 0:
        raise LayoutError("There are no islands to pack.", "", "Bring in meshes that have UVs.")
    yield from _Search(problem, settings, stop).run()


class _Search:
    def __init__(self, problem: PackProblem, settings: PackSettings, stop: Callable[[], bool]) -> None:
        self.problem, self.settings, self.stop = problem, settings, stop
        self.rng = np.random.default_rng(settings.seed)
        self.deadline = time.monotonic() + settings.seconds if settings.seconds else float("inf")
        self.steps = STEPS[settings.effort]
        self.step = 0
        self.best: Attempt | None = None
        self.masks: Masks | None = None
        self.masks_scale = 0.0
        self.masks_cell = 0.0
        self._set_grid(GRID[settings.effort])

    def _set_grid(self, cells: int) -> None:
        s = self.settings
        slack = max(s.width, s.height) * SLACK
        margin = s.margin + slack
        inner_w, inner_h = s.width - 2 * margin, s.height - 2 * margin
        if min(inner_w, inner_h) < 1:
            raise LayoutError(
                f"A margin of {s.margin:g} px leaves no room in {s.width} x {s.height} px.",
                "margin",
                "Make it smaller.",
            )
        # Padding is kept at two cells or more where the tile allows it: coarser would waste it.
        cell = max(inner_w, inner_h) / cells
        columns = max(1, round(inner_w / cell)) if inner_w >= inner_h else max(1, int(inner_w / cell))
        rows = max(1, round(inner_h / cell)) if inner_h >= inner_w else max(1, int(inner_h / cell))
        self.grid = _Grid(columns, rows, cell, margin, (s.padding + slack) / cell)
        self.after = np.empty((rows, columns + 1), np.int16 if columns < 32000 else np.int32)
        self.before = np.empty_like(self.after)

    def _check(self) -> None:
        if time.monotonic() > self.deadline or self.stop():
            raise _OutOfTime

    def run(self) -> Iterator[Attempt]:
        extent = np.array([self._longest(p) for p in range(self.problem.count)])
        order = np.lexsort((np.arange(self.problem.count), -extent))
        by_area = np.lexsort((np.arange(self.problem.count), -self.problem.areas))
        try:
            if self.settings.fixed_scale:
                yield from self._fixed((order, by_area))
            else:
                yield from self._grow(order, by_area)
        except _OutOfTime:
            pass
        if self.best is None:
            # Stopped before the first answer: a coarse one, without regard to the clock.
            yield from self._emergency(order)
        if self.best is None:
            raise LayoutError(
                "The islands do not fit even when made very small.",
                "pack",
                "Use a larger tile or less padding.",
            )
        yield self._with(self.best, done=True)

    def _emergency(self, order: IntArray) -> Iterator[Attempt]:
        self.deadline = float("inf")
        self.stop = lambda: False
        self._set_grid(256)
        scale = self.settings.fixed_scale or 0.7 * self._scale_bound()
        scale = 1.0 if self.settings.fixed_scale else float(scale)
        for _ in range(60):
            found, missed = self._place(order, scale)
            if self.settings.fixed_scale or not missed:
                self.best = found
                yield found
                return
            scale *= 0.8

    def _longest(self, piece: int) -> float:
        e = self.problem.edges[self.problem.starts[piece] : self.problem.starts[piece + 1]].reshape(-1, 2)
        low, high = e.min(axis=0), e.max(axis=0)
        return float(max(high - low))

    def _scale_bound(self) -> float:
        """Scale at which the areas alone, without padding, fill the tile."""
        area = float(self.problem.areas.sum())
        longest = max(self._longest(p) for p in range(self.problem.count))
        inner = self.grid.columns * self.grid.rows * self.grid.cell**2
        reach = float(np.hypot(self.grid.columns, self.grid.rows)) * self.grid.cell
        return min(np.sqrt(inner / area) if area > 0 else np.inf, reach / longest if longest > 0 else 1.0)

    def _grow(self, by_extent: IntArray, by_area: IntArray) -> Iterator[Attempt]:
        high = self._scale_bound()
        low = 0.0
        guess = 0.82 * high
        for n in range(FIRST_GUESSES + 24):
            if low > 0 and n >= FIRST_GUESSES:
                break
            found, missed = self._place(by_extent, guess, give_up=True)
            if missed:
                high = guess
                guess = 0.5 * (low + high) if low else 0.85 * guess
            else:
                low = guess
                yield self._accept(found)
                guess = 0.5 * (low + high)
        if self.best is None:
            return
        order = by_extent
        found, missed = self._place(by_area, self.best.scale * 1.004)
        if not missed:
            order = by_area
            yield self._accept(found)
        yield from self._improve(order)

    def _improve(self, order: IntArray) -> Iterator[Attempt]:
        """Local search over the order at a scale a little above the best one."""
        assert self.best is not None
        gain = 0.006
        target = self.best.scale * (1 + gain)
        current, current_left = order, np.inf
        failures = 0
        while self.step < self.steps:
            self.step += 1
            trial = self._disturbed(current, failures) if np.isfinite(current_left) else current
            found, missed = self._place(trial, target)
            left = float(self.problem.areas[~found.placed].sum()) if missed else 0.0
            if not missed:
                yield self._accept(found)
                current, current_left, failures = trial, np.inf, 0
                target = found.scale * (1 + gain)
                continue
            self.left_over = np.flatnonzero(~found.placed)
            if left <= current_left:
                current, current_left = trial, left
            failures += 1
            if failures % 12 == 0:
                gain = max(gain * 0.5, 0.0005)
                target = self.best.scale * (1 + gain)
                current_left = np.inf
            yield self._with(self.best, step=self.step)

    def _disturbed(self, order: IntArray, failures: int) -> IntArray:
        """Move what was left over forward, and a few others about."""
        out = order.tolist()
        for piece in self.left_over[:3]:
            at = out.index(piece)
            out.pop(at)
            out.insert(int(self.rng.integers(0, max(at, 1))), int(piece))
        for _ in range(1 + failures % 4):
            a = int(self.rng.integers(0, len(out)))
            piece = out.pop(a)
            reach = max(2, len(out) // 6)
            out.insert(int(np.clip(a + self.rng.integers(-reach, reach + 1), 0, len(out))), piece)
        return np.array(out, np.int64)

    def _fixed(self, orders: tuple[IntArray, ...]) -> Iterator[Attempt]:
        """Place as much area as possible at scale 1."""
        current, current_left = orders[0], np.inf
        queue = list(orders)
        while queue or self.step < self.steps:
            trial = queue.pop(0) if queue else self._disturbed(current, self.step)
            self.step += 1
            found, missed = self._place(trial, 1.0)
            left = float(self.problem.areas[~found.placed].sum()) if missed else 0.0
            self.left_over = np.flatnonzero(~found.placed)
            if left <= current_left:
                current, current_left = trial, left
                if self.best is None or found.coverage > self.best.coverage:
                    yield self._accept(found)
            if not missed:
                return
            if self.best is not None:
                yield self._with(self.best, step=self.step)

    def _place(self, order: IntArray, scale: float, give_up: bool = False) -> tuple[Attempt, int]:
        """One layout at one scale; the number of pieces that found no place comes with it."""
        self._check()
        grid = self.grid
        if self.masks is None or scale != self.masks_scale or grid.cell != self.masks_cell:
            self.masks = make_masks(self.problem, scale / grid.cell, grid.reach, self._check)
            self.masks_scale, self.masks_cell = scale, grid.cell
        masks = self.masks
        clear(self.after, self.before)
        places = np.full((self.problem.count, 3), -1, np.int32)
        missed = 0
        for start in range(0, len(order), CHUNK):
            self._check()
            missed += place_in_order(  # type: ignore[call-arg]
                order[start : start + CHUNK],
                self.after,
                self.before,
                masks.variant_start,
                masks.size,
                *masks.arrays,
                places,
            )
            if missed and give_up:
                break
        return self._attempt(places, scale), missed

    def _attempt(self, places: NDArray[np.int32], scale: float) -> Attempt:
        masks, grid = self.masks, self.grid
        assert masks is not None
        placed = places[:, 2] >= 0
        variant = np.where(placed, places[:, 2], masks.variant_start[:-1])
        shift = (places[:, :2] - masks.corner[variant]) * grid.cell + grid.margin
        area = float(self.problem.areas[placed].sum()) * scale**2
        coverage = area / (self.settings.width * self.settings.height)
        return Attempt(scale, masks.angle[variant], shift, placed, coverage, self.step, self.steps)

    def _accept(self, found: Attempt) -> Attempt:
        self.best = found
        return self._with(found, step=self.step)

    def _with(self, attempt: Attempt, step: int | None = None, done: bool = False) -> Attempt:
        a = attempt
        at = a.step if step is None else step
        return Attempt(
            a.scale, a.turn, a.shift, a.placed, a.coverage, self.steps if done else at, self.steps, done
        )
