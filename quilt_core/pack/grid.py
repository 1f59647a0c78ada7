"""The tiles of a pack as one raster: a band of rows for each tile, with what lies there already."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack.place_loops import block
from quilt_core.pack.problem import Obstacles
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.types import IntArray

SLACK = 2.0**-22
"""Extra padding as a part of the tile's size: 32-bit files round UVs by up to half of this."""
MOST_CELLS = 3 * 2**24
COARSEST = 64


@dataclass(frozen=True, eq=False)
class Grid:
    """Tiles without their margins, one above the other.

    Parameters
    ----------
    columns, rows : int
    cell, margin : float
        px.
    reach : float
        Padding in cells.
    bands : (B, 3) int32
        First row, past-last row and columns of each tile.
    occupied : (rows, columns) uint8
        Cells that cannot be used from the start.
    """

    columns: int
    rows: int
    cell: float
    margin: float
    reach: float
    bands: NDArray[np.int32]
    occupied: NDArray[np.uint8]

    def tile_of(self, rows: NDArray[np.int32]) -> IntArray:
        """Position of the tile that rows of the raster belong to."""
        return np.searchsorted(self.bands[:, 1], rows, side="right").clip(0, len(self.bands) - 1)


def make_grid(settings: PackSettings, obstacles: Obstacles, cells: int) -> Grid:
    """A grid with `cells` cells along the longest edge of a tile, fewer when there are very many
    tiles.

    Raises
    ------
    LayoutError
        When the margin leaves no room.
    """
    sizes = np.array([(tile.width, tile.height) for tile in settings.bins], np.float64)
    slack = sizes.max() * SLACK
    margin = settings.margin + slack
    inner = sizes - 2 * margin
    if inner.min() < 1:
        raise LayoutError(
            f"A margin of {settings.margin:g} px leaves no room in a tile of {sizes.min():g} px.",
            "margin",
            "Make it smaller.",
        )
    while True:
        cell = inner.max() / cells
        counts = np.maximum(1, np.floor(inner / cell + 1e-9)).astype(np.int64)
        counts[inner < cell] = 0
        if cells <= COARSEST or counts[:, 1].sum() * counts[:, 0].max() <= MOST_CELLS:
            break
        cells //= 2
    ends = np.cumsum(counts[:, 1])
    bands = np.stack([ends - counts[:, 1], ends, counts[:, 0]], axis=1).astype(np.int32)
    columns, rows = int(counts[:, 0].max()), int(ends[-1])
    reach = (settings.padding + slack) / cell
    occupied = np.zeros((rows, columns), np.uint8)
    for first, end, wide in bands:
        occupied[first:end, wide:] = 1
    block(
        occupied, obstacles.edges, obstacles.starts, obstacles.tile, bands,
        1 / cell, margin / cell, reach,
    )  # type: ignore[call-arg]  # fmt: skip
    return Grid(columns, rows, float(cell), margin, float(reach), bands, occupied)
