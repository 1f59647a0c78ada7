"""Make room for islands that were put down: what is nearer to them than the padding steps aside.

Each neighbour goes straight away from them, just as far as it must, and pushes those in its way on,
each by what is left of the way after the gap to it is used up. Of eight directions the one is taken
that moves the least area the least far. NumPy only: the web process answers it at once.

The push of a whole chain is a longest way in the graph of who touches whom, found as in Dijkstra 1959,
A note on two problems in connexion with graphs, Numerische Mathematik 1.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Sequence

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.place.settle import CHUNK, TOUCHING, SlideScene, meetings
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.tiles import TileSize, home_tiles
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

WAYS = np.array([(np.cos(a), np.sin(a)) for a in np.arange(8) * np.pi / 4]).round(15)
COLLAPSED = 1e-12
"""Islands of less than this part of their tile lie in nobody's way."""
MOST_MOVES = 2000
"""Neighbours that are moved one after the other before it is given up."""


def make_room(
    islands: IslandSet,
    placements: FloatArray,
    tiles: Sequence[TileSize],
    chosen: IntArray,
    padding: float,
    margin: float,
    held: BoolArray | None = None,
    stack: IntArray | None = None,
    stop: Callable[[], bool] = lambda: False,
) -> tuple[FloatArray, BoolArray]:
    """Move neighbours of some islands until none is nearer to them than the padding.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    placements : (I, 2, 3) float64
    tiles : sequence of TileSize
    chosen : (N,) int64
        Islands that stay.
    padding, margin : float
        px to keep between islands, and to the edges of the tile.
    held : (I,) bool, optional
        Others that may not move either.
    stack : (I,) int64, optional
        Islands of one number move together; -1 for none. Those of a chosen one are no neighbours.
    stop : callable, optional
        Asked now and then; true when it is to be given up.

    Raises
    ------
    LayoutError
        When it was given up.

    Returns
    -------
    placements : (I, 2, 3) float64
    stuck : (I,) bool
        Neighbours that found no place to step to; they lie where they were.
    """
    held = np.zeros(islands.count, bool) if held is None else held
    stack = np.full(islands.count, -1) if stack is None else stack
    out, stuck = placements.copy(), np.zeros(islands.count, bool)
    home = home_tiles(islands, placements, tiles)
    for k, tile in enumerate(tiles):
        mine = chosen[home[chosen] == k]
        if not len(mine):
            continue
        scene = SlideScene.of_tile(islands, out, tile)
        crowd = _Crowd(scene, islands, out, mine, held, stack, padding - TOUCHING, margin, stop)
        by, found = crowd.part()
        out[:, :, 2] += by / scene.size
        stuck |= found
    return out, stuck


