"""Masks of all pieces in all allowed turns on one grid."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack.problem import PackProblem
from quilt_core.pack.turns import Turns
from quilt_core.pack.variant_loops import make_variants
from quilt_core.scene.types import FloatArray

Int32Array = NDArray[np.int32]

BATCH = 64


class Masks(NamedTuple):
    """Run-length masks, flat, one entry per variant (a piece in one turn); the inner loops take it
    whole.

    Parameters
    ----------
    variant_start : (P + 1,) int32
        Variants of piece ``p``.
    angle : (V,) float64
        Radians.
    mirror : (V,) bool
        Mirrored, x to -x, before it is turned.
    corner : (V, 2) float64
        Lowest corner of the turned piece in cells, before it was moved to the origin.
    size : (V, 2) int32
        Columns and rows of the hit mask; 0 columns for a turn that gives the same mask as an
        earlier one.
    squares : (V, 2) int32
        Side of the largest square inside the hit mask, and its lowest row.
    hit_at, stamp_at : (V + 1,) int32
        First row of each variant in the arrays of rows, which have one row more than the mask.
    hit_offsets, stamp_offsets : (rows,) int32
        Runs of row ``r`` of a variant are those from ``offsets[r]`` to ``offsets[r + 1] - 1`` of
        its own.
    hit_run_at, stamp_run_at : (V + 1,) int32
        First run of each variant.
    hit_runs, stamp_runs : (R, 2) int32
        First and past-last column of each run.
    row_order, row_needs : (rows,) int32
        Order in which the rows of a hit mask are tested, and the longest run of each row.
    border : (V,) int32
        Cells by which the stamp mask is larger than the hit mask on each side.
    """

    variant_start: Int32Array
    angle: FloatArray
    mirror: NDArray[np.bool_]
    corner: FloatArray
    size: Int32Array
    squares: Int32Array
    hit_at: Int32Array
    hit_offsets: Int32Array
    hit_run_at: Int32Array
    hit_runs: Int32Array
    row_order: Int32Array
    row_needs: Int32Array
    stamp_at: Int32Array
    stamp_offsets: Int32Array
    stamp_run_at: Int32Array
    stamp_runs: Int32Array
    border: Int32Array


def make_masks(
    problem: PackProblem,
    scales: FloatArray,
    reach: float,
    check: Callable[[], None] = lambda: None,
    pool: Executor | None = None,
) -> Masks:
    """Rasterize every piece in every turn.

    Parameters
    ----------
    problem : PackProblem
    scales : (P,) float64
        Cells per px of each piece at scale 1, its scale included.
    reach : float
        Padding in cells.
    check : callable
        Called once per batch of pieces; may raise to stop.
    pool : Executor, optional
        Makes batches at the same time.
    """

    def batch(first: int) -> tuple[NDArray[np.generic], ...]:
        check()
        last = min(first + BATCH, problem.count)
        turns = problem.turns[first:last]
        starts = problem.starts[first : last + 1]
        together = Turns.joined(turns)
        turn_starts = np.concatenate([[0], np.cumsum([len(t) for t in turns])])
        return make_variants(  # type: ignore[no-any-return]
            problem.edges[starts[0] : starts[-1]], starts - starts[0], problem.solid[first:last],
            together.angle, together.mirror, turn_starts, scales[first:last], reach,
        )  # fmt: skip

    firsts = range(0, problem.count, BATCH)
    parts = list(pool.map(batch, firsts) if pool else map(batch, firsts))
    facts, hit_rows, hit_runs, hit_counts, stamp_rows, stamp_runs, stamp_counts = (
        np.concatenate([part[k] for part in parts]) for k in range(7)
    )
    starts = np.concatenate([[0], np.cumsum([len(t) for t in problem.turns])]).astype(np.int32)
    return Masks(
        starts,
        facts[:, 0].copy(),
        np.concatenate([t.mirror for t in problem.turns]),
        facts[:, 1:3].copy(),
        facts[:, 3:5].astype(np.int32),
        facts[:, 7:9].astype(np.int32),
        _starts(facts[:, 4] + 1),
        hit_rows[:, 0].copy(),
        _starts(hit_counts),
        hit_runs,
        hit_rows[:, 1].copy(),
        hit_rows[:, 2].copy(),
        _starts(facts[:, 6] + 1),
        stamp_rows[:, 0].copy(),
        _starts(stamp_counts),
        stamp_runs,
        facts[:, 5].astype(np.int32),
    )


def _starts(counts: NDArray[np.generic]) -> Int32Array:
    return np.concatenate([[0], np.cumsum(counts)]).astype(np.int32)
