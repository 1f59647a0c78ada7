"""All figures of a layout in one go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure.density import island_densities, set_density
from quilt_core.measure.gap import NO_GAP, ClosePairs, Gap, close_pairs, smallest_gap
from quilt_core.measure.overlap import Overlaps, find_overlaps
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.tiles import TileSize, tiles_of_boxes

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
IntArray = NDArray[np.int64]

EDGE_TOLERANCE_PX = GAP_TOLERANCE_PX = 1e-3
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
        Islands of one stack do not count. Spots are UVs.
    gap : Gap
        Among the islands inside the tiles; 0 px when any of them overlap. Spots are UVs.
    close : ClosePairs
        All pairs inside the tiles that are nearer than the padding, overlapping ones left out. Spots are UVs.
    margin_px : float
        Smallest distance from an inside island to its tile's edge.
    edge_px : (I,) float64
        Distance of each island to the edge of its tile; negative when it hangs over.
    unique : (I,) bool
        Islands that are no further members of a stack.
    pixel : (I, 2) float64
        px per UV of each island's tile.
    shift : (I, 2) float64
        What takes px into the one plane in which all tiles are measured.
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
    close: ClosePairs
    margin_px: float
    edge_px: FloatArray
    unique: BoolArray
    pixel: FloatArray
    shift: FloatArray


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
    close = _close(pixels, ~outside & first, padding, overlaps)
    gap = _gap(pixels, ~outside & first, home, padding, overlaps, outside, close)
    edge = np.concatenate([local[:, :2], size - local[:, 2:]], axis=1).min(axis=1)
    close = replace(close, spots=(close.spots - shift[close.pairs]) / size[close.pairs])
    overlaps = replace(
        overlaps, spots=(overlaps.spots - shift[overlaps.pairs[:, 0]]) / size[overlaps.pairs[:, 0]]
    )
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
        _in_uv(gap, size, shift),
        close,
        float(edge[~outside].min()) if not outside.all() else float("inf"),
        edge,
        first,
        size,
        shift,
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
    return found.select(keep)


def _gap(
    pixels: IslandSet, use: BoolArray, home: IntArray, padding: float, overlaps: Overlaps, outside: BoolArray,
    close: ClosePairs,
) -> Gap:  # fmt: skip
    numbers = np.flatnonzero(use)
    if len(close.pairs):
        a, b = close.pairs[0]
        (x, y), (u, v) = close.spots[0]
        gap = Gap(float(close.pixels[0]), (int(a), int(b)), ((float(x), float(y)), (float(u), float(v))))
        numbers = np.arange(pixels.count)
    else:
        gap = smallest_gap(pixels.select(use), 1, 1, padding)
    if gap.islands[0] >= 0:
        a, b = int(numbers[gap.islands[0]]), int(numbers[gap.islands[1]])
        gap = Gap(gap.pixels, (a, b), gap.spots) if home[a] == home[b] else NO_GAP
    between = overlaps.pairs[overlaps.pairs[:, 0] != overlaps.pairs[:, 1]]
    touching = between[~outside[between].any(axis=1)] if len(between) else between
    if len(touching):
        at = int(np.flatnonzero((overlaps.pairs == touching[0]).all(axis=1))[0])
        spot = (float(overlaps.spots[at, 0]), float(overlaps.spots[at, 1]))
        return Gap(0.0, (int(touching[0, 0]), int(touching[0, 1])), (spot, spot))
    return gap


def _close(pixels: IslandSet, use: BoolArray, padding: float, overlaps: Overlaps) -> ClosePairs:
    """Pairs nearer than the padding, without those that overlap."""
    found = close_pairs(pixels.select(use), 1, 1, padding - GAP_TOLERANCE_PX)
    pairs = np.flatnonzero(use)[found.pairs]
    count = max(pixels.count, 1)
    keep = ~np.isin(pairs @ [count, 1], overlaps.pairs @ [count, 1])
    return ClosePairs(pairs[keep], found.pixels[keep], found.spots[keep], found.complete)


def _in_uv(gap: Gap, size: FloatArray, shift: FloatArray) -> Gap:
    """The same gap with its spots in UVs."""
    if gap.islands[0] < 0:
        return gap
    which = list(gap.islands)
    (x, y), (u, v) = ((np.array(gap.spots) - shift[which]) / size[which]).tolist()
    return Gap(gap.pixels, gap.islands, ((x, y), (u, v)))
