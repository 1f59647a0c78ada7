"""One pass: place all pieces in an order at a scale, on a grid of a given fineness."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack._place_loops import clear, place_in_order
from quilt_core.pack.masks import Masks, make_masks
from quilt_core.pack.problem import Attempt, PackProblem, PackSettings

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

CHUNK = 64
LEVELS = 10
SLACK = 2.0**-22
"""Extra padding as a part of the tile's size: 32-bit files round UVs by up to half of this."""


@dataclass(frozen=True)
class Grid:
    """The tile without its margin: columns and rows of cells, and lengths in px and cells."""

    columns: int
    rows: int
    cell: float
    margin: float
    reach: float


def make_grid(settings: PackSettings, cells: int) -> Grid:
    """A grid with `cells` cells along the longer edge.

    Raises
    ------
    LayoutError
        When the margin leaves no room.
    """
    s = settings
    slack = max(s.width, s.height) * SLACK
    margin = s.margin + slack
    inner_w, inner_h = s.width - 2 * margin, s.height - 2 * margin
    if min(inner_w, inner_h) < 1:
        raise LayoutError(
            f"A margin of {s.margin:g} px leaves no room in {s.width} x {s.height} px.",
            "margin",
            "Make it smaller.",
        )
    cell = max(inner_w, inner_h) / cells
    columns = cells if inner_w >= inner_h else max(1, int(inner_w / cell))
    rows = cells if inner_h >= inner_w else max(1, int(inner_h / cell))
    return Grid(columns, rows, cell, margin, (s.padding + slack) / cell)


class Placer:
    """Places pieces on one grid; keeps the masks of the last scale and the buffers of each lane.

    Lanes are independent: passes in different lanes may run at the same time.
    """

    def __init__(
        self,
        problem: PackProblem,
        settings: PackSettings,
        cells: int,
        pool: Executor | None = None,
        lanes: int = 1,
    ) -> None:
        self.problem, self.settings, self._pool = problem, settings, pool
        self.grid = make_grid(settings, cells)
        shape = (self.grid.rows, self.grid.columns + 1)
        self._buffers = [
            (
                np.empty(shape, np.int16),
                np.empty(shape, np.int16),
                np.empty(shape[0], np.int32),
                np.empty((LEVELS, shape[0]), np.uint8),
            )
            for _ in range(lanes)
        ]
        self._masks: Masks | None = None
        self._scale = 0.0

    def prepare(self, scale: float, check: Callable[[], None]) -> Masks:
        """Masks at a scale; made anew only when the scale changed."""
        if self._masks is None or scale != self._scale:
            self._masks = make_masks(self.problem, scale / self.grid.cell, self.grid.reach, check, self._pool)
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
        masks = self.prepare(scale, check)
        buffers = self._buffers[lane]
        clear(*buffers)
        places = np.full((self.problem.count, 3), -1, np.int32)
        left = 0.0
        for start in range(0, len(order), CHUNK):
            check()
            part = order[start : start + CHUNK]
            missed = place_in_order(  # type: ignore[call-arg]
                part, *buffers, masks.variant_start, masks.size, masks.squares, *masks.arrays, places
            )
            if missed:
                left += float(self.problem.areas[part][places[part, 2] < 0].sum())
                # A piece without an area counts a little, so that leaving it out is not free.
                left += 1e-12 * missed
            if left > limit:
                break
        return self._attempt(masks, places, scale), left

    def _attempt(self, masks: Masks, places: NDArray[np.int32], scale: float) -> Attempt:
        placed = places[:, 2] >= 0
        variant = np.where(placed, places[:, 2], masks.variant_start[:-1])
        shift = (places[:, :2] - masks.corner[variant]) * self.grid.cell + self.grid.margin
        area = float(self.problem.areas[placed].sum()) * scale**2
        coverage = area / (self.settings.width * self.settings.height)
        return Attempt(scale, masks.angle[variant], shift, placed, coverage, 0, 0)
