"""Compaction: let all pieces of a layout move and grow at once, as far as a linear program says.

Every pair of outline edges that could come too near is kept apart by a line between them, square to
the way from one to the other. With these lines fixed the largest common scale and all shifts are a
linear program; then new lines are drawn, until nothing is gained. A raster loses up to a cell in
every gap, this loses nothing.

References
----------
Li and Milenkovic 1995, Compaction and separation algorithms for non-convex polygons and their
applications, European Journal of Operational Research 84 (compaction by linear programs).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linprog
from scipy.sparse import coo_array

from quilt_core.measure.grid import make_grid
from quilt_core.pack._compact_loops import near_segments
from quilt_core.pack.grid import SLACK
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.types import FloatArray, IntArray

STEP = 0.004
"""A piece moves at most this part of the tile's longest edge in one round."""
MENDING = 2.0
"""So many times farther while distances are won back."""
LEAST_GAIN = 2e-5
ROUNDING = 1e-5
"""px by which the solver's answers may miss a distance; `SLACK` is a hundred times more."""
LISTEN_EVERY = 0.2
"""Seconds after which the caller is asked again whether to go on."""
MOST_ROWS = 400_000
NEAR = 0.7
"""Rows that are less than so many steps away are in the program from the start."""
WAYS = (0.8, 0.8, 0.6, 0.4, 0.2, 0.1)
"""Parts of the way to a solution that are good enough, the more often rows were added."""
APART = 4.0
"""Tiles are laid out side by side, so many times their longest edge apart."""


@dataclass(frozen=True, eq=False)
class _Scene:
    """Outline edges of all pieces about their middles, turned; then those of the obstacles."""

    edges: FloatArray
    owner: IntArray
    low: FloatArray
    high: FloatArray
    middle: FloatArray
    still: FloatArray
    still_owner: IntArray


def compact(
    problem: PackProblem,
    settings: PackSettings,
    best: Attempt,
    rounds: int,
    check: Callable[[], None],
    lowest: float = 1.0,
    hear: Callable[[], None] | None = None,
) -> Iterator[Attempt]:
    """Yield layouts with a larger and larger common scale.

    Parameters
    ----------
    problem : PackProblem
    settings : PackSettings
    best : Attempt
        Every piece is placed; it keeps all its distances, unless `lowest` is below 1.
    rounds : int
        Linear programs to solve at most.
    check : callable
        Asked before each; raises to stop.
    lowest : float
        Below 1: the first round may shrink the pieces down to this part, to win back distances that
        are too small. Nothing is yielded when that is not enough, or when pieces overlap.
    hear : callable, optional
        Asked while a program is solved; without it that is `check`.
    """
    if not best.placed.all() or not problem.grows.any():
        return
    scene = _scene(problem, settings, best)
    sizes = np.array([(tile.width, tile.height) for tile in settings.bins], np.float64)[best.tile]
    step = STEP * float(sizes.max())
    slack = SLACK * float(sizes.max())
    place = best.shift + _scaled(problem, best.scale, scene.middle)
    for number in range(rounds):
        check()
        mending = lowest < 1 and number == 0
        found = _round(
            problem, settings, scene, best, place, sizes, (MENDING if mending else 1) * step, slack,
            lowest if mending else 1.0, hear or check,
        )  # fmt: skip
        if found is None:
            return
        scale, place = found
        gain = scale / best.scale - 1
        if gain <= 0 and not mending:
            return
        coverage = (
            best.coverage * (1 + gain) ** 2
            if problem.grows.all()
            else _coverage(problem, settings, scale)
        )
        best = replace(
            best,
            scale=scale,
            shift=place - _scaled(problem, scale, scene.middle),
            coverage=coverage,
        )
        yield best
        if gain < LEAST_GAIN and not mending:
            return


def _coverage(problem: PackProblem, settings: PackSettings, scale: float) -> float:
    total = sum(tile.width * tile.height for tile in settings.bins)
    return float((problem.areas * problem.scales(scale) ** 2).sum()) / total


def _scaled(problem: PackProblem, scale: float, points: FloatArray) -> FloatArray:
    return np.asarray(points * problem.scales(scale)[:, None])


