"""Tiles (UDIM): numbers, resolutions, and which tile an island lies in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.types import FloatArray, IntArray

MAX_TILE = 16384
COLUMNS = 10
"""Of a grid of tiles; so many rows, too."""
LAST_TILE = 1100
"""Number of the last tile of a grid of ten columns and ten rows."""
MOST_MORE = 30


PART = 128
"""A padding of one part in so many keeps a texel between islands down to a level of so many px (common practice: 16 px at 2048)."""


def usual_padding(tiles: Sequence[TileSize]) -> float:
    """Padding in px that is common for tiles: a 128th of the largest, by its shorter edge, as far as the smallest has room.

    Examples
    --------
    >>> usual_padding([TileSize(1001, 2048, 2048)]), usual_padding([TileSize(1001, 512, 1024)])
    (16.0, 4.0)
    >>> usual_padding([TileSize(1001, 8192, 8192), TileSize(1002, 64, 64)])
    16.0
    """
    edges = [min(tile.width, tile.height) for tile in tiles]
    return float(min(max(2, round(max(edges) / PART)), min(edges) // 4))


def usual_gaps(
    tiles: Sequence[TileSize], padding: float | None, margin: float | None
) -> tuple[float, float]:
    """Padding and margin in px: what is said of them, else the usual padding, and half of it to the edge.

    Examples
    --------
    >>> usual_gaps([TileSize(1001, 2048, 2048)], None, None)
    (16.0, 8.0)
    """
    gap = usual_padding(tiles) if padding is None else padding
    return gap, gap / 2 if margin is None else margin


def tile_number(column: int, row: int) -> int:
    """Number of the tile in a column and a row, both from 0.

    Examples
    --------
    >>> tile_number(9, 1)
    1020
    """
    return 1001 + column + COLUMNS * row


@dataclass(frozen=True)
class TileSize:
    """A tile: its number (1001 + column + 10 x row) and resolution in px."""

    number: int = 1001
    width: int = 2048
    height: int = 2048

    def __post_init__(self) -> None:
        if not 1001 <= self.number <= 9999:
            raise LayoutError(
                f"Tile {self.number}.", "tile number", "Give 1001 + column + 10 x row."
            )
        for label, value in (("width", self.width), ("height", self.height)):
            if not 16 <= value <= MAX_TILE:
                raise LayoutError(
                    f"A tile {label} of {value} px.", "size", f"Give 16 to {MAX_TILE} px."
                )

    @property
    def corner(self) -> tuple[int, int]:
        """UV of the tile's lower left corner.

        Examples
        --------
        >>> TileSize(1012).corner
        (1, 1)
        """
        return (self.number - 1001) % 10, (self.number - 1001) // 10


def home_tiles(islands: IslandSet, placements: FloatArray, tiles: Sequence[TileSize]) -> IntArray:
    """(I,) position of the tile that holds the middle of each island, -1 for none."""
    return tiles_of_boxes(islands.placed(placements).bounds(), tiles)


def tiles_of_boxes(box: FloatArray, tiles: Sequence[TileSize]) -> IntArray:
    """(I,) position of the tile that holds the middle of each box (I, 4), -1 for none."""
    with np.errstate(invalid="ignore"):
        u, v = np.floor(0.5 * (box[:, :2] + box[:, 2:])).T
    out = np.full(len(box), -1)
    for k, tile in enumerate(tiles):
        column, row = tile.corner
        out[(u == column) & (v == row)] = k
    return out


def pixel_sizes(
    islands: IslandSet, placements: FloatArray, tiles: Sequence[TileSize]
) -> FloatArray:
    """(I, 2) px per UV of each island: of the tile it lies in, of the first tile when it lies in
    none."""
    sizes = np.array([(tile.width, tile.height) for tile in tiles], np.float64)
    return np.asarray(sizes[np.maximum(home_tiles(islands, placements, tiles), 0)])


def more_tiles(tiles: Sequence[TileSize]) -> list[TileSize]:
    """Tiles that may be added after the last one, with its resolution, when a density is fixed.

    Examples
    --------
    >>> [tile.number for tile in more_tiles([TileSize(1001), TileSize(1098)])]
    [1099, 1100]
    """
    last = max(tiles, key=lambda tile: tile.number)
    numbers = range(last.number + 1, min(last.number + MOST_MORE, LAST_TILE) + 1)
    return [TileSize(number, last.width, last.height) for number in numbers]
