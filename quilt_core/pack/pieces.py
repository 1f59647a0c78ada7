"""From islands with controls to the pieces that are packed: stacks and clusters become one piece
each."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack.clusters import pack_cluster
from quilt_core.pack.controls import Controls
from quilt_core.pack.problem import Obstacles, PackProblem
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.stacks import lay_onto
from quilt_core.pack.turns import Turns, turns_for
from quilt_core.scene.flags import LOCK_ROTATION, LOCK_SIZE, MAY_FLIP
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import compose
from quilt_core.scene.proportion import in_shape
from quilt_core.scene.tightest_turn import tightest_turn
from quilt_core.scene.types import FloatArray, IntArray

LEAST_AREA = 1e-9
"""No piece counts for less than this part of the whole area."""


@dataclass(frozen=True, eq=False)
class Pieces:
    """What is packed, and how it comes from the islands.

    Parameters
    ----------
    problem : PackProblem
    piece : (I,) int64
        Piece of each island.
    to_piece : (I, 2, 3) float64
        Base UVs to px of the piece at scale 1.
    """

    problem: PackProblem
    piece: IntArray
    to_piece: FloatArray


def single_pieces(
    islands: IslandSet,
    linear: FloatArray,
    controls: Controls,
    settings: PackSettings,
    obstacles: Obstacles,
    names: list[str],
) -> Pieces:
    """One piece per island or stack.

    Parameters
    ----------
    islands : IslandSet
        All to be packed.
    linear : (I, 2, 2) float64
        Base UVs to px, size, turn and mirroring.
    controls : Controls
        Of these islands.
    settings : PackSettings
    obstacles : Obstacles
    names : list of str
        What to call each island in errors.

    Raises
    ------
    LayoutError
        When islands of a stack differ in shape or are sent to different tiles.
    """
    to_piece = np.concatenate(
        [in_shape(linear, islands.proportion), np.zeros((islands.count, 2, 1))], axis=2
    )
    leader = np.arange(islands.count)
    for stack in np.unique(controls.stack[controls.stack >= 0]):
        members = np.flatnonzero(controls.stack == stack)
        laid = lay_onto(islands, members)
        if laid is None:
            raise LayoutError(
                f"A stack of {len(members)} islands holds different shapes.",
                ", ".join(names[m] for m in members[:4]),
                "Take the odd ones off the stack.",
            )
        leader[members] = members[0]
        to_piece[members] = compose(
            np.broadcast_to(to_piece[members[0]], laid.onto.shape), laid.onto
        )
    heads, piece = np.unique(leader, return_inverse=True)
    points = islands.placed(to_piece)
    turnable = ~_any(controls.has(LOCK_ROTATION), piece)
    if settings.upright:
        order = np.argsort(points.edge_island, kind="stable")
        starts = np.searchsorted(points.edge_island[order], np.arange(islands.count + 1))
        for p in np.flatnonzero(turnable):
            own = points.edges[order[starts[heads[p]] : starts[heads[p] + 1]]].reshape(-1, 2)
            angle = tightest_turn(own)
            c, s = np.cos(angle), np.sin(angle)
            to_piece[piece == p] = np.array([[c, -s], [s, c]]) @ to_piece[piece == p]
        points = islands.placed(to_piece)
    mirrors = turnable & (settings.mirror | _any(controls.has(MAY_FLIP), piece))
    tile = _agreed(controls.tile, piece, names, "stack")
    problem = _problem(points, piece, heads, settings, obstacles)
    return Pieces(
        replace(
            problem,
            turns=tuple(_turns(settings, *flags) for flags in zip(turnable, mirrors, strict=True)),
            grows=~_any(controls.has(LOCK_SIZE), piece),
            tile=_positions(tile, settings),
        ),
        piece,
        to_piece,
    )


def clustered(
    islands: IslandSet,
    single: Pieces,
    controls: Controls,
    settings: PackSettings,
    names: list[str],
    scale: float,
) -> Pieces:
    """Bundles as clusters laid out for a scale.

    Gaps inside the clusters are the padding at `scale`; they hold for all larger scales.
    """
    problem, piece = single.problem, single.piece
    group = np.arange(problem.count)
    for bundle in np.unique(controls.bundle[controls.bundle >= 0]):
        own = piece[controls.bundle == bundle]
        group[own] = own.min()
    out, numbers = single.to_piece.copy(), np.arange(problem.count)
    grows, tile, turns = problem.grows.copy(), problem.tile.copy(), list(problem.turns)
    for g in np.flatnonzero(np.bincount(group) > 1):
        own = np.flatnonzero(group == g)
        together = bool(problem.grows[own].all())
        rows = pack_cluster(_part(problem, own), settings, scale if together else 1.0)
        for p, row in zip(own, rows, strict=True):
            mine = piece == p
            out[mine] = compose(
                np.broadcast_to(row, (int(mine.sum()), 2, 3)), single.to_piece[mine]
            )
        head = own[0]
        wanted = np.unique(tile[own][tile[own] >= 0])
        if len(wanted) > 1:
            raise LayoutError(
                "A bundle's islands are sent to different tiles.",
                ", ".join(names[i] for i in np.flatnonzero(np.isin(piece, own))[:4]),
                "Send all of them to one tile, or take the bundle apart.",
            )
        tile[head] = wanted[0] if len(wanted) else -1
        grows[head] = together
        turns[head] = Turns.plain(min((problem.turns[p].unmirrored for p in own), key=len))
        numbers[own] = head
    heads, merged = np.unique(numbers, return_inverse=True)
    piece_of = merged[piece]
    first = np.full(len(heads), -1)
    first[piece_of[::-1]] = np.arange(islands.count)[::-1]
    points = islands.placed(out)
    made = _problem(points, piece_of, first, settings, problem.obstacles, stacks=piece)
    turned = tuple(turns[h] for h in heads)
    region = None if problem.region is None else problem.region[heads]
    return Pieces(
        replace(made, turns=turned, grows=grows[heads], tile=tile[heads], region=region),
        piece_of,
        out,
    )


def in_regions(islands: IslandSet, single: Pieces, controls: Controls) -> Pieces:
    """The same pieces; those of an object that are sent to the same tile are to lie in one region.

    Bundles lie where they like.
    """
    problem, piece = single.problem, single.piece
    owner = np.full(problem.count, -1)
    owner[piece] = (
        islands.object_index * (int(problem.tile.max(initial=-1)) + 2) + problem.tile[piece] + 1
    )
    owner[piece[controls.bundle >= 0]] = -1
    return replace(single, problem=replace(problem, region=owner))


def _problem(
    points: IslandSet,
    piece: IntArray,
    heads: IntArray,
    settings: PackSettings,
    obstacles: Obstacles,
    stacks: IntArray | None = None,
) -> PackProblem:
    """Edges of pieces: the first island of a stack gives the inside, all of them the outline."""
    count = len(heads)
    lead = np.zeros(points.count, bool)
    lead[np.unique(piece if stacks is None else stacks, return_index=True)[1]] = True
    owner, extra = piece[points.edge_island], ~lead[points.edge_island]
    order = np.lexsort([extra, owner])
    starts = np.searchsorted(owner[order], np.arange(count + 1))
    solid = np.bincount(owner[~extra], minlength=count).astype(np.int64)
    areas = np.bincount(piece[lead], points.uv_area[lead], count).astype(np.float64)
    # Lines and points have no area, but a place in orders that go by it.
    areas = np.maximum(areas, max(LEAST_AREA * float(areas.sum()), 1e-12))
    return PackProblem(
        np.ascontiguousarray(points.edges.reshape(-1, 4)[order]),
        starts,
        solid,
        areas,
        (),
        np.ones(count, bool),
        np.full(count, -1),
        obstacles,
    )


def _part(problem: PackProblem, which: IntArray) -> PackProblem:
    rows = [np.arange(problem.starts[p], problem.starts[p + 1]) for p in which]
    return replace(
        problem,
        edges=np.ascontiguousarray(problem.edges[np.concatenate(rows)]),
        starts=np.concatenate([[0], np.cumsum([len(r) for r in rows])]),
        solid=problem.solid[which],
        areas=problem.areas[which],
        turns=tuple(problem.turns[p] for p in which),
    )


def _turns(settings: PackSettings, turnable: bool, mirrors: bool) -> Turns:
    angles = turns_for(settings.rotate if turnable else "none", settings.free_steps)
    turns = Turns.plain(angles)
    return turns.with_mirrored() if mirrors else turns


def _any(marked: NDArray[np.bool_], piece: IntArray) -> NDArray[np.bool_]:
    return np.asarray(np.bincount(piece, marked) > 0)


def _agreed(tile: IntArray, piece: IntArray, names: list[str], what: str) -> IntArray:
    """(P,) the tile that the islands of each piece are sent to, 0 for any."""
    out = np.zeros(int(piece.max(initial=-1)) + 1, np.int64)
    out[piece[tile > 0]] = tile[tile > 0]
    wrong = np.flatnonzero((tile > 0) & (out[piece] != tile))
    if len(wrong):
        raise LayoutError(
            f"Islands of one {what} are sent to different tiles.",
            names[wrong[0]],
            "Send all of them to one tile.",
        )
    return out


def _positions(tile: IntArray, settings: PackSettings) -> IntArray:
    """Positions of tile numbers in the list of tiles, -1 for any."""
    known = {t.number: k for k, t in enumerate(settings.bins)}
    for number in np.unique(tile[tile > 0]):
        if int(number) not in known:
            raise LayoutError(
                f"Islands are sent to tile {number}, which is not filled.",
                "tiles",
                "Add the tile, thaw it, or let them go anywhere.",
            )
    return np.array([known.get(int(number), -1) for number in tile], np.int64)
