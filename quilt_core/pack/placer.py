"""One pass: place all pieces in an order at a scale, on a grid of a given fineness."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack._order_loops import CLASSES, Regions, place_in_order
from quilt_core.pack.efforts import FEWER_TURNS
from quilt_core.pack.grid import make_grid
from quilt_core.pack.masks import Masks, make_masks
from quilt_core.pack.place_loops import empty_raster, load
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.turns import Turns
from quilt_core.scene.types import FloatArray, IntArray

CHUNK = 64
REGION_FILL = 0.9
"""Part of a region that its pieces fill, paddings counted with them."""
WIDENINGS = 5
"""How often regions may be made wider, to begin with."""
ROOM = 0.85
"""Edge of the free box that a region is begun in, over that of the region."""
MOST_OF_A_TILE = 0.7
LEVELS = 10
TOO_LONG = 2.0
"""A piece of so many times width plus height of its tile fits in no turn; it is drawn no longer
than that."""


class Placer:
    """Places pieces on one grid; keeps the masks of the last scale and the buffers of each lane.

    Lanes are independent: passes in different lanes may run at the same time. A hurried placer does
    not look again at rows where a piece of about the same size did not fit.
    """

    def __init__(
        self,
        problem: PackProblem,
        settings: PackSettings,
        cells: int,
        pool: Executor | None = None,
        lanes: int = 1,
        hurried: bool = False,
    ) -> None:
        self.problem, self.settings, self._pool = problem, settings, pool
        self.grid = make_grid(settings, problem.obstacles, cells)
        self._total = float(sum(tile.width * tile.height for tile in settings.bins))
        tiles = len(settings.bins)
        classes = (tiles, CLASSES, CLASSES, 4) if hurried else (tiles, 0, 1, 1)
        self._buffers = [
            (
                empty_raster(self.grid.rows, self.grid.columns, LEVELS),
                np.empty(classes, np.int32),
                np.empty(tiles),
            )
            for _ in range(lanes)
        ]
        self.widenings = WIDENINGS
        self._longest = self._longest_scales()
        self._masks: Masks | None = None
        self._scale = 0.0
        self._places: NDArray[np.int32] | None = None

    def _longest_scales(self) -> FloatArray:
        """(P,) cells per px at which each piece is so long that it fits nowhere."""
        corners = self.problem.edges.reshape(-1, 2, 2)
        low = np.minimum.reduceat(corners.min(axis=1), self.problem.starts[:-1])
        high = np.maximum.reduceat(corners.max(axis=1), self.problem.starts[:-1])
        widest, tallest = (
            (self.grid.bands[:, 1] - self.grid.bands[:, 0]).max(),
            self.grid.bands[:, 2].max(),
        )
        extent = np.maximum((high - low).max(axis=1), 1e-300)
        return np.asarray(TOO_LONG * float(widest + tallest) / extent)

    def prepare(self, scale: float, check: Callable[[], None]) -> Masks:
        """Masks at a scale; made anew only when the scale changed, by several threads.

        Not to be called from the pool that the placer was given: it waits for that pool.
        """
        return self._prepared(scale, check, self._pool)

    def _prepared(self, scale: float, check: Callable[[], None], pool: Executor | None) -> Masks:
        if self._masks is None or scale != self._scale:
            if not np.isfinite(scale):
                raise ValueError(f"a scale of {scale}")
            scales = np.minimum(self.problem.scales(scale) / self.grid.cell, self._longest)
            self._masks = make_masks(self.problem, scales, self.grid.reach, check, pool)
            self._scale = scale
        return self._masks

    def place(
        self,
        order: IntArray,
        scale: float,
        check: Callable[[], None],
        lane: int = 0,
        limit: float = np.inf,
    ) -> tuple[Attempt, float]:
        """Place pieces in an order.

        Parameters
        ----------
        order : (P,) int64
        scale : float
        check : callable
            Called often; may raise to stop.
        lane : int
        limit : float
            Give up once more than this area is left over; then the attempt is not complete.

        Returns
        -------
        attempt : Attempt
        left : float
            Area in px at scale 1 that found no place.
        """
        # In this thread alone, as it may be one of the pool's; whoever can prepares ahead.
        masks = self._prepared(scale, check, None)
        raster, starts, taken = self._buffers[lane]
        load(self.grid.occupied, raster)  # type: ignore[call-arg]
        starts[:] = 0
        taken[:] = 0.0
        areas = self.problem.areas * (self.problem.scales(scale) / self.grid.cell) ** 2
        spread = self.settings.order == "spread"
        regions = self._regions(masks, areas, starts.shape[1:])
        places = self._places = np.full((self.problem.count, 3), -1, np.int32)
        left = 0.0
        for start in range(0, len(order), CHUNK):
            check()
            part = order[start : start + CHUNK]
            missed = place_in_order(  # type: ignore[call-arg]
                part,
                raster,
                self.grid.bands,
                self.problem.tile,
                areas,
                taken,
                spread,
                starts,
                masks,
                regions,
                places,
            )
            if missed:
                left += float(self.problem.areas[part][places[part, 2] < 0].sum())
                # A piece without an area counts a little, so that leaving it out is not free.
                left += 1e-12 * missed
            if left > limit:
                break
        return self._attempt(masks, places, scale), left

    def _regions(self, masks: Masks, areas: FloatArray, classes: tuple[int, ...]) -> Regions:
        """Empty regions, as wide as their pieces with the padding around them need; wider when less
        tidy."""
        of = self.problem.region
        if of is None:
            none, box = np.empty(0), np.empty((0, 5), np.int32)
            no_starts = np.empty((0, *classes), np.int32)
            return Regions(
                np.full(self.problem.count, -1), none, none, 0, none, none > 0, no_starts, box
            )
        size = masks.size[masks.variant_start[:-1]]
        around = areas + self.grid.reach * size.sum(axis=1)
        inside, count = of >= 0, int(of.max(initial=-1)) + 1
        needed = np.bincount(of[inside], around[inside], count) / REGION_FILL
        span, longest = np.sqrt(needed), np.zeros(count)
        np.maximum.at(longest, of[inside], size[inside].max(axis=1).astype(np.float64))
        tile = self.grid.bands[:, 1] - self.grid.bands[:, 0], self.grid.bands[:, 2]
        edge = float(np.max(tile))
        tidy = self.settings.tidy
        room = ROOM * span
        span = np.maximum(span, longest) ** tidy * max(edge, 1.0) ** (1 - tidy)
        # What fills most of a tile may go on in another one. At a fixed size pieces are better
        # apart than left
        # over, and among thousands there is always one that is.
        whole = needed < MOST_OF_A_TILE * float(np.prod(tile, axis=0).max())
        whole &= not self.settings.fixed_scale and self.problem.count <= FEWER_TURNS
        starts = np.zeros((self.widenings + 1, *classes), np.int32)
        box = np.full((count, 5), -1, np.int32)
        return Regions(of, span, room, self.widenings, longest, whole, starts, box)

    def loosen(self) -> None:
        """Let regions be wider from now on: orders that do not go together do not at a smaller
        scale either."""
        self.widenings += 1

    def so_far(self) -> Attempt | None:
        """Image of the pass that is at work, from another thread; the pieces it came to have
        places."""
        if self._masks is None or self._places is None:
            return None
        return replace(self._attempt(self._masks, self._places.copy(), self._scale), whole=False)

    def _attempt(self, masks: Masks, places: NDArray[np.int32], scale: float) -> Attempt:
        placed = places[:, 2] >= 0
        variant = np.where(placed, places[:, 2], masks.variant_start[:-1])
        tile = np.where(placed, self.grid.tile_of(places[:, 1]), -1)
        local = places[:, :2] - np.stack([np.zeros(len(tile)), self.grid.bands[tile, 0]], axis=1)
        shift = (local - masks.corner[variant]) * self.grid.cell + self.grid.margin
        area = float((self.problem.areas * self.problem.scales(scale) ** 2)[placed].sum())
        turn = Turns(masks.angle[variant], masks.mirror[variant])
        return Attempt(scale, turn, shift, tile, placed, area / self._total, 0, 0)