class _Crowd:
    """The islands of one tile, as groups that move together."""

    def __init__(
        self, scene: SlideScene, islands: IslandSet, placements: FloatArray, chosen: IntArray, held: BoolArray,
        stack: IntArray, gap: float, margin: float, stop: Callable[[], bool],
    ) -> None:  # fmt: skip
        self.stop = stop
        self.scene, self.gap, self.margin = scene, gap, margin
        self.area = islands.placed(placements).uv_area * scene.size.prod()
        # The first island of each stack stands for all of it.
        self.group = np.arange(islands.count)
        for number in np.unique(stack[stack >= 0]):
            members = np.flatnonzero(stack == number)
            self.group[members] = members[0]
        self.center = np.zeros(islands.count, bool)
        self.center[self.group[chosen]] = True
        self.fixed = self.center.copy()
        self.fixed[self.group[held]] = True
        self.owner = self.group[scene.owner]
        # What is collapsed to a line or point has no neighbours, as in the measure.
        flat = self.area <= COLLAPSED * scene.size.prod()
        self.finite = np.isfinite(scene.low).all(axis=1) & ~flat[scene.owner]

    def part(self) -> tuple[FloatArray, BoolArray]:
        """px by which each island moves, and those that should and cannot."""
        by, stuck = np.zeros((len(self.group), 2)), np.zeros(len(self.group), bool)
        for _ in range(MOST_MOVES):
            self._go_on()
            waiting = [g for g in self._too_near() if not stuck[g]]
            if not waiting:
                break
            g = max(waiting, key=lambda one: self.area[one])
            move = self._cheapest(int(g))
            if move is None:
                stuck[g] = True
                continue
            way, pushed = move
            for member, far in pushed.items():
                islands = np.flatnonzero(self.group == member)
                self.scene.shift(islands, far * way)
                by[islands] += far * way
        return by, stuck[self.group]

    def _go_on(self) -> None:
        if self.stop():
            raise LayoutError(
                "Too many islands lie on or beside one another here to make room one by one.", "",
                "Pack them first, or make room for fewer.",
            )  # fmt: skip

    def _edges(self, groups: BoolArray, low: FloatArray, high: FloatArray) -> IntArray:
        """Edges of some groups that meet a box."""
        scene = self.scene
        near = (scene.high >= low).all(axis=1) & (scene.low <= high).all(axis=1)
        return np.flatnonzero(near & self.finite & groups[self.owner])

    def _box(self, rows: IntArray) -> tuple[FloatArray, FloatArray]:
        return self.scene.low[rows].min(axis=0), self.scene.high[rows].max(axis=0)

    def _too_near(self) -> IntArray:
        """Groups nearer than the gap to those that stay in the middle, or lying on them."""
        middle = np.flatnonzero(self.center[self.owner] & self.finite)
        if not len(middle):
            return np.empty(0, np.int64)
        low, high = self._box(middle)
        # By their boxes: one may lie wholly round another, with no edge near it.
        least, most = np.full((2, len(self.group)), np.inf), np.full((2, len(self.group)), -np.inf)
        owner = self.owner[self.finite]
        for axis in (0, 1):
            np.minimum.at(least[axis], owner, self.scene.low[self.finite, axis])
            np.maximum.at(most[axis], owner, self.scene.high[self.finite, axis])
        near = (high + self.gap >= least.T).all(axis=1) & (low - self.gap <= most.T).all(axis=1)
        near &= ~self.fixed
        found = [g for g in np.flatnonzero(near) if self._way_out(int(g), WAYS[0]) > 0]
        return np.array(found, np.int64)

    def _way_out(self, group: int, way: FloatArray) -> float:
        """How far a group must go to keep the gap from the middle; 0 when it does already."""
        own = self.scene.edges[(self.owner == group) & self.finite]
        middle = self.scene.edges[self.center[self.owner] & self.finite]
        starts, ends = [np.empty(0)], [np.empty(0)]
        step = max(1, CHUNK // max(len(middle), 1))
        for at in range(0, len(own), step):
            met = meetings(own[at : at + step], middle, way, self.gap)
            ahead = (met.exit > 0) & (met.entry <= met.exit)
            starts.append(met.entry[ahead])
            ends.append(met.exit[ahead])
        start, end = np.concatenate(starts), np.concatenate(ends)
        order = np.argsort(start)
        start, end = start[order], np.maximum.accumulate(end[order]) if len(end) else end
        far, k = 0.0, 0
        while True:
            # Through all that begins before here, then on when it lies wholly inside or around.
            while k < len(start) and start[k] <= far:
                far = max(far, float(end[k]))
                k += 1
            if not (
                _covers(middle, own[0, 0] + far * way) or _covers(own + far * way, middle[0, 0])
            ):
                return far + TOUCHING if far > 0 else 0.0
            if k == len(start):
                return np.inf
            far = float(start[k])

    def _cheapest(self, group: int) -> tuple[FloatArray, dict[int, float]] | None:
        """The way that moves the least, with how far each group goes."""
        best: tuple[float, FloatArray, dict[int, float]] | None = None
        for way in WAYS:
            pushed = self._push(group, way, self._way_out(group, way))
            if pushed is None:
                continue
            cost = sum(far * (self.area[g] + 1.0) for g, far in pushed.items())
            if best is None or cost < best[0] - 1e-9:
                best = (cost, way, pushed)
        return None if best is None else (best[1], best[2])

    def _push(self, group: int, way: FloatArray, far: float) -> dict[int, float] | None:
        """How far each group goes when one is pushed; None when something would have to give way
        that cannot."""
        if not np.isfinite(far):
            return None
        done: dict[int, float] = {}
        waiting = [(-far, group)]
        movable = ~self.fixed
        while waiting:
            self._go_on()
            minus, g = heapq.heappop(waiting)
            if g in done:
                continue
            done[g], reach = -minus, -minus
            own = np.flatnonzero((self.owner == g) & self.finite)
            low, high = self._box(own)
            ahead = reach * way
            inside = (low + ahead >= self.margin - 1e-9) | (way >= 0)
            inside &= (high + ahead <= self.scene.size - self.margin + 1e-9) | (way <= 0)
            if not inside.all():
                return None
            first = np.minimum(low, low + ahead) - self.gap
            last = np.maximum(high, high + ahead) + self.gap
            others = movable | self.fixed
            others[list(done)] = False
            if g == group:
                others &= ~self.center
            rows = self._edges(others, first, last)
            free = np.full(len(self.group), np.inf)
            moving = self.scene.edges[own]
            step = max(1, CHUNK // max(len(rows), 1))
            for at in range(0, len(moving), step):
                met = meetings(moving[at : at + step], self.scene.edges[rows], way, self.gap)
                target = self.owner[rows[met.still]]
                np.minimum.at(free, target, np.where(met.nearer, 0.0, met.first))
            for other in np.flatnonzero(free < reach):
                if self.fixed[other]:
                    return None
                heapq.heappush(waiting, (free[other] - reach, int(other)))
        return done


def _covers(edges: FloatArray, point: FloatArray) -> bool:
    """Whether a point lies inside outline edges (E, 2, 2), by its winding number."""
    (ax, ay), (bx, by) = edges[:, 0].T, edges[:, 1].T
    x, y = point
    up, down = (ay <= y) & (by > y), (by <= y) & (ay > y)
    side = (bx - ax) * (y - ay) - (x - ax) * (by - ay)
    return int((up & (side > 0)).sum()) != int((down & (side < 0)).sum())
