"""What is packed, with which rules, and what comes out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack.options import Option, option, options_of
from quilt_core.pack.turns import FREE_STEPS, Rotate, Turns
from quilt_core.scene.tiles import TileSize

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

Order = Literal["in order", "spread"]
Apart = Literal["no", "regions", "sheets"]
Effort = Literal["quick", "standard", "thorough"]

ORDERS: tuple[Order, ...] = ("in order", "spread")
APART: tuple[Apart, ...] = ("no", "regions", "sheets")
ROTATIONS: tuple[Rotate, ...] = ("none", "half", "quarter", "free")
EFFORTS: tuple[Effort, ...] = ("quick", "standard", "thorough")
MAX_FREE_STEPS = 360
MAX_TILES = 100


@dataclass(frozen=True)
class PackSettings:
    """Rules of a pack.

    Parameters
    ----------
    width, height : int
        Resolution of the one tile in px, 16 to 16384, when no `tiles` are given.
    tiles : tuple of TileSize
        Tiles to fill; empty for one tile 1001 of `width` x `height`. Sizes in px are even across
        them.

    All others are options, declared here for the API, the command line and the screen as well.
    Efforts are counted in steps, so that results repeat; with a time limit they depend on the
    machine.
    """

    width: int = 2048
    height: int = 2048
    padding: float = option(8.0, "smallest gap between islands", unit="px", low=0, high=1024)
    margin: float = option(4.0, "smallest gap to the tile's edge", unit="px", low=0, high=1024)
    rotate: Rotate = option(
        "quarter",
        "turns that islands may make: none, by halves, by quarters, or free",
        choices=ROTATIONS,
    )
    effort: Effort = option("standard", "how long to search", choices=EFFORTS)
    seconds: float | None = option(
        None,
        "time limit of the search; without it the effort decides",
        unit="s",
        low=0.01,
        high=86_400,
    )
    seed: int = option(1, "other seeds, other layouts", low=0, high=2**31 - 1)
    fixed_scale: bool = option(False, "keep the size given; what does not fit is left over")
    tiles: tuple[TileSize, ...] = ()
    order: Order = option(
        "in order", "fill one tile after the other, or spread evenly", choices=ORDERS
    )
    upright: bool = option(False, "turn every island to its tightest upright box first")
    mirror: bool = option(False, "any island may be mirrored, not only those that are allowed to")
    free_steps: int = option(
        FREE_STEPS, "turns of a full circle when turning is free", low=1, high=MAX_FREE_STEPS
    )
    apart: Apart = option(
        "no",
        "islands of different materials: together, in regions of one sheet, or on sheets of their own",
        choices=APART,
    )
    apart_gap: float = option(
        32.0, "smallest gap between regions of different materials", unit="px", low=0, high=1024
    )
    tidy: float = option(0.0, "0 as tight as it goes, 1 one region for each object", low=0, high=1)

    def __post_init__(self) -> None:
        if not self.tiles:
            TileSize(1001, self.width, self.height)
        if len(self.tiles) > MAX_TILES:
            raise LayoutError(f"{len(self.tiles)} tiles.", "tiles", f"Give at most {MAX_TILES}.")
        if len({tile.number for tile in self.tiles}) < len(self.tiles):
            raise LayoutError("Two tiles have the same number.", "tiles", "Give each tile once.")
        shortest = min(min(tile.width, tile.height) for tile in self.bins)
        for label, distance in (("padding", self.padding), ("margin", self.margin)):
            if not 0 <= distance < shortest / 2:
                raise LayoutError(
                    f"A {label} of {distance:g} px in a tile whose shorter edge has {shortest} px.",
                    label,
                    "Give at least 0 px and less than half the tile.",
                )
        for one in options_of(PackSettings):
            one.check(getattr(self, one.name))

    @property
    def bins(self) -> tuple[TileSize, ...]:
        """The tiles that are filled."""
        return self.tiles or (TileSize(1001, self.width, self.height),)


PACK_OPTIONS = options_of(PackSettings)
"""What a user can set of a pack."""
RECIPE_OPTIONS = (
    *PACK_OPTIONS,
    Option("more_tiles", False, "at a fixed size: add tiles until everything fits"),
    Option(
        "even", False, "even out first: to the house density at a fixed size, else to the average"
    ),
)
"""The same, and what is done around it: all that a recipe keeps."""


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
        False for a picture of a pass at work, with pieces that have no place yet; nothing to keep.
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
    """The picture of a pass that has not begun."""
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
