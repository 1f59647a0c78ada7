"""Slide islands in a direction until they touch at padding distance, exactly on their outlines.

Two edges come nearer than the padding when the way of the one, as seen from the other, enters the
region round the parallelogram of their differences that is the padding wide: a convex region, made
of circles round its corners and boxes along its sides. The first entry of all pairs is how far the
islands go. NumPy only: the web process answers it at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.tiles import TileSize, home_tiles
from quilt_core.scene.types import FloatArray, IntArray

DIRECTIONS = {"left": (-1.0, 0.0), "right": (1.0, 0.0), "up": (0.0, 1.0), "down": (0.0, -1.0)}
TOUCHING = 1e-6
"""px by which islands may be nearer than the padding and still slide past one another."""
CHUNK = 400_000
"""Pairs of edges that are looked at in one go."""


def settle(
    islands: IslandSet,
    placements: FloatArray,
    tiles: Sequence[TileSize],
    chosen: IntArray,
    direction: tuple[float, float],
    padding: float,
    margin: float,
    each: bool = False,
) -> FloatArray:
    """New placements after some islands slid in a direction.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    placements : (I, 2, 3) float64
    tiles : sequence of TileSize
    chosen : (N,) int64
        Islands that slide; the others stay and are in the way.
    direction : (float, float)
        In px of the tile, of any length but zero.
    padding, margin : float
        px to keep between islands, and to the edges of the tile.
    each : bool
        One after the other, those in front first, instead of as one block.

    Returns
    -------
    (I, 2, 3) float64
        Islands that lie in no tile, or have nothing in their way, stay. What is nearer than the
        padding at the start does not hold back what leaves it.
    """
    out = placements.copy()
    home = home_tiles(islands, placements, tiles)
    way = np.array(direction, np.float64)
    way /= np.hypot(*way)
    for k, tile in enumerate(tiles):
        mine = chosen[home[chosen] == k]
        if not len(mine):
            continue
        scene = SlideScene.of_tile(islands, out, tile)
        front = np.array([(scene.edges[scene.rows(i)] @ way).max() for i in mine])
        groups = [np.array([i]) for i in mine[np.argsort(-front)]] if each else [mine]
        waiting = np.zeros(islands.count, bool)
        waiting[mine] = each
        for group in groups:
            waiting[group] = False
            far = scene.reach(group, way, padding, margin, waiting)
            if np.isfinite(far) and far > 0:
                scene.shift(group, far * way)
                out[group, :, 2] += far * way / scene.size
    return out


class SlideScene:
    """Outlines in px from the corner of one tile."""

    def __init__(
        self, islands: IslandSet, placements: FloatArray, size: FloatArray, corner: FloatArray
    ) -> None:
        placed = islands.placed(placements)
        self.size, self.corner, self.owner = size, corner, placed.edge_island
        self.edges = (placed.edges - corner) * size
        self.order, self.start = islands.edge_rows
        self.low, self.high = self.edges.min(axis=1), self.edges.max(axis=1)

    @staticmethod
    def of_tile(islands: IslandSet, placements: FloatArray, tile: TileSize) -> SlideScene:
        """The islands as they lie, seen from a tile."""
        size = np.array([tile.width, tile.height], np.float64)
        return SlideScene(islands, placements, size, np.array(tile.corner, np.float64))

    def rows(self, island: int) -> IntArray:
        """Edges of an island."""
        return self.order[self.start[island] : self.start[island + 1]]

    def edges_of(self, group: IntArray) -> FloatArray:
        """(E, 2, 2) outline edges of some islands."""
        out: FloatArray = self.edges[np.concatenate([self.rows(i) for i in group])]
        return out

    def put(self, group: IntArray, islands: IslandSet, placements: FloatArray) -> None:
        """Lay some islands where their placements say."""
        for i in group:
            rows = self.rows(i)
            placed = islands.edges[rows] @ placements[i, :, :2].T + placements[i, :, 2]
            self.edges[rows] = (placed - self.corner) * self.size
            self.low[rows], self.high[rows] = (
                self.edges[rows].min(axis=1),
                self.edges[rows].max(axis=1),
            )

    def shift(self, group: IntArray, by: FloatArray) -> None:
        """Move some islands."""
        mine = np.isin(self.owner, group)
        self.edges[mine] += by
        self.low[mine] += by
        self.high[mine] += by

    def reach(
        self, group: IntArray, way: FloatArray, padding: float, margin: float, waiting: NDArray[np.bool_]
    ) -> float:  # fmt: skip
        """How far a group can go; infinite when nothing is in its way and it does not lie in the
        tile."""
        mine = np.isin(self.owner, group)
        if not mine.any():
            return np.inf
        low, high = self.low[mine].min(axis=0), self.high[mine].max(axis=0)
        far = np.inf
        for axis in (0, 1):
            room = self.size[axis] - margin - high[axis] if way[axis] > 0 else low[axis] - margin
            if abs(way[axis]) > 1e-12:
                far = min(far, max(room, 0.0) / abs(way[axis]))
        ahead = far * way
        # Only what lies where the group will pass.
        first = np.minimum(low, low + ahead) - padding
        last = np.maximum(high, high + ahead) + padding
        others = ~mine & ~waiting[self.owner] & np.isfinite(self.low).all(axis=1)
        others &= (self.high >= first).all(axis=1) & (self.low <= last).all(axis=1)
        still, moving = self.edges[others], self.edges[mine & np.isfinite(self.low).all(axis=1)]
        step = max(1, CHUNK // max(len(still), 1))
        for at in range(0, len(moving), step):
            far = min(far, _first_touch(moving[at : at + step], still, way, padding - TOUCHING))
        return far


def _first_touch(moving: FloatArray, still: FloatArray, way: FloatArray, gap: float) -> float:
    """How far edges (M, 2, 2) can go until one is nearer than a gap to one of (S, 2, 2)."""
    met = meetings(moving, still, way, gap)
    # What begins too near holds back only what goes nearer still.
    return 0.0 if met.nearer.any() else float(met.first.min(initial=np.inf))


@dataclass(frozen=True, eq=False)
class Meetings:
    """Pairs of edges that come nearer than a gap while the first goes straight on.

    Parameters
    ----------
    still : (P,) int64
        The edge that stays.
    entry, exit : (P,) float64
        The way after which they are nearer than the gap, and after which no longer; below 0 for what
        lies behind.
    started : (P,) bool
        They are nearer than the gap already.
    nearer : (P,) bool
        And they would come nearer still.
    """

    still: IntArray
    entry: FloatArray
    exit: FloatArray
    started: NDArray[np.bool_]
    nearer: NDArray[np.bool_]

    @property
    def first(self) -> FloatArray:
        """(P,) the way that is free; infinite for pairs that are too near from the start."""
        ahead = ~self.started & (self.entry >= 0) & (self.entry <= self.exit)
        return np.where(ahead, self.entry, np.inf)


def meetings(moving: FloatArray, still: FloatArray, way: FloatArray, gap: float) -> Meetings:
    """Where edges (M, 2, 2) that go along a way of length 1 meet edges (S, 2, 2) at a gap.

    Parameters
    ----------
    moving, still : (·, 2, 2) float64
    way : (2,) float64
    gap : float
    """
    nothing, none = np.empty(0), np.empty(0, bool)
    if not len(moving) or not len(still):
        return Meetings(np.empty(0, np.int64), nothing, nothing, none, none)
    a, b = moving[:, None], still[None]
    # Corners of the parallelogram of differences, in order; the way starts at (0, 0).
    corner = np.stack(
        [b[..., 0, :] - a[..., 0, :], b[..., 1, :] - a[..., 0, :], b[..., 1, :] - a[..., 1, :], b[..., 0, :] - a[..., 1, :]],
        axis=-2,
    ).reshape(-1, 4, 2)  # fmt: skip
    across = corner @ np.array([-way[1], way[0]])
    along = corner @ way
    # What the way passes by at a distance, or has behind it, cannot be touched.
    close = (across.min(axis=1) <= gap) & (across.max(axis=1) >= -gap) & (along.max(axis=1) >= -gap)
    number = np.flatnonzero(close) % len(still)
    corner, across, along = corner[close], across[close], along[close]
    if not len(corner):
        return Meetings(number, nothing, nothing, none, none)
    entry, exit_ = _circles(across, along, gap)
    for k in range(4):
        one, two = corner[:, k], corner[:, (k + 1) % 4]
        low, high = _box(one, two, way, gap)
        entry, exit_ = np.minimum(entry, low), np.maximum(exit_, high)
    inside = _inside(corner)
    started = inside | ((entry < 0) & (exit_ > 0))
    return Meetings(number, entry, exit_, started, started & (_leaving(corner, way) < 0))


def _circles(across: FloatArray, along: FloatArray, gap: float) -> tuple[FloatArray, FloatArray]:
    """Where the way enters and leaves the circles round the corners, (P,) each."""
    half = gap**2 - across**2
    hit = half >= 0
    root = np.sqrt(np.maximum(half, 0.0))
    return (
        np.where(hit, along - root, np.inf).min(axis=1),
        np.where(hit, along + root, -np.inf).max(axis=1),
    )


def _box(
    one: FloatArray, two: FloatArray, way: FloatArray, gap: float
) -> tuple[FloatArray, FloatArray]:
    """Where the way enters and leaves the boxes along segments (P, 2), a gap to both sides."""
    side = two - one
    length = np.hypot(side[:, 0], side[:, 1])
    real = length > 0
    unit = side / np.where(real, length, 1.0)[:, None]
    normal = np.stack([-unit[:, 1], unit[:, 0]], axis=1)
    low, high = np.full(len(one), -np.inf), np.full(len(one), np.inf)
    for axis, least, most in ((unit, 0.0, length), (normal, -gap, gap)):
        speed, start = axis @ way, -(one * axis).sum(axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            first, last = (least - start) / speed, (most - start) / speed
        flat = np.abs(speed) < 1e-12
        within = (start >= least) & (start <= most)
        first = np.where(flat, np.where(within, -np.inf, np.inf), first)
        last = np.where(flat, np.where(within, np.inf, -np.inf), last)
        low = np.maximum(low, np.minimum(first, last))
        high = np.minimum(high, np.maximum(first, last))
    miss = ~real | (low > high)
    return np.where(miss, np.inf, low), np.where(miss, -np.inf, high)


def _inside(corner: FloatArray) -> NDArray[np.bool_]:
    """(P,) whether (0, 0) lies in the parallelograms: the edges cross."""
    turns = [
        corner[:, k, 0] * corner[:, (k + 1) % 4, 1] - corner[:, k, 1] * corner[:, (k + 1) % 4, 0]
        for k in range(4)
    ]
    sides = np.stack(turns, axis=1)
    return np.asarray((sides > 0).all(axis=1) | (sides < 0).all(axis=1))


def _leaving(corner: FloatArray, way: FloatArray) -> FloatArray:
    """(P,) how fast the distance to the parallelograms grows at the start."""
    best, out = np.full(len(corner), np.inf), np.zeros(len(corner))
    for k in range(4):
        one, side = corner[:, k], corner[:, (k + 1) % 4] - corner[:, k]
        length = (side**2).sum(axis=1)
        t = np.clip(-(one * side).sum(axis=1) / np.where(length > 0, length, 1.0), 0.0, 1.0)
        nearest = one + t[:, None] * side
        distance = (nearest**2).sum(axis=1)
        better = distance < best
        best = np.where(better, distance, best)
        out = np.where(better, -(nearest @ way), out)
    return out
