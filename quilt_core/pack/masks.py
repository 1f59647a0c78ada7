"""Masks of all pieces in all allowed turns on one grid."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack._mask_loops import hit_grid, row_runs, stamp_grid, turned
from quilt_core.pack.problem import PackProblem

FloatArray = NDArray[np.float64]
Int32Array = NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class Masks:
    """Run-length masks, flat, one entry per variant (a piece in one turn).

    Parameters
    ----------
    variant_start : (P + 1,) int32
        Variants of piece ``p``.
    angle : (V,) float64
    corner : (V, 2) float64
        Lowest corner of the turned piece in cells, before it was moved to the origin.
    size : (V, 2) int32
        Columns and rows of the hit mask.
    arrays : tuple
        Remaining arrays in the order in which `place_in_order` takes them.
    """

    variant_start: Int32Array
    angle: FloatArray
    corner: FloatArray
    size: Int32Array
    arrays: tuple[NDArray[np.generic], ...]


def make_masks(
    problem: PackProblem, cells_per_px: float, reach: float, check: Callable[[], None] = lambda: None
) -> Masks:
    """Rasterize every piece in every turn.

    Parameters
    ----------
    problem : PackProblem
    cells_per_px : float
        Cells per px of the pieces at scale 1, the scale included.
    reach : float
        Padding in cells.
    check : callable
        Called once per piece; may raise to stop.
    """
    angle: list[float] = []
    corner: list[tuple[float, float]] = []
    size: list[tuple[int, int]] = []
    border: list[int] = []
    hit_rows: list[Int32Array] = []
    hit_runs: list[Int32Array] = []
    stamp_rows: list[Int32Array] = []
    stamp_runs: list[Int32Array] = []
    starts = [0]
    for piece in range(problem.count):
        check()
        edges = problem.edges[problem.starts[piece] : problem.starts[piece + 1]]
        folded = bool(problem.folded[piece])
        for turn in problem.turns[piece]:
            local, lx, ly, width, height = turned(edges, float(turn), cells_per_px)
            hit = hit_grid(local, width, height, folded)
            ring, edge = stamp_grid(local, hit, reach, folded)
            rows, runs = row_runs(hit)
            stamped_rows, stamped_runs = row_runs(ring)
            angle.append(float(turn))
            corner.append((lx, ly))
            size.append((hit.shape[1], hit.shape[0]))
            border.append(edge)
            hit_rows.append(rows)
            hit_runs.append(runs)
            stamp_rows.append(stamped_rows)
            stamp_runs.append(stamped_runs)
        starts.append(len(angle))
    row_order = [np.append(_spread(len(rows) - 1), 0).astype(np.int32) for rows in hit_rows]
    row_needs = [_longest_runs(rows, runs) for rows, runs in zip(hit_rows, hit_runs, strict=True)]
    arrays = (
        _starts(hit_rows), np.concatenate(hit_rows), _starts(hit_runs), np.concatenate(hit_runs),
        np.concatenate(row_order), np.concatenate(row_needs), _starts(stamp_rows),
        np.concatenate(stamp_rows), _starts(stamp_runs), np.concatenate(stamp_runs), np.array(border, np.int32),
    )  # fmt: skip
    return Masks(
        np.array(starts, np.int32), np.array(angle), np.array(corner), np.array(size, np.int32), arrays
    )


def _starts(parts: list[Int32Array]) -> Int32Array:
    return np.concatenate([[0], np.cumsum([len(part) for part in parts])]).astype(np.int32)


def _longest_runs(offsets: Int32Array, runs: Int32Array) -> Int32Array:
    """Longest run of each row, one more entry than rows like the offsets."""
    out = np.zeros(len(offsets), np.int32)
    np.maximum.at(out, np.repeat(np.arange(len(offsets) - 1), np.diff(offsets)), runs[:, 1] - runs[:, 0])
    return out


def _spread(rows: int) -> Int32Array:
    """Rows from far apart to close together, so that a collision is met early."""
    step = 1 << max(rows - 1, 1).bit_length()
    seen = np.zeros(rows, bool)
    out: list[int] = []
    while step:
        for row in range(min(step // 2, rows - 1), rows, step):
            if not seen[row]:
                seen[row] = True
                out.append(row)
        step //= 2
    out.extend(np.flatnonzero(~seen).tolist())
    return np.array(out, np.int32)
