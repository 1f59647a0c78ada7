"""A repeating texture that goes on across seams: islands laid against their neighbours."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.onto import Turns, laid_onto
from quilt_core.scene.placement import apply_placements
from quilt_core.scene.types import BoolArray, FloatArray, IntArray


@dataclass(frozen=True, eq=False)
class SeamSides:
    """Both sides of seams.

    Parameters
    ----------
    islands : (K, 2) int64
        Island on the one side of each edge, and on the other.
    ends : (K, 2, 2, 2) float64
        Base UVs by side, end of the edge, and axis; the ends of both sides are the same two points of the surface.
    """

    islands: IntArray
    ends: FloatArray

    def lying(self, placements: FloatArray, pixels: FloatArray) -> FloatArray:
        """(K, 2, 2, 2) the same in px, with placements (I, 2, 3) and px of a tile (2,)."""
        which = np.repeat(self.islands.ravel(), 2)
        placed = apply_placements(self.ends.reshape(-1, 2), which, placements)
        return np.asarray((placed * pixels).reshape(-1, 2, 2, 2))


@dataclass(frozen=True, eq=False)
class Carried:
    """Islands laid against their neighbours.

    Parameters
    ----------
    placements : (I, 2, 3) float64
    neighbour : (I,) int64
        Island against which each was laid; -1 for one that stayed.
    edges : (I,) int64
        Along how many edges.
    misfit : (K,) float64
        px by which the texture is off at each seam of an island that was laid with one that lies, at its worse end; NaN for others.
    """

    placements: FloatArray
    neighbour: IntArray
    edges: IntArray
    misfit: FloatArray


def carry_across(
    sides: SeamSides,
    placements: FloatArray,
    facing: FloatArray,
    area: FloatArray,
    follow: BoolArray,
    stay: BoolArray,
    pixels: FloatArray,
    period: FloatArray,
    turns: Turns = "any",
    scale: bool = True,
) -> Carried:
    """Lay islands so that a repeating texture goes on across their seams, from neighbour to neighbour.

    Each is laid against the one with which it has the longest border among those that lie already; then whole repeats
    bring it back to about where it was.

    Parameters
    ----------
    sides : SeamSides
        Between different islands.
    placements : (I, 2, 3) float64
    facing : (I,) float64
        1, or -1 where an island's base UVs are mirrored.
    area : (I,) float64
        On the surface.
    follow, stay : (I,) bool
        Islands that are laid, and those that they may be laid against; of a group that meets none of these the largest
        stays, and where that is alone the neighbour with the longest border does.
    pixels : (2,) float64
        Of the tile.
    period : (2,) float64
        px after which the texture repeats, across and up.
    turns : str
        How they may be turned: any, quarter, none.
    scale : bool
        Whether their size may change.
    """
    now = placements.copy()
    count = len(now)
    neighbour, edges = np.full(count, -1, np.int64), np.zeros(count, np.int64)
    pair = sides.islands
    lengths = np.linalg.norm(np.diff(sides.lying(now, pixels)[:, 0], axis=1)[:, 0], axis=1)
    done = stay & ~follow
    left = follow.copy()
    while left.any():
        border = _borders(pair, lengths, done, left, count)
        if border is None:
            started = _start(pair, lengths, left, area, done)
            if started is None:
                break
            done[started], left[started] = True, False
            continue
        island, against = border
        mine = (pair == (against, island)).all(axis=1) | (pair == (island, against)).all(axis=1)
        lying = sides.lying(now, pixels)[mine]
        first = pair[mine, 0] == island
        own = np.where(first[:, None, None], lying[:, 0], lying[:, 1]).reshape(-1, 2)
        goal = np.where(first[:, None, None], lying[:, 1], lying[:, 0]).reshape(-1, 2)
        now[island] = _laid(
            now[island], own, goal, pixels, period, turns, scale,
            _facing(now, facing, island) != _facing(now, facing, against),
        )  # fmt: skip
        neighbour[island], edges[island] = against, int(mine.sum())
        done[island], left[island] = True, False
    told = np.asarray(done[pair].all(axis=1) & (neighbour[pair] >= 0).any(axis=1))
    return Carried(now, neighbour, edges, _misfits(sides, now, pixels, period, told))


def _facing(placements: FloatArray, facing: FloatArray, island: int) -> float:
    return float(np.sign(np.linalg.det(placements[island, :, :2])) * facing[island])


def _borders(
    pair: IntArray, lengths: FloatArray, done: BoolArray, left: BoolArray, count: int
) -> tuple[int, int] | None:
    """The island that is next, and the one it is laid against: those with the longest border."""
    forth = left[pair[:, 0]] & done[pair[:, 1]]
    back = left[pair[:, 1]] & done[pair[:, 0]]
    if not (forth | back).any():
        return None
    here = np.concatenate([pair[forth], pair[back][:, ::-1]])
    names, index = np.unique(here[:, 0] * count + here[:, 1], return_inverse=True)
    held = np.bincount(index, np.concatenate([lengths[forth], lengths[back]]))
    best = int(names[np.argmax(held)])
    return best // count, best % count


def _start(
    pair: IntArray, lengths: FloatArray, left: BoolArray, area: FloatArray, done: BoolArray
) -> int | None:
    """An island that stays so that others can be laid against it."""
    inside = left[pair].all(axis=1)
    if inside.any():
        able = np.unique(pair[inside])
        return int(able[np.argmax(area[able])])
    beside = left[pair].any(axis=1)
    if not beside.any():
        return None
    other = np.where(left[pair[beside, 0]], pair[beside, 1], pair[beside, 0])
    return int(np.argmax(np.bincount(other, lengths[beside], len(done))))


def _laid(
    placement: FloatArray,
    own: FloatArray,
    goal: FloatArray,
    pixels: FloatArray,
    period: FloatArray,
    turns: Turns,
    scale: bool,
    flip: bool,
) -> FloatArray:
    """Where an island lies (2, 3) so that its side meets the goal, but for whole repeats."""
    mirror = np.array([-1.0 if flip else 1.0, 1.0])
    corners = apply_placements(
        np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]), np.zeros(3, np.int64), placement[None]
    )
    before = np.concatenate([corners * pixels, own])
    after = laid_onto(before * mirror, own * mirror, goal, scale, turns)
    way = after[3:].mean(axis=0) - own.mean(axis=0)
    placed = (after[:3] - np.round(way / period) * period) / pixels
    return np.stack([placed[1] - placed[0], placed[2] - placed[0], placed[0]], axis=1)


def _misfits(
    sides: SeamSides,
    placements: FloatArray,
    pixels: FloatArray,
    period: FloatArray,
    told: BoolArray,
) -> FloatArray:
    lying = sides.lying(placements, pixels)
    off = lying[:, 0] - lying[:, 1]
    off -= np.round(off.mean(axis=1, keepdims=True) / period) * period
    worst = np.linalg.norm(off, axis=2).max(axis=1, initial=0.0)
    return np.where(told, worst, np.nan)
