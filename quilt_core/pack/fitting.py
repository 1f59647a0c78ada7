"""Fitting: pieces that mate are laid out as groups, then all pieces move apart to the padding at
once."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np

from quilt_core.pack.assembly import Group, assemble
from quilt_core.pack.compaction import compact
from quilt_core.pack.mating import LEAST_SHARE, find_matings
from quilt_core.pack.placer import Placer
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.turns import Turns, turn_matrices
from quilt_core.scene.types import FloatArray

LEAST_GAP = 0.3
"""px that pieces of a group are moved apart at least, so that a line can be drawn between them."""
SPREADS = (1.3, 2.2, 4.0)
"""Gaps tried between the middles of mating pieces, in paddings; the outlines lie slanted to that
way."""
SHARES = (LEAST_SHARE, 0.35)
"""Matings are tried from this part of the shorter outline on: all of them, then only the strong
ones."""
TRIES = 9
CLOSE = 1.002
"""Scales nearer than this are not told apart any more."""
LOWEST = 0.93


def fit(
    problem: PackProblem,
    settings: PackSettings,
    placer: Callable[[PackProblem], Placer],
    beaten: Attempt,
    rounds: int,
    check: Callable[[], None],
    hear: Callable[[], None] | None = None,
) -> Iterator[Attempt]:
    """Yield layouts of mating pieces that are better than the one to be beaten.

    Parameters
    ----------
    problem : PackProblem
    settings : PackSettings
    placer : callable
        Makes a placer for a problem.
    beaten : Attempt
    rounds : int
        Linear programs of the compaction at most.
    check : callable
        Asked often; raises to stop.
    hear : callable, optional
        Asked while a linear program is solved; without it that is `check`.
    """
    matings = find_matings(problem, check)
    check()
    if not matings:
        return
    largest = max(settings.bins, key=lambda tile: tile.width * tile.height)
    room = (largest.width / beaten.scale, largest.height / beaten.scale)
    gap, best, seen = max(settings.padding, LEAST_GAP), beaten, 0
    for share in SHARES:
        strong = [m for m in matings if m.share >= share]
        if len(strong) == seen:
            continue
        seen = len(strong)
        groups = assemble(problem, strong, room)
        check()
        for spread in SPREADS:
            apart = _apart(problem, groups, spread * gap / beaten.scale)
            whole = _group_problem(problem, apart)
            found = _largest(whole, placer(whole), beaten.scale * LOWEST, check)
            if found is None:
                break
            mended = None
            for mended in compact(
                problem, settings, _members(problem, apart, found), rounds, check, LOWEST, hear
            ):
                if mended.scale > best.scale:
                    best = mended
                    yield best
            if mended is not None:
                break  # wider apart is only worse


def _apart(problem: PackProblem, groups: list[Group], gap: float) -> list[Group]:
    """Move the pieces of each group away from its middle, so that neighbours come apart by about
    `gap`."""
    out = []
    for group in groups:
        if len(group.pieces) == 1:
            out.append(group)
            continue
        middle = np.array([_middle(problem, p) for p in group.pieces])
        middle = np.einsum("mij,mj->mi", turn_matrices(group.turn), middle) + group.shift
        size = np.sqrt(problem.areas[group.pieces])
        # A neighbour's middle is about as far away as the smaller of the two is large.
        factor = gap / float(np.median(size))
        out.append(replace(group, shift=group.shift + factor * (middle - middle.mean(axis=0))))
    return out


def _middle(problem: PackProblem, piece: int) -> FloatArray:
    points = problem.edges[problem.starts[piece] : problem.starts[piece + 1]].reshape(-1, 2)
    return np.asarray(0.5 * (points.min(axis=0) + points.max(axis=0)))


def _group_problem(problem: PackProblem, groups: list[Group]) -> PackProblem:
    """Each group as one piece."""
    edges, counts = [], []
    for group in groups:
        rows = []
        for p, turn, shift in zip(
            group.pieces, turn_matrices(group.turn), group.shift, strict=True
        ):
            own = problem.edges[problem.starts[p] : problem.starts[p + 1]].reshape(-1, 2)
            rows.append((own @ turn.T + shift).reshape(-1, 4))
        edges.append(np.concatenate(rows))
        counts.append(len(edges[-1]))
    head = np.array([group.pieces[0] for group in groups])
    alone = np.array([len(group.pieces) == 1 for group in groups])
    return replace(
        problem,
        edges=np.ascontiguousarray(np.concatenate(edges)),
        starts=np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
        solid=np.where(alone, problem.solid[head], counts).astype(np.int64),
        areas=np.array([problem.areas[group.pieces].sum() for group in groups]),
        turns=tuple(group.turns for group in groups),
        grows=problem.grows[head],
        tile=problem.tile[head],
    )


def _largest(
    problem: PackProblem, placer: Placer, least: float, check: Callable[[], None]
) -> Attempt | None:
    """The largest scale at which the groups fit, from `least` on; None when they do not even fit
    there."""
    box = np.array(
        [
            np.ptp(
                problem.edges[problem.starts[p] : problem.starts[p + 1]].reshape(-1, 2), axis=0
            ).max()
            for p in range(problem.count)
        ]
    )
    orders = (np.argsort(-box, kind="stable"), np.argsort(-problem.areas, kind="stable"))
    best, low, high = None, least, least * 2.0
    guess = least
    for _ in range(TRIES):
        check()
        placer.prepare(guess, check)
        for order in orders:
            found, left = placer.place(order, guess, check, limit=0.0)
            if left == 0:
                break
        if left == 0:
            best, low = found, guess
        else:
            high = guess
        if best is None:
            return None
        guess = min(0.5 * (low + high), low * 1.12)
        if high / low < CLOSE:
            break
    return best


def _members(problem: PackProblem, groups: list[Group], found: Attempt) -> Attempt:
    """The layout of the groups as one of the pieces."""
    angle, mirror = np.zeros(problem.count), np.zeros(problem.count, bool)
    shift = np.zeros((problem.count, 2))
    tile, scales = np.zeros(problem.count, np.int64), problem.scales(found.scale)
    for g, group in enumerate(groups):
        lies = found.turn[g : g + 1]
        further = lies.matrices()[0]
        for k, p in enumerate(group.pieces):
            if len(group.pieces) == 1:
                angle[p], mirror[p] = lies.angle[0], lies.mirror[0]
            else:
                angle[p] = _allowed(problem.turns[p].unmirrored, group.turn[k] + lies.angle[0])
            shift[p] = found.shift[g] + further @ group.shift[k] * scales[p]
            tile[p] = found.tile[g]
    placed = np.ones(problem.count, bool)
    return replace(found, turn=Turns(angle, mirror), shift=shift, tile=tile, placed=placed)


def _allowed(angles: FloatArray, angle: float) -> float:
    """The allowed one that is equal to `angle` but for whole circles and rounding."""
    off = np.abs((angles - angle + np.pi) % (2 * np.pi) - np.pi)
    return float(angles[int(np.argmin(off))])
