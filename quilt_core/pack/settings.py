"""Rules of a pack."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from quilt_core.errors import LayoutError
from quilt_core.options import check_options, option
from quilt_core.pack.turns import FREE_STEPS, Rotate
from quilt_core.scene.tiles import TileSize

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

    fixed_scale : bool
        Keep the size given; what does not fit is left over.
    less_free : bool
        A quick pack also tries the turns of those that have less freedom, see `freedom`.

    All others are options, declared here for every door.
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
    fixed_scale: bool = False
    less_free: bool = True
    tiles: tuple[TileSize, ...] = ()
    order: Order = option(
        "in order", "fill one tile after the other, or spread evenly", choices=ORDERS
    )
    upright: bool = option(False, "turn every island to its tightest upright box first")
    mirror: bool = option(False, "any island may be flipped, not only those that are allowed to")
    free_steps: int = option(
        FREE_STEPS, "turns of a full circle when turning is free", low=1, high=MAX_FREE_STEPS
    )
    apart: Apart = option(
        "no",
        "islands of different materials: together, in regions of one tile, or on tiles of their own",
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
            if distance is not None and not 0 <= distance < shortest / 2:
                raise LayoutError(
                    f"A {label} of {distance:g} px in a tile whose shorter edge has {shortest} px.",
                    label,
                    "Give at least 0 px and less than half the tile.",
                )
        check_options(self)

    @property
    def bins(self) -> tuple[TileSize, ...]:
        """The tiles that are filled."""
        return self.tiles or (TileSize(1001, self.width, self.height),)
