"""Pack some islands into a region of a tile that was drawn, among others that stay."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np
import shapely
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack.controls import Controls, spread_over_groups
from quilt_core.pack.layout import pack_islands
from quilt_core.pack.problem import Attempt
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.side_table import packable
from quilt_core.place.slip import fills_a_hole, slip_in
from quilt_core.scene.flags import LOCK_PLACE
from quilt_core.scene.island_set import IslandSet, concatenate
from quilt_core.scene.placement import compose, identity
from quilt_core.scene.tiles import TileSize
from quilt_core.scene.types import FloatArray, IntArray

LEAST = 16
"""px that a region is wide and high at least."""
FAR = np.array([[0.0, 0.0, 0.0], [0.0, 0.0, -1e4]])
"""What an island is moved by that is in nobody's way until its turn comes."""


def fit_here(
    islands: IslandSet,
    placements: FloatArray,
    tile: TileSize,
    region: FloatArray,
    chosen: IntArray,
    settings: PackSettings,
    controls: Controls,
    pixels: FloatArray,
    stop: Callable[[], bool] = lambda: False,
    names: Sequence[str] = (),
) -> Iterator[tuple[Attempt, FloatArray, NDArray[np.bool_]]]:
    """Pack islands into a region, touching its border if need be; at a fixed size into a hole that is just as large, too.

    Parameters
    ----------
    islands : IslandSet
    placements : (I, 2, 3) float64
    tile : TileSize
    region : (K, 2) float64
        Corners in px from the corner of the tile: two for a rectangle, more for a shape. Only what
        lies within the tile's margin counts.
    chosen : (N,) int64
        Islands that move; all others stay and are in the way.
    settings : PackSettings
        With ``fixed_scale`` they keep their size, else they are made as large as the region allows.
    controls : Controls
        Locks, stacks and bundles of all islands.
    pixels : (I, 2) float64
        px per UV of the tiles that the islands lie in now.

    Yields
    ------
    attempt : Attempt
    placements : (I, 2, 3) float64
        Islands that do not fit lie where they were.
    placed : (I,) bool

    Raises
    ------
    LayoutError
        When the region is too small to hold anything, or the controls cannot be met.

    See Also
    --------
    quilt_core.pack.pack_islands
    """
    shape = _shape(region, tile, settings.margin)
    low, high = np.nan_to_num(np.reshape(shape.bounds, (2, 2)))
    inner = np.floor(high - low + 1e-9).astype(int)
    least = max(LEAST, int(2 * settings.padding) + 1)
    if inner.min() < least:
        raise LayoutError(
            f"The region is {max(inner[0], 0)} x {max(inner[1], 0)} px within the tile's margin.",
            "region",
            f"Draw one of at least {least} x {least} px on a tile.",
        )
    sheet = TileSize(1001, int(inner[0]), int(inner[1]))
    size, corner = np.array([tile.width, tile.height], np.float64), np.array(tile.corner)
    # UVs of the tile to those of a sheet that is just the region's box.
    scale = size / inner
    into = np.concatenate([np.diag(scale), (-corner * scale - low / inner)[:, None]], axis=1)
    back = np.concatenate([np.diag(1 / scale), (corner + low / size)[:, None]], axis=1)
    moved = compose(np.broadcast_to(into, placements.shape), placements)
    rest = _rest(shape, low, inner, settings.padding)
    everything = concatenate([islands, rest]) if rest is not None else islands
    more = everything.count - islands.count
    mask = np.zeros(everything.count, bool)
    mask[chosen] = True
    # What is not chosen stays, whatever was said of it.
    extended = Controls(
        flags=np.where(mask, np.append(controls.flags, np.zeros(more, np.uint8)), 0).astype(
            np.uint8
        ),
        tile=np.zeros(everything.count, np.int64),
        bundle=np.where(mask, np.append(controls.bundle, np.full(more, -1)), -1),
        stack=np.where(mask, np.append(controls.stack, np.full(more, -1)), -1),
        chosen=mask,
    )
    rules = replace(settings, tiles=(sheet,), margin=0.0, tidy=0.0)
    in_sheet = np.concatenate([pixels / scale, np.broadcast_to(inner, (more, 2))])
    start = np.concatenate([moved, identity(more)])
    called = [*(names or [f"island {i + 1}" for i in range(islands.count)]), *["region"] * more]
    held = mask & extended.has(LOCK_PLACE)
    held = spread_over_groups(spread_over_groups(held, extended.stack), extended.bundle)

    def in_tile(
        found: FloatArray, placed: NDArray[np.bool_]
    ) -> tuple[FloatArray, NDArray[np.bool_]]:
        out, fits = placements.copy(), np.zeros(islands.count, bool)
        fits[chosen] = (placed & ~held)[chosen]
        out[fits] = compose(
            np.broadcast_to(back, (int(fits.sum()), 2, 3)), found[: islands.count][fits]
        )
        return out, fits

    for attempt, found, placed in pack_islands(
        everything, start, rules, stop, extended, (), in_sheet, called
    ):
        yield attempt, *in_tile(found, placed)
    alone = mask & ~held & (extended.stack < 0) & (extended.bundle < 0)
    left = np.flatnonzero(alone & ~placed & packable(everything))
    if not settings.fixed_scale or not len(left):
        return
    # A hole that is just as large as an island has no room on the packer's raster: such islands are laid exactly, and
    # the others are packed around them.
    begun = np.where((mask & ~held)[:, None, None], start + FAR, start)
    left = left[fills_a_hole(everything, begun, sheet, left, rules, start, in_sheet)]
    if not len(left):
        return
    begun[left] = start[left]
    for slipped in slip_in(everything, begun, sheet, left, rules, extended, in_sheet, stop=stop):
        pass
    exact = np.zeros_like(mask)
    exact[left[slipped.placed]] = True
    if not exact.any():
        return
    area = islands.uv_area * np.abs(np.linalg.det(placements[:, :, :2]))
    start = np.where(exact[:, None, None], slipped.placements, start)
    others = replace(
        extended,
        flags=np.where(exact, 0, extended.flags).astype(np.uint8),
        chosen=mask & ~exact,
    )
    most = (placed & mask & ~held)[: islands.count]
    for attempt, found, placed in pack_islands(
        everything, start, rules, stop, others, (), in_sheet, called
    ):
        laid = (exact | (placed & mask & ~held))[: islands.count]
        if attempt.whole and area[laid].sum() > area[most].sum():
            yield attempt, *in_tile(np.where(exact[:, None, None], start, found), exact | placed)


