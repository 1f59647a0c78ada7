"""All figures of a layout in one go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure.coverage import covered
from quilt_core.measure.density import island_densities, set_density
from quilt_core.measure.gap import NO_GAP, ClosePairs, Gap, close_pairs, smallest_gap
from quilt_core.measure.overlap import Overlaps, find_overlaps
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.mesh import FLOAT32
from quilt_core.scene.tiles import TileSize, tiles_of_boxes
from quilt_core.scene.weld import groups

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
IntArray = NDArray[np.int64]

EDGE_TOLERANCE_PX = GAP_TOLERANCE_PX = 1e-3
"""An island may pass the tile's edge by this much, the rounding of 32-bit files, and still be
inside."""
ROUNDINGS = 4.0
"""Two outlines may be off by so many roundings of a coordinate: both ends, in both directions."""


@dataclass(frozen=True, eq=False)
class Figures:
    """What a layout measures.

    Parameters
    ----------
    density : (I,) float64
        px per metre per island, NaN for those collapsed to a line or point.
    density_all : float
        px per metre over all islands together.
    coverage : float
        Area that the islands inside the tiles cover / area of the tiles, 0–1. What is covered twice
        counts once.
    mirrored : (I,) bool
        Islands with most of their area turned over.
    outside, collapsed : (I,) bool
    tile : (I,) int64
        Position of the tile that holds an island whole, -1 for none.
    tile_coverage, tile_density : (T,) float64
        Of each tile; NaN density for an empty one.
    overlaps : Overlaps
        Islands of one stack do not count, nor do collapsed ones. Spots are UVs.
    gap : Gap
        Among the islands in the tiles; 0 px when any two of them overlap. Spots are UVs.
    close : ClosePairs
        All pairs in the tiles that are nearer than the padding; those that overlap, be it by way of
        others, are left out. Spots are UVs.
    margin_px : float
        Smallest distance from an inside island to its tile's edge.
    edge_px : (I,) float64
        Distance of each island to the edge of its tile; negative when it hangs over.
    pixel : (I, 2) float64
        px per UV of each island's tile.
    noise : (I,) float64
        px by which the outline may be off, since numbers in files are rounded.
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
    pixel: FloatArray
    noise: FloatArray


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
    noise = _noise(placed, box, size)
    slack = np.maximum(EDGE_TOLERANCE_PX, noise)[:, None]
    outside = np.asarray(
        (middle < 0)
        | (local[:, :2] < -slack).any(axis=1)
        | (local[:, 2:] > size + slack).any(axis=1)
    )
    densities = island_densities(islands, placements, size[:, 0], size[:, 1])
    collapsed = ~np.isfinite(densities)
    stack = np.full(islands.count, -1) if stack is None else stack

    plane = sizes.max(axis=0)
    found = find_overlaps(
        _only(placed, ~collapsed),
        int(plane[0]),
        int(plane[1]),
        noise * plane.max() / size.max(axis=1),
    )
    overlaps = _not_meant(_in_uv(found, plane, size), stack)
    parts = [
        _Part(k, placed, _in_tile(box, corners[k], size_k, padding) & ~collapsed, size_k)
        for k, size_k in enumerate(sizes)
    ]
    close = _close(parts, padding, overlaps, stack, noise)
    gap = _gap(parts, padding, overlaps, stack, close, middle >= 0)
    edge = np.concatenate([local[:, :2], size - local[:, 2:]], axis=1).min(axis=1)
    room = sizes.prod(axis=1)
    tile_area = covered(
        placed,
        ~outside & ~collapsed,
        np.where(outside, -1, middle),
        sizes,
        found.pairs,
        found.complete,
    )
    world = np.where(~outside & ~collapsed, islands.world_area, 0.0)
    texels = np.where(world > 0, np.nan_to_num(densities) ** 2 * world, 0.0)
    with np.errstate(invalid="ignore", divide="ignore"):
        tile_density = np.sqrt(
            np.bincount(home, texels, len(tiles)) / np.bincount(home, world, len(tiles))
        )
    return Figures(
        density=densities,
        density_all=set_density(islands, placements, size[:, 0], size[:, 1]),
        coverage=float(tile_area.sum() / room.sum()),
        mirrored=placed.turned > 0.5,
        outside=outside,
        collapsed=collapsed,
        tile=np.where(outside, -1, middle),
        tile_coverage=tile_area / room,
        tile_density=tile_density,
        overlaps=overlaps,
        gap=gap,
        close=close,
        margin_px=float(edge[~outside].min()) if not outside.all() else float("inf"),
        edge_px=edge,
        pixel=size,
        noise=noise,
    )


def _noise(placed: IslandSet, box: FloatArray, size: FloatArray) -> FloatArray:
    """(I,) px by which two outlines may be off: the rounding of the source and that of a 32-bit
    file."""
    far = np.nan_to_num(np.abs(box).max(axis=1, initial=0.0), nan=0.0, posinf=0.0)
    return np.asarray(ROUNDINGS * (placed.step + FLOAT32 * far) * size.max(axis=1))