def _scene(problem: PackProblem, settings: PackSettings, best: Attempt) -> _Scene:
    owner = np.repeat(np.arange(problem.count), np.diff(problem.starts))
    turned = np.einsum("eij,ekj->eki", best.turn.matrices()[owner], problem.edges.reshape(-1, 2, 2))
    low = np.minimum.reduceat(turned.min(axis=1), problem.starts[:-1])
    high = np.maximum.reduceat(turned.max(axis=1), problem.starts[:-1])
    middle = 0.5 * (low + high)
    obstacles = problem.obstacles
    number = np.repeat(np.arange(len(obstacles.tile)), np.diff(obstacles.starts))
    shift = _tile_shift(settings)[obstacles.tile[number]]
    still = (
        obstacles.edges.reshape(-1, 2, 2) + np.stack([shift, np.zeros(len(shift))], axis=1)[:, None]
    )
    return _Scene(
        turned - middle[owner][:, None],
        owner,
        low - middle,
        high - middle,
        middle,
        still,
        problem.count + number,
    )


def _tile_shift(settings: PackSettings) -> FloatArray:
    """(B,) where each tile lies along x while distances are looked for."""
    longest = max(max(tile.width, tile.height) for tile in settings.bins)
    return np.asarray(APART * longest * np.arange(len(settings.bins)), np.float64)


def _round(
    problem: PackProblem, settings: PackSettings, scene: _Scene, best: Attempt, place: FloatArray, sizes: FloatArray,
    step: float, slack: float, lowest: float, hear: Callable[[], None],
) -> tuple[float, FloatArray] | None:  # fmt: skip
    """One linear program; the new scale and middles of the pieces' boxes in px of their tiles."""
    count, scale = problem.count, best.scale
    extent = float(np.hypot(*(0.5 * (scene.high - scene.low)[problem.grows]).T).max())
    if not extent:
        return None  # points do not grow
    growth = step / extent
    lowest = max(lowest * scale, scale - growth)
    own = problem.scales(scale)[scene.owner]
    aside = np.stack([_tile_shift(settings)[best.tile], np.zeros(count)], axis=1)
    moving = scene.edges * own[:, None, None] + (place + aside)[scene.owner][:, None]
    segments = np.ascontiguousarray(np.concatenate([moving, scene.still]).reshape(-1, 4))
    owner = np.concatenate([scene.owner, scene.still_owner])
    # No point moves farther than sqrt(2) + 1 steps.
    reach = settings.padding + 2 * (np.sqrt(2) + 1) * step
    ends = segments.reshape(-1, 2, 2)
    boxes = np.concatenate([ends.min(axis=1) - reach / 2, ends.max(axis=1) + reach / 2], axis=1)
    pairs, spots = near_segments(segments, owner, count, make_grid(boxes, reach), reach)
    if len(pairs) > MOST_ROWS:
        return None
    rows = _apart(
        problem, scene, pairs, spots, owner, place + aside, segments, settings.padding + slack
    )
    if rows is None:
        return None
    return _solve(
        problem,
        rows,
        scene,
        best,
        place,
        sizes,
        settings.margin + slack,
        step,
        (lowest, scale + growth),
        hear,
    )


Rows = tuple[IntArray, IntArray, FloatArray, FloatArray, FloatArray]


def _apart(
    problem: PackProblem, scene: _Scene, pairs: IntArray, spots: FloatArray, owner: IntArray, place: FloatArray,
    segments: FloatArray, distance: float,
) -> Rows | None:  # fmt: skip
    """For each pair of edges n . (t_a - t_b) + s c >= d: pieces a and b (-1: does not move), n, c
    and d."""
    way = spots[:, :2] - spots[:, 2:]
    length = np.hypot(*way.T)
    if (length < 1e-9).any():
        return None
    n = way / length[:, None]
    a, b = owner[pairs[:, 0]], owner[pairs[:, 1]]
    factor, fixed = np.zeros(len(pairs)), np.zeros(len(pairs))
    for piece, edge, sign, nearest in (
        (a, pairs[:, 0], 1.0, np.min),
        (b, pairs[:, 1], -1.0, np.max),
    ):
        moves = piece < problem.count
        local = np.empty((len(pairs), 2, 2))
        local[moves] = scene.edges[edge[moves]]
        local[~moves] = segments[edge[~moves]].reshape(-1, 2, 2)
        along = sign * nearest(np.einsum("kij,kj->ki", local, n), axis=1)
        grows = np.zeros(len(pairs), bool)
        grows[moves] = problem.grows[piece[moves]]
        factor += np.where(grows, along, 0.0)
        fixed += np.where(grows, 0.0, along)
    # Lines of one direction between the same two pieces: only the tightest counts.
    key = np.column_stack([a, b, np.round(n * 1e6).astype(np.int64)])
    order = np.lexsort((factor + fixed, *key.T[::-1]))
    first = np.ones(len(order), bool)
    first[1:] = (key[order][1:] != key[order][:-1]).any(axis=1)
    use = order[first]
    a, b = (np.where(piece[use] < problem.count, piece[use], -1) for piece in (a, b))
    return a, b, n[use], factor[use], distance - fixed[use]