def _shape(region: FloatArray, tile: TileSize, margin: float) -> shapely.Geometry:
    """The largest piece of a region that lies within the margin of its tile."""
    points = np.asarray(region, np.float64).reshape(-1, 2)
    if len(points) < 2 or not np.isfinite(points).all():
        raise LayoutError("The region has no corners.", "region", "Draw one on a tile.")
    drawn = shapely.box(*points[0], *points[1]) if len(points) == 2 else shapely.Polygon(points)
    inside = shapely.box(margin, margin, tile.width - margin, tile.height - margin)
    found = shapely.intersection(drawn.buffer(0), inside)
    parts = [p for p in shapely.get_parts(found) if p.geom_type == "Polygon"]
    return max(parts, key=lambda p: p.area) if parts else shapely.Polygon()


def _rest(
    shape: shapely.Geometry, low: FloatArray, inner: IntArray, padding: float
) -> IslandSet | None:
    """What of its box a region leaves out, as islands in UVs of the box that stay in the way.

    Islands keep the padding from it, so it begins the padding beyond the region.
    """
    wide = 2 * padding + 2
    box = shapely.box(-wide, -wide, inner[0] + wide, inner[1] + wide)
    own = shapely.transform(shape, lambda points: points - low)
    # What the packer keeps clear for rounding is taken off here.
    outside = shapely.difference(box, own.buffer(max(padding - 1e-3, 0.0), join_style="mitre"))
    triangles = [
        np.array(t.exterior.coords[:3])
        for t in shapely.get_parts(shapely.constrained_delaunay_triangles(outside))
    ]
    met = shapely.box(0, 0, *inner)
    if shapely.difference(met, own).area < 1e-6 * met.area or not triangles:
        return None
    parts = shapely.get_parts(shapely.orient_polygons(outside))
    rings = [np.array(r.coords) for p in parts for r in (p.exterior, *p.interiors)]
    edges = np.concatenate([np.stack([r[:-1], r[1:]], axis=1) for r in rings]) / inner
    corners = np.array(triangles) / inner
    none = np.zeros(1)
    return IslandSet(
        triangles=corners,
        triangle_island=np.zeros(len(corners), np.int64),
        edges=edges,
        edge_island=np.zeros(len(edges), np.int64),
        uv_area=np.array([outside.area / inner.prod()]),
        turned=none,
        world_area=none,
        world_length=none,
        step=none,
        proportion=np.ones(1),
        object_index=np.zeros(1, np.int64),
        unflattened=(0,),
    )
