"""Assembly: put pieces that mate together into groups, the strongest matings first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely

from quilt_core.pack.mating import Mating, outer_corners
from quilt_core.pack.problem import PackProblem
from quilt_core.pack.turns import Turns
from quilt_core.scene.types import FloatArray, IntArray

COMMON = 5e-3
"""Part of the smaller piece that mating pieces may share, by rounding."""


@dataclass(frozen=True, eq=False)
class Group:
    """Pieces that mate, in a frame of their own.

    Parameters
    ----------
    pieces : (M,) int64
    turn : (M,) float64
        Radians.
    shift : (M, 2) float64
        px at scale 1: a point p of a piece lies at ``R(turn) p + shift``.
    turns : Turns
        Those that the whole group may lie in.
    """

    pieces: IntArray
    turn: FloatArray
    shift: FloatArray
    turns: Turns


def assemble(
    problem: PackProblem, matings: list[Mating], room: tuple[float, float] = (np.inf, np.inf)
) -> list[Group]:
    """Put pieces together along their matings, the strongest first; pieces without one stay alone.

    Parameters
    ----------
    problem : PackProblem
    matings : list of Mating
        The strongest first.
    room : tuple of float
        Edges in px at scale 1 of a box that each group must fit, upright or lying.

    Returns
    -------
    list of Group
        Every piece lies in one of them; those of a group lie side by side and not on one another.
    """
    shapes: dict[int, shapely.Geometry] = {}
    for p in {m.a for m in matings} | {m.b for m in matings}:
        ring = outer_corners(problem, p)
        assert ring is not None
        shapes[p] = shapely.Polygon(np.stack([ring.real, ring.imag], axis=1)).buffer(0)
    cluster = {p: p for p in range(problem.count)}
    # Turn and shift of every piece in the frame of its cluster.
    at: dict[int, tuple[float, complex]] = dict.fromkeys(range(problem.count), (0.0, 0j))
    members: dict[int, list[int]] = {p: [p] for p in range(problem.count)}
    for m in matings:
        one, two = cluster[m.a], cluster[m.b]
        if one == two:
            continue
        # The frame of `two` seen from that of `one`, so that the pieces come to lie as they mate.
        turn_one = at[m.a][0] - m.turn_a
        place_b = at[m.a][1] + np.exp(1j * turn_one) * m.shift
        turn = turn_one + m.turn_b - at[m.b][0]
        shift = place_b - np.exp(1j * turn) * at[m.b][1]
        moved = {p: (at[p][0] + turn, shift + np.exp(1j * turn) * at[p][1]) for p in members[two]}
        together = [*members[one], *members[two]]
        then = {**{p: at[p] for p in members[one]}, **moved}
        if not len(_common_turns(problem, together, [then[p][0] for p in together])):
            continue
        left, right = (
            [_moved(shapes[p], then[p]) for p in members[number]] for number in (one, two)
        )
        if not _fits([*left, *right], room) or _collide(left, right):
            continue
        at.update(moved)
        members[one] = together
        for p in members.pop(two):
            cluster[p] = one
    out = []
    for own in members.values():
        turn_of = _within_a_circle(np.array([at[p][0] for p in own]))
        shift_of = np.array([at[p][1] for p in own])
        alone = len(own) == 1
        turns = (
            problem.turns[own[0]]
            if alone
            else Turns.plain(_common_turns(problem, own, turn_of.tolist()))
        )
        out.append(
            Group(np.array(own), turn_of, np.stack([shift_of.real, shift_of.imag], axis=1), turns)
        )
    return out


def _common_turns(problem: PackProblem, pieces: list[int], turn: list[float]) -> FloatArray:
    """Angles by which all pieces may be turned further, each being turned already."""
    common: FloatArray | None = None
    for p, now in zip(pieces, turn, strict=True):
        further = _within_a_circle(problem.turns[p].unmirrored - now)
        if common is None:
            common = further
        else:
            common = common[(np.abs(common[:, None] - further[None]) < 1e-6).any(axis=1)]
    assert common is not None
    return np.asarray(np.sort(common))


def _within_a_circle(turns: FloatArray) -> FloatArray:
    """Angles from 0 to just below 2 pi; what rounding leaves below 0 is 0."""
    out = turns % (2 * np.pi)
    out[out > 2 * np.pi - 1e-6] = 0.0
    return out


def _fits(shapes: list[shapely.Geometry], room: tuple[float, float]) -> bool:
    """Whether the box around all shapes fits the room, upright or lying."""
    low_x, low_y, high_x, high_y = shapely.total_bounds(shapes)
    short, long = sorted((high_x - low_x, high_y - low_y))
    return bool(short <= min(room) and long <= max(room))


def _collide(left: list[shapely.Geometry], right: list[shapely.Geometry]) -> bool:
    """Whether shapes of two groups share more than rounding explains."""
    a, b = shapely.STRtree(right).query(left, predicate="intersects")
    one, two = np.array(left, object)[a], np.array(right, object)[b]
    shared = shapely.area(shapely.intersection(one, two))
    return bool((shared > COMMON * np.minimum(shapely.area(one), shapely.area(two))).any())


def _moved(shape: shapely.Geometry, at: tuple[float, complex]) -> shapely.Geometry:
    """Turned, then shifted; the shape itself stays as it is."""
    turn = np.exp(1j * at[0])

    def move(points: FloatArray) -> FloatArray:
        moved = (points[:, 0] + 1j * points[:, 1]) * turn + at[1]
        return np.stack([moved.real, moved.imag], axis=1)

    return shapely.transform(shape, move)
