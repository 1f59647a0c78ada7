"""All figures of a layout in one go."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from quilt_core.measure.coverage import Unions, covered
from quilt_core.measure.gap import NO_GAP, ClosePairs, Gap, nearest
from quilt_core.measure.overlap import Overlaps
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups

if TYPE_CHECKING:
    from quilt_core.measure.measured import Measured


EDGE_TOLERANCE_PX = GAP_TOLERANCE_PX = 1e-3
"""An island may pass the tile's edge by this much, the rounding of 32-bit files, and still be
inside."""


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


def piles(overlaps: Overlaps, count: int, stack: IntArray) -> IntArray:
    """(I,) lowest island of the pile that each is in: what overlaps or is stacked, be it by way of
    others; -1 for none."""
    meant = np.flatnonzero(stack >= 0)
    links = overlaps.pairs[overlaps.pairs[:, 0] != overlaps.pairs[:, 1]]
    if len(meant):
        _, head, inverse = np.unique(stack[meant], return_index=True, return_inverse=True)
        own = np.stack([meant[head[inverse]], meant], axis=1)
        links = np.concatenate([links, own[own[:, 0] != own[:, 1]]])
    out = np.full(count, -1)
    if len(links):
        label = groups(links, count)
        first = np.full(count, count)
        np.minimum.at(first, label, np.arange(count))
        several = np.bincount(label, minlength=count)[label] > 1
        out[several] = first[label[several]]
    return out


def figures_of(
    m: Measured, found: Overlaps, overlaps: Overlaps, known: Unions
) -> tuple[Figures, Unions]:
    """Figures from what was found, all overlaps and those that are not meant, and the areas of the piles."""
    on_tiles, tiles = m.on_tiles, m.tiles
    whole, outside = on_tiles.whole, on_tiles.outside
    sizes = np.array([(t.width, t.height) for t in tiles], np.float64)
    close = _close(m, sizes)
    room = sizes.prod(axis=1)
    tile = np.where(outside, -1, on_tiles.home)
    area, unions = covered(
        on_tiles.placed, ~outside & whole, tile, sizes, found.pairs, found.complete, known,
        m.islands.triangle_rows,
    )  # fmt: skip
    world = np.where(~outside & whole, m.islands.world_area, 0.0)
    texels = np.where(world > 0, on_tiles.density**2 * world, 0.0)
    at = np.maximum(on_tiles.home, 0)
    with np.errstate(invalid="ignore", divide="ignore"):
        tile_density = np.sqrt(
            np.bincount(at, texels, len(tiles)) / np.bincount(at, world, len(tiles))
        )
    pixels = on_tiles.placed.uv_area * on_tiles.size[:, 0] * on_tiles.size[:, 1]
    ground = m.islands.world_area[whole].sum()
    figures = Figures(
        density=on_tiles.density,
        density_all=float(np.sqrt(pixels[whole].sum() / ground)) if ground > 0 else float("nan"),
        coverage=float(area.sum() / room.sum()),
        mirrored=on_tiles.placed.turned > 0.5,
        outside=outside,
        collapsed=~whole,
        tile=tile,
        tile_coverage=area / room,
        tile_density=tile_density,
        overlaps=overlaps,
        gap=_gap(m, sizes, overlaps, close),
        close=close,
        margin_px=float(on_tiles.edge[~outside].min()) if not outside.all() else float("inf"),
        edge_px=on_tiles.edge,
        pixel=on_tiles.size,
        noise=on_tiles.noise,
    )
    return figures, unions


def in_uv(found: Overlaps, plane: FloatArray, size: FloatArray) -> Overlaps:
    """Overlaps measured in one plane, told in texels of the first island's tile, with spots in
    UVs."""
    factor = size[found.pairs[:, 0]].prod(axis=1) / plane.prod()
    return replace(found, texels=found.texels * factor, spots=found.spots / plane)


def not_meant(found: Overlaps, stack: IntArray) -> Overlaps:
    a, b = found.pairs[:, 0], found.pairs[:, 1]
    keep = (a == b) | (stack[a] < 0) | (stack[a] != stack[b])
    return found.select(keep)


def _close(m: Measured, sizes: FloatArray) -> ClosePairs:
    """Pairs nearer than the padding in any tile, nearest first."""
    below = [part.pixels < m.padding - GAP_TOLERANCE_PX for part in m.near]
    pairs = np.concatenate([n.pairs[b] for n, b in zip(m.near, below, strict=True)])
    pixels = np.concatenate([n.pixels[b] for n, b in zip(m.near, below, strict=True)])
    spots = np.concatenate(
        [n.spots[b] / size for n, b, size in zip(m.near, below, sizes, strict=True)]
    )
    order = np.arange(len(pixels))
    if len(m.near) > 1:
        key = pairs @ [max(m.islands.count, 1), 1]
        order = np.lexsort((key, pixels))
        order = order[np.sort(np.unique(key[order], return_index=True)[1])]
    # What is missing to the padding may be rounding only.
    a, b = pairs[order].T
    order = order[m.padding - pixels[order] > np.maximum(m.on_tiles.noise[a], m.on_tiles.noise[b])]
    complete = all(part.complete for part in m.near)
    return ClosePairs(pairs[order], pixels[order], spots[order], complete)


def _gap(m: Measured, sizes: FloatArray, overlaps: Overlaps, close: ClosePairs) -> Gap:
    pairs, inside = overlaps.pairs, m.on_tiles.home >= 0
    touching = np.flatnonzero((pairs[:, 0] != pairs[:, 1]) & inside[pairs].all(axis=1))
    if len(touching):
        worst = touching[np.argmax(overlaps.texels[touching])]
        spot = (float(overlaps.spots[worst, 0]), float(overlaps.spots[worst, 1]))
        return Gap(0.0, (int(pairs[worst, 0]), int(pairs[worst, 1])), (spot, spot))
    if len(close.pairs):
        return nearest(close)
    best = NO_GAP
    for part, size in zip(m.near, sizes, strict=True):
        if len(part.pairs) and part.pixels[0] < best.pixels:
            first = nearest(part)
            (x, y), (u, v) = (np.array(first.spots) / size).tolist()
            best = replace(first, spots=((x, y), (u, v)))
    return best