def _solve(
    problem: PackProblem, rows: Rows, scene: _Scene, best: Attempt, place: FloatArray, sizes: FloatArray, margin: float,
    step: float, scales: tuple[float, float], hear: Callable[[], None],
) -> tuple[float, FloatArray] | None:  # fmt: skip
    """Largest scale; variables are the shifts (2 P) and the scale."""
    a, b, n, factor, wanted = rows
    count, last = problem.count, 2 * problem.count
    # Pieces of one tile only are compared, so what sets the tiles apart cancels out.
    at = np.concatenate([place, np.zeros((1, 2))])
    now = np.einsum("kj,kj->k", n, at[a] - at[b])
    number = np.arange(len(a))
    parts = [(number, np.full(len(a), last), -factor)]
    for piece, sign in ((a, -1.0), (b, 1.0)):
        moves = piece >= 0
        for axis in (0, 1):
            parts.append((number[moves], 2 * piece[moves] + axis, sign * n[moves, axis]))
    left = np.concatenate([p[0] for p in parts])
    right = np.concatenate([p[1] for p in parts])
    value = np.concatenate([p[2] for p in parts])
    upper = now - wanted
    # The sides of the tile.
    grows = problem.grows.astype(np.float64)
    for axis in (0, 1):
        piece = np.arange(count)
        for sign, bound, limit in (
            (-1.0, scene.low[:, axis], place[:, axis] - margin),
            (1.0, scene.high[:, axis], sizes[:, axis] - margin - place[:, axis]),
        ):
            row = len(upper) + piece
            left = np.concatenate([left, row, row])
            right = np.concatenate([right, 2 * piece + axis, np.full(count, last)])
            value = np.concatenate([value, np.full(count, sign), sign * bound * grows])
            upper = np.concatenate([upper, limit - sign * bound * (1 - grows)])
    matrix = coo_array((value, (left, right)), shape=(len(upper), last + 1)).tocsr()
    goal = np.zeros(last + 1)
    goal[last] = -1.0
    limits = [*[(-step, step)] * last, scales]
    # What the last answer missed by rounding is no reason to find nothing.
    missed = matrix @ np.concatenate([np.zeros(last), [best.scale]]) - upper
    upper = upper + np.where((missed > 0) & (missed < ROUNDING), missed, 0.0)
    start = np.concatenate([np.zeros(last), [best.scale]])
    answer = _by_rows(goal, matrix, upper, limits, start, missed > -NEAR * step, hear)
    if answer is None:
        return None
    return float(answer[last]), place + answer[:last].reshape(-1, 2)


def _by_rows(
    goal: FloatArray, matrix: Any, upper: FloatArray, limits: list[tuple[float, float]], start: FloatArray,
    use: NDArray[np.bool_], hear: Callable[[], None],
) -> FloatArray | None:  # fmt: skip
    """The program's solution, found with the rows `use` that bind most likely; those that it breaks
    are added.

    Most rows never bind, and time goes with their number. Where `start` keeps all rows, most of the
    way to a solution that breaks a few is taken instead of asking once more.
    """
    room = upper - matrix @ start
    within = bool((room >= -0.5 * ROUNDING).all())
    for enough in WAYS:
        answer = _solution(goal, matrix[use], upper[use], limits, hear)
        if answer is None:
            return None
        taken = matrix @ (answer - start)
        broken = ~use & (taken > room + 0.5 * ROUNDING)
        if not broken.any():
            return answer
        way = float(np.min(room[broken].clip(0.0) / taken[broken]))
        if within and way > enough:
            return start + way * (answer - start)
        use = use | broken
    return _solution(goal, matrix, upper, limits, hear)


def _solution(
    goal: FloatArray,
    matrix: Any,
    upper: FloatArray,
    limits: list[tuple[float, float]],
    hear: Callable[[], None],
) -> FloatArray | None:
    """The program's solution; `hear` is asked meanwhile, and when it raises the solver is left to
    itself."""
    solver = ThreadPoolExecutor(1)
    try:
        task = solver.submit(linprog, goal, A_ub=matrix, b_ub=upper, bounds=limits, method="highs")
        while not wait([task], LISTEN_EVERY).done:
            hear()
        found: FloatArray | None = task.result().x
        return found
    finally:
        solver.shutdown(wait=False)
