"""The anytime search: place, look what did not fit, change the order, grow the scale.

A layout at one scale is made by placing the pieces in an order, each as low and as far left as it
goes, holes and bays included. When all fit, the scale grows; when some do not, the order is changed
and the change is kept if less area is left over. The search explores on a coarse grid, two orders
at a time on two cores, then on finer grids, and ends with compaction, which knows no cells. Known
ways: bottom-left-fill on a raster, and local search over the order (Burke et al. 2006, A New
Bottom-Left-Fill Heuristic Algorithm for the Two-Dimensional Irregular Packing Problem).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.pack.bounds import bare_band, scale_bound
from quilt_core.pack.compaction import compact
from quilt_core.pack.efforts import FEWER_TURNS
from quilt_core.pack.order_search import OrderSearch
from quilt_core.pack.orders import first_orders
from quilt_core.pack.pace import steady
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.search_state import LANES, MOVES_A_STEP, OutOfTime
from quilt_core.pack.separation import Separation
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.types import IntArray

MOST_FILLED = 1000
"""With more pieces a pass takes long, and they reach the borders anyway."""
BARE = 0.012
"""Bands along the borders up to this part of the side are nothing to do about."""
FILLS = (0.7, 0.5, 0.5, 0.35, 0.35, 0.25, 0.25, 0.15)
"""Parts of the bare band by which the scale is raised, one try after the other."""


def search(
    problem: PackProblem, settings: PackSettings, stop: Callable[[], bool] = lambda: False
) -> Iterator[Attempt]:
    """Yield better and better layouts; the last one has ``done`` set.

    When a first layout takes long, as of thousands of pieces, images of the pass at work come,
    which are not ``whole``.
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


class _Search(OrderSearch):
    """All phases: orders, mating pieces, compaction, separation."""

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
            ("refine", self._fill()),
        ):
            self._until(phase)
            try:
                yield from part
            except OutOfTime:
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

    def _after_orders(self) -> Iterator[Attempt]:
        """Compact the best layout of the orders; go on with that of the mating pieces if it is
        better."""
        yield from self._compact()
        if (
            self.fitted is not None
            and self.best is not None
            and self.fitted.scale > self.best.scale
        ):
            yield self._accept(self.fitted)

    def _separate(self) -> Iterator[Attempt]:
        """Let the pieces overlap and push the overlap out."""
        tidy = self.problem.region is not None  # pieces would leave their regions
        if self.best is None or self.settings.fixed_scale or not self.plan.moves or tidy:
            return
        self.separation = Separation(
            self.problem,
            self.settings,
            self.best,
            self.pool,
            LANES,
            self._check,
            self.rng,
            self._hear,
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
            self.problem,
            self.settings,
            self.best,
            self.plan.compactions,
            self._check,
            hear=self._hear,
        ):
            self.step += 1
            yield self._accept(found)

    def _fill(self) -> Iterator[Attempt]:
        """Raise the scale while a border of the tile is bare; what the orders left there is found
        late."""
        if self.best is None or self.settings.fixed_scale or len(self.problem.obstacles.tile):
            return
        if self.problem.count > MOST_FILLED:
            return
        for part in FILLS:
            band = bare_band(self.problem, self.settings, self.best)
            if band < BARE:
                return
            guess = self.best.scale * (1 + part * band)
            self.placer.prepare(guess, self._check)
            for order in (
                self.order,
                self._disturbed(self.order, 0),
                self._disturbed(self.order, 2),
            ):
                found, left = self.placer.place(order, guess, self._check, limit=0.0)
                if left == 0:
                    self.order = order
                    yield self._accept(found)
                    break
                self.left_over = np.flatnonzero(~found.placed)[:1]

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