def _only(placed: IslandSet, use: BoolArray) -> IslandSet:
    """The same islands; those not in use have no faces and no outline."""
    in_triangles, in_edges = use[placed.triangle_island], use[placed.edge_island]
    return replace(
        placed,
        triangles=np.where(in_triangles[:, None, None], placed.triangles, np.nan),
        edges=placed.edges[in_edges],
        edge_island=placed.edge_island[in_edges],
    )


def _in_uv(found: Overlaps, plane: FloatArray, size: FloatArray) -> Overlaps:
    """Overlaps measured in one plane, told in texels of the first island's tile, with spots in
    UVs."""
    factor = size[found.pairs[:, 0]].prod(axis=1) / plane.prod()
    return replace(found, texels=found.texels * factor, spots=found.spots / plane)


def _not_meant(found: Overlaps, stack: IntArray) -> Overlaps:
    a, b = found.pairs[:, 0], found.pairs[:, 1]
    keep = (a == b) | (stack[a] < 0) | (stack[a] != stack[b])
    return found.select(keep)


def _in_tile(box: FloatArray, corner: FloatArray, size: FloatArray, padding: float) -> BoolArray:
    """(I,) islands that reach into a tile."""
    inside = (box[:, 2:] > corner).all(axis=1) & (box[:, :2] < corner + 1).all(axis=1)
    return np.asarray(inside & np.isfinite(box).all(axis=1))


@dataclass(frozen=True, eq=False)
class _Part:
    """The islands that reach into one tile."""

    number: int
    placed: IslandSet
    use: BoolArray
    size: FloatArray

    @property
    def outlines(self) -> IslandSet:
        """Their outlines in px of the tile; all islands keep their numbers."""
        here = self.use[self.placed.edge_island]
        return replace(
            self.placed,
            edges=self.placed.edges[here] * self.size,
            edge_island=self.placed.edge_island[here],
        )


def piles(overlaps: Overlaps, count: int, stack: IntArray) -> IntArray:
    """(I,) number of the pile that an island is in: what overlaps or is stacked, be it by way of
    others; -1 for none."""
    _, head, inverse = np.unique(stack, return_index=True, return_inverse=True)
    meant = np.flatnonzero(stack >= 0)
    links = np.concatenate([overlaps.pairs, np.stack([head[inverse[meant]], meant], axis=1)])
    links = links[links[:, 0] != links[:, 1]]
    label = groups(links, count)
    label[np.bincount(label, minlength=count)[label] < 2] = -1
    return label


def _close(
    parts: Sequence[_Part], padding: float, overlaps: Overlaps, stack: IntArray, noise: FloatArray
) -> ClosePairs:
    """Pairs nearer than the padding in any tile, nearest first."""
    count = len(stack)
    pile = piles(overlaps, count, stack)
    found = [
        close_pairs(part.outlines, 1, 1, padding - GAP_TOLERANCE_PX, group=pile) for part in parts
    ]
    pairs = np.concatenate([f.pairs for f in found])
    pixels = np.concatenate([f.pixels for f in found])
    spots = np.concatenate([f.spots / part.size for f, part in zip(found, parts, strict=True)])
    key = pairs @ [max(count, 1), 1]
    order = np.lexsort((key, pixels))
    order = order[np.sort(np.unique(key[order], return_index=True)[1])]
    # What is missing to the padding may be rounding only.
    order = order[padding - pixels[order] > noise[pairs[order]].max(axis=1, initial=0.0)]
    return ClosePairs(pairs[order], pixels[order], spots[order], all(f.complete for f in found))


def _gap(
    parts: Sequence[_Part], padding: float, overlaps: Overlaps, stack: IntArray, close: ClosePairs, inside: BoolArray
) -> Gap:  # fmt: skip
    pairs = overlaps.pairs
    touching = np.flatnonzero((pairs[:, 0] != pairs[:, 1]) & inside[pairs].all(axis=1))
    if len(touching):
        worst = touching[np.argmax(overlaps.texels[touching])]
        spot = (float(overlaps.spots[worst, 0]), float(overlaps.spots[worst, 1]))
        return Gap(0.0, (int(pairs[worst, 0]), int(pairs[worst, 1])), (spot, spot))
    if len(close.pairs):
        (a, b), ((x, y), (u, v)) = close.pairs[0], close.spots[0]
        return Gap(
            float(close.pixels[0]), (int(a), int(b)), ((float(x), float(y)), (float(u), float(v)))
        )
    best = NO_GAP
    pile = piles(overlaps, len(stack), stack)
    for part in parts:
        gap = smallest_gap(part.outlines, 1, 1, padding, pile)
        if gap.pixels < best.pixels:
            (x, y), (u, v) = (np.array(gap.spots) / part.size).tolist()
            best = Gap(gap.pixels, gap.islands, ((x, y), (u, v)))
    return best
