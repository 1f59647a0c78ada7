"""What is packed, and what comes out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack.turns import Turns
from quilt_core.scene.types import FloatArray, IntArray


@dataclass(frozen=True, eq=False)
class Obstacles:
    """What lies in the tiles already and stays.

    Parameters
    ----------
    edges : (E, 4) float64
        Outline edges in px from the lower left corner of their tile.
    starts : (N + 1,) int64
    tile : (N,) int64
        Position of the tile in the list of tiles.
    """

    edges: FloatArray
    starts: IntArray
    tile: IntArray


def no_obstacles() -> Obstacles:
    """Empty tiles."""
    ints = np.empty(0, np.int64)
    return Obstacles(np.empty((0, 4)), np.zeros(1, np.int64), ints)


@dataclass(frozen=True, eq=False)
class PackProblem:
    """Pieces in px at scale 1.

    Parameters
    ----------
    edges : (E, 4) float64
        Outline edges of all pieces as x0, y0, x1, y1.
    starts : (P + 1,) int64
        Edges of piece ``p`` are ``edges[starts[p]:starts[p + 1]]``.
    solid : (P,) int64
        So many edges of a piece, from its first, bound its inside; the others are kept clear as
        well.
    areas : (P,) float64
        Areas in px at scale 1.
    turns : tuple of Turns
        Those that each piece may lie in.
    grows : (P,) bool
        False for pieces that keep their size whatever the common scale is.
    tile : (P,) int64
        Position of the only tile that a piece may lie in, -1 for any.
    obstacles : Obstacles
    region : (P,) int64, optional
        Pieces of one number are to lie together; -1 for those that lie anywhere. None when all may.
    """

    edges: FloatArray
    starts: IntArray
    solid: IntArray
    areas: FloatArray
    turns: tuple[Turns, ...]
    grows: NDArray[np.bool_]
    tile: IntArray
    obstacles: Obstacles
    region: IntArray | None = None

    @property
    def count(self) -> int:
        """Number of pieces."""
        return len(self.starts) - 1

    def scales(self, scale: float) -> FloatArray:
        """(P,) scale of each piece at a common scale."""
        return np.where(self.grows, scale, 1.0)


@dataclass(frozen=True, eq=False)
class Attempt:
    """The best layout so far.

    Parameters
    ----------
    scale : float
        Common scale of all pieces that grow.
    turn : Turns
        One of each piece.
    shift : (P, 2) float64
        px from the corner of its tile; a point p of a piece goes to ``scale * turn p + shift``.
    tile : (P,) int64
        Position of the tile that a piece lies in.
    placed : (P,) bool
        False for pieces that are left over (only with a fixed scale).
    coverage : float
        Area of the placed pieces / area of the tiles.
    step, steps : int
        How far the search is.
    done : bool
    tidy_cost : float, optional
        Coverage that tidiness costs: the difference of two quick packs, one with it and one
        without.
    whole : bool
        False for an image of a pass at work, with pieces that have no place yet; nothing to keep.
    """

    scale: float
    turn: Turns
    shift: FloatArray
    tile: IntArray
    placed: NDArray[np.bool_]
    coverage: float
    step: int
    steps: int
    done: bool = False
    tidy_cost: float | None = None
    whole: bool = True


def example_problem(boxes: list[tuple[float, float]]) -> PackProblem:
    """Boxes of a width and height in px, for examples and tests."""
    corners = [[(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)] for w, h in boxes]
    edges = [(*c[k], *c[(k + 1) % 4]) for c in corners for k in range(4)]
    n = len(boxes)
    return PackProblem(
        np.array(edges), 4 * np.arange(n + 1), np.full(n, 4), np.array([w * h for w, h in boxes]),
        (Turns.plain(np.zeros(1)),) * n, np.ones(n, bool), np.full(n, -1), no_obstacles(),
    )  # fmt: skip


def nothing_placed(problem: PackProblem) -> Attempt:
    """The image of a pass that has not begun."""
    n = problem.count
    return Attempt(
        1.0,
        Turns.plain(np.zeros(n)),
        np.zeros((n, 2)),
        np.full(n, -1),
        np.zeros(n, bool),
        0.0,
        0,
        0,
        whole=False,
    )
