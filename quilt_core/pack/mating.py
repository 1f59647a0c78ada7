"""Mating: which pieces have outlines that run along one another, as if cut from one sheet.

Charts cut from one flat area, rows of equal parts and jigsaws fit together without waste, and an
order search hardly ever finds that. Here corners of outlines are compared: two runs of straight
sides mate when each side of one is a side of the other the other way round.

References
----------
Dighe and Jakiela 1996, Solving pattern nesting problems with genetic algorithms (pieces that are
cut from one square, whose best layout is known).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from quilt_core.pack.problem import PackProblem
from quilt_core.scene.types import FloatArray, IntArray

STRAIGHT = 2e-3
"""A corner nearer to the line between its neighbours than this part of their distance is none."""
ALIKE = 4e-3
"""Sides mate when they differ by less than this part of their length."""
LEAST_BEND = 0.15
"""Radians that a run of mating sides must turn in all: one straight side says little."""
LEAST_SHARE = 0.12
"""Part of the shorter outline that mates at least."""
MOST_CANDIDATES = 2_000_000
"""Pairs of sides that are compared at most."""
LISTEN_EVERY = 256


@dataclass(frozen=True)
class Mating:
    """Two pieces side by side.

    Parameters
    ----------
    share : float
        Mating length over the length of the shorter outline.
    a, b : int
        Pieces.
    turn_a, turn_b : float
        Radians.
    shift : complex
        Where the origin of `b` lies, seen from that of `a`, at scale 1.
    """

    share: float
    a: int
    b: int
    turn_a: float
    turn_b: float
    shift: complex


def outer_corners(problem: PackProblem, piece: int) -> NDArray[np.complex128] | None:
    """Corners of the outer ring of a piece, anticlockwise; None when it is no simple ring.

    Points on a straight line between others are left out.
    """
    first, end = int(problem.starts[piece]), int(problem.starts[piece + 1])
    if problem.solid[piece] != end - first:
        return None
    edges = problem.edges[first:end]
    tails, heads = edges[:, 0] + 1j * edges[:, 1], edges[:, 2] + 1j * edges[:, 3]
    following = {complex(tail): k for k, tail in enumerate(tails)}
    if len(following) != len(edges):
        return None
    best: NDArray[np.complex128] | None = None
    largest, seen = 0.0, np.zeros(len(edges), bool)
    for start in range(len(edges)):
        ring, k = [], start
        while not seen[k]:
            seen[k] = True
            ring.append(tails[k])
            nxt = following.get(complex(heads[k]))
            if nxt is None:
                return None
            k = nxt
        if len(ring) > 2:
            points = np.array(ring)
            area = 0.5 * float(np.imag(np.conj(points) * np.roll(points, -1)).sum())
            if abs(area) > largest:
                largest, best = abs(area), points if area > 0 else points[::-1]
    return None if best is None else _bends(best)


def _bends(points: NDArray[np.complex128]) -> NDArray[np.complex128] | None:
    """Drop corners on straight lines, the flattest first."""
    kept = list(points)
    while len(kept) > 3:
        ring = np.array(kept)
        before, after = np.roll(ring, 1), np.roll(ring, -1)
        chord = np.abs(after - before)
        off = (
            np.abs(np.imag((ring - before) * np.conj(after - before)))
            / np.maximum(chord, 1e-300) ** 2
        )
        flat = np.flatnonzero(off < STRAIGHT)
        if not len(flat):
            break
        # Neighbours are not dropped at once: each is judged on what is left.
        drop = [int(flat[0])]
        for k in flat[1:]:
            if k > drop[-1] + 1 and not (k == len(kept) - 1 and drop[0] == 0):
                drop.append(int(k))
        kept = [p for k, p in enumerate(kept) if k not in set(drop)]
    return np.array(kept) if len(kept) >= 3 else None


@dataclass(frozen=True, eq=False)
class _Sides:
    """The sides of all outer rings in all turns, one ring after the other.

    Parameters
    ----------
    corner, way : (N,) complex128
        Where a side begins, and the way to its end.
    piece, turn : (N,) int64
        Piece, and the number of its turn.
    following, preceding : (N,) int64
        The next and the previous side of the ring.
    """

    corner: NDArray[np.complex128]
    way: NDArray[np.complex128]
    piece: IntArray
    turn: IntArray
    following: IntArray
    preceding: IntArray

    def mate(self, a: IntArray, b: IntArray) -> NDArray[np.bool_]:
        """Whether sides are one another the other way round."""
        return np.asarray(np.abs(self.way[a] + self.way[b]) < ALIKE * np.abs(self.way[a]))


def _sides(rings: dict[int, NDArray[np.complex128]], turns: list[FloatArray]) -> _Sides:
    corner, way, piece, turn, following, preceding = [], [], [], [], [], []
    first = 0
    for p, ring in rings.items():
        number = np.arange(len(ring))
        for t, angle in enumerate(turns[p]):
            turned = ring * np.exp(1j * angle)
            corner.append(turned)
            way.append(np.roll(turned, -1) - turned)
            piece.append(np.full(len(ring), p))
            turn.append(np.full(len(ring), t))
            following.append(first + np.roll(number, -1))
            preceding.append(first + np.roll(number, 1))
            first += len(ring)
    return _Sides(
        *(np.concatenate(part) for part in (corner, way, piece, turn, following, preceding))
    )


def find_matings(problem: PackProblem, check: Callable[[], None] = lambda: None) -> list[Mating]:
    """All matings of two pieces, those that share most first.

    Only pieces that may be turned into place count, without mirroring; both must grow with the
    others and may be sent to the same tile. With very many alike sides nothing is compared, and
    none is found.

    Parameters
    ----------
    problem : PackProblem
    check : callable
        Asked often; raises to stop.
    """
    turns = [t.unmirrored for t in problem.turns]
    rings = {}
    for p in range(problem.count):
        check()
        ring = outer_corners(problem, p) if problem.grows[p] and len(turns[p]) else None
        if ring is not None:
            rings[p] = ring
    if (
        len(rings) < 2
        or sum(len(ring) * len(turns[p]) for p, ring in rings.items()) > MOST_CANDIDATES
    ):
        return []
    sides = _sides(rings, turns)
    here, there = _alike(sides)
    check()
    # A run begins where the sides before it do not mate, and has at least two sides.
    use = (sides.piece[here] != sides.piece[there]) & sides.mate(here, there)
    use &= problem.tile[sides.piece[here]] == problem.tile[sides.piece[there]]
    use &= ~sides.mate(sides.preceding[here], sides.following[there])
    use &= sides.mate(sides.following[here], sides.preceding[there])
    length = {p: float(np.abs(np.roll(ring, -1) - ring).sum()) for p, ring in rings.items()}
    out: dict[tuple[int, int, int, int, int], Mating] = {}
    typical = float(np.median(np.abs(sides.way)))
    for n, (i, j) in enumerate(zip(here[use], there[use], strict=True)):
        if n % LISTEN_EVERY == 0:
            check()
        a, b, t = int(sides.piece[i]), int(sides.piece[j]), int(sides.turn[j])
        run_a, run_b = _run(sides, int(i), int(j), min(len(rings[a]), len(rings[b])) - 1)
        steps = sides.way[run_a]
        share = float(np.abs(steps).sum()) / min(length[a], length[b])
        if np.abs(np.angle(steps[1:] / steps[:-1])).sum() < LEAST_BEND or share < LEAST_SHARE:
            continue
        # The sides of `b` run the other way: each ends where the one of `a` begins.
        shift = complex((sides.corner[run_a] - sides.corner[sides.following[run_b]]).mean())
        key = (a, b, t, round(shift.real / typical * 50), round(shift.imag / typical * 50))
        if key not in out or out[key].share < share:
            out[key] = Mating(share, a, b, float(turns[a][0]), float(turns[b][t]), shift)
    return sorted(out.values(), key=lambda m: (-m.share, m.a, m.b, m.turn_b))


def _alike(sides: _Sides) -> tuple[IntArray, IntArray]:
    """Pairs of sides of about the same length that run against one another; the first in its first
    turn."""
    none = np.empty(0, np.int64)
    size = np.abs(sides.way)
    # Lengths on a log scale and directions: near neighbours differ by a part of their length.
    high = np.log(np.maximum(size, 1e-9 * np.median(size)))
    way = sides.way / np.maximum(size, 1e-300)
    places = np.stack([high, way.real, way.imag], axis=1)
    first = np.flatnonzero(sides.turn == 0)
    tree, query = cKDTree(places), cKDTree(places[first] * np.array([1.0, -1.0, -1.0]))
    if tree.count_neighbors(query, ALIKE) > MOST_CANDIDATES:
        return none, none
    near = query.query_ball_tree(tree, ALIKE)
    here = np.repeat(first, [len(others) for others in near])
    return here, np.array([other for others in near for other in sorted(others)], np.int64)


def _run(sides: _Sides, i: int, j: int, most: int) -> tuple[IntArray, IntArray]:
    """The sides that mate from i forward and from j backward."""
    ahead, back = [i], [j]
    while len(ahead) < most:
        i, j = int(sides.following[i]), int(sides.preceding[j])
        if abs(sides.way[i] + sides.way[j]) >= ALIKE * abs(sides.way[i]):
            break
        ahead.append(i)
        back.append(j)
    return np.array(ahead), np.array(back)
