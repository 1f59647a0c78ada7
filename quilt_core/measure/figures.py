"""All figures of a layout in one go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure.density import island_densities, set_density
from quilt_core.measure.gap import NO_GAP, Gap, smallest_gap
from quilt_core.measure.overlap import Overlaps, find_overlaps
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.tiles import TileSize, tiles_of_boxes

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
IntArray = NDArray[np.int64]

EDGE_TOLERANCE_PX = 1e-3
"""An island may pass the tile's edge by this much, the rounding of 32-bit files, and still be inside."""


FAR = 3.0
"""Tiles are measured side by side, so many times their longest edge apart that they never meet."""


@dataclass(frozen=True, eq=False)
class Figures:
    """What a layout measures.

    Parameters
    ----------
    density : (I,) float64
        px per metre per island, NaN for collapsed ones.
    density_all : float
        px per metre over all islands together.
    coverage : float
        Sum of the areas of islands inside the tiles / area of the tiles, 0–1 and above where they overlap.
        A stack counts once.
    mirrored, outside, collapsed : (I,) bool
    tile : (I,) int64
        Position of the tile that holds an island whole, -1 for none.
    tile_coverage, tile_density : (T,) float64
        Of each tile; NaN density for an empty one.
    overlaps : Overlaps
        Islands of one stack do not count.
    gap : Gap
        Among the islands inside the tiles; 0 px when any of them overlap.
    margin_px : float
        Smallest distance from an inside island to its tile's edge.
    """

    density: FloatArray
    density_all: float
    coverage: float
    mirrored: BoolArray
    outside: BoolArray
    collapsed: BoolArray
    tile: IntArray
    tile_coverage: FloatArray
    tile_density: FloatArray
    overlaps: Overlaps
    gap: Gap
    margin_px: float


def measure(
    islands: IslandSet, placements: FloatArray, width: int, height: int, padding: float = 8.0
) -> Figures:
    """Measure a layout on one tile, the 0–1 square; see `measure_tiles`."""
    return measure_tiles(islands, placements, (TileSize(1001, width, height),), padding)


def measure_tiles(
    islands: IslandSet,
    placements: FloatArray,
    tiles: Sequence[TileSize],
    padding: float = 8.0,
    stack: IntArray | None = None,
) -> Figures:
    """Measure a layout on tiles.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    placements : (I, 2, 3) float64
    tiles : sequence of TileSize
        At least one.
    padding : float
        The gap that is expected, in px; it only steers the search.
    stack : (I,) int64, optional
        Islands with the same number share texels on purpose; -1 for none.
    """
    placed = islands.placed(placements)
    box = placed.bounds()
    middle = tiles_of_boxes(box, tiles)
    home = np.maximum(middle, 0)
    sizes = np.array([(t.width, t.height) for t in tiles], np.float64)
    corners = np.array([t.corner for t in tiles], np.float64)
    size, corner = sizes[home], corners[home]
    local = (box - np.tile(corner, 2)) * np.tile(size, 2)
    slack = EDGE_TOLERANCE_PX
    outside = np.asarray(
        (middle < 0) | (local[:, :2] < -slack).any(axis=1) | (local[:, 2:] > size + slack).any(axis=1)
    )
    densities = island_densities(islands, placements, size[:, 0], size[:, 1])
    stack = np.full(islands.count, -1) if stack is None else stack
    first = stack < 0
    first[np.unique(stack, return_index=True)[1]] = True

    shift = corner * FAR * sizes.max() - corner * size
    pixels = _in_pixels(placed, size, shift)
    overlaps = _not_meant(find_overlaps(pixels, 1, 1), stack)
    gap = _gap(pixels, ~outside & first, home, padding, overlaps, outside)
    edge = np.concatenate([local[~outside, :2], (size - local[:, 2:])[~outside]], axis=1)
    counted = np.where(~outside & first, np.abs(placed.uv_area) * size.prod(axis=1), 0.0)
    room = sizes.prod(axis=1)
    world = np.where(~outside & np.isfinite(densities), islands.world_area, 0.0)
    texels = np.where(world > 0, np.nan_to_num(densities) ** 2 * world, 0.0)
    with np.errstate(invalid="ignore", divide="ignore"):
        tile_density = np.sqrt(np.bincount(home, texels, len(tiles)) / np.bincount(home, world, len(tiles)))
    return Figures(
        densities,
        set_density(islands, placements, size[:, 0], size[:, 1]),
        float(counted.sum() / room.sum()),
        placed.uv_area < 0,
        outside,
        ~np.isfinite(densities),
        np.where(outside, -1, middle),
        np.bincount(home, counted, len(tiles)) / room,
        tile_density,
        overlaps,
        gap,
        float(edge.min()) if len(edge) else float("inf"),
    )


def _in_pixels(placed: IslandSet, size: FloatArray, shift: FloatArray) -> IslandSet:
    """Coordinates in px of each island's tile, the tiles far apart."""
    corner_of, edge_of = placed.triangle_island, placed.edge_island
    return replace(
        placed,
        triangles=placed.triangles * size[corner_of][:, None] + shift[corner_of][:, None],
        edges=placed.edges * size[edge_of][:, None] + shift[edge_of][:, None],
    )


def _not_meant(found: Overlaps, stack: IntArray) -> Overlaps:
    a, b = found.pairs[:, 0], found.pairs[:, 1]
    keep = (a == b) | (stack[a] < 0) | (stack[a] != stack[b])
    return Overlaps(found.pairs[keep], found.texels[keep])


def _gap(
    pixels: IslandSet, use: BoolArray, home: IntArray, padding: float, overlaps: Overlaps, outside: BoolArray
) -> Gap:
    gap = smallest_gap(pixels.select(use), 1, 1, padding)
    numbers = np.flatnonzero(use)
    if gap.islands[0] >= 0:
        a, b = int(numbers[gap.islands[0]]), int(numbers[gap.islands[1]])
        gap = Gap(gap.pixels, (a, b), gap.spots) if home[a] == home[b] else NO_GAP
    between = overlaps.pairs[overlaps.pairs[:, 0] != overlaps.pairs[:, 1]]
    touching = between[~outside[between].any(axis=1)] if len(between) else between
    if len(touching):
        return Gap(0.0, (int(touching[0, 0]), int(touching[0, 1])), gap.spots)
    return gap
