"""Inner loop of a pass: pieces are placed one after the other, near others of their region when
they have one."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from quilt_core.pack.place_loops import lowest_place, stamp

CLASSES = 56
ASPECTS = (1.0, 1.4, 0.7)
WIDENED = 1.15
"""Factor by which a region that is full is made wider, step by step."""


class Regions(NamedTuple):
    """Which pieces are to lie together, and where they lie so far.

    Parameters
    ----------
    of : (P,) int64
        Region of each piece, -1 for none.
    span : (R,) float64
        Cells that the box of a region is to be wide and high at most.
    room : (R,) float64
        Edge in cells of the free box that a region is begun in.
    widenings : int
        How often a region may be made wider for a piece.
    longest : (R,) float64
        Cells along the longest piece.
    whole : (R,) bool
        Regions that are never taken apart: a piece that finds no room near the others has none.
    starts : (widenings + 1, classes, classes, 4) int32
        For the region at work and each width of it: rows below which a class of size found no
        place.
    box : (R, 5) int32
        First column and row, past-last column and row, and tile; tile -1 while it is empty.
    """

    of: NDArray[np.int64]
    span: NDArray[np.float64]
    room: NDArray[np.float64]
    widenings: int
    longest: NDArray[np.float64]
    whole: NDArray[np.bool_]
    starts: NDArray[np.int32]
    box: NDArray[np.int32]


@njit(cache=True, nogil=True)
def size_class(length):  # type: ignore[no-untyped-def]
    """Number of the class of a length in cells: four classes an octave, one a cell for short
    ones."""
    return length if length < 8 else min(CLASSES - 1, int(4 * np.log2(length)) - 4)


@njit(cache=True, nogil=True)
def next_band(bands, taken, tried, spread):  # type: ignore[no-untyped-def]
    """The tile to try next: the first one left, or the emptiest one left."""
    best, least = -1, 1e300
    for b in range(len(bands)):
        if tried[b]:
            continue
        if not spread:
            return b
        cells = max(1.0, float((bands[b, 1] - bands[b, 0]) * bands[b, 2]))
        if taken[b] / cells < least:
            best, least = b, taken[b] / cells
    return best


@njit(cache=True, nogil=True)
def best_place(piece, raster, band, limits, below, starts, m):  # type: ignore[no-untyped-def]
    """Place of the variant whose top ends lowest, as x, y and variant, within limits (x_first,
    x_end, y_first, y_end).

    `band` is first row, past-last row and columns of a tile. `starts` (classes, classes, 4)
    remembers for each class of size the row below which there is no place within the limits;
    `below` is the same for wider limits. Both have no classes when all rows are to be looked at.
    """
    best_top, best_x, best_y, best_variant = 1 << 30, -1, -1, -1
    x_first, x_end, y_low, y_end = limits
    for v in range(m.variant_start[piece], m.variant_start[piece + 1]):
        width, height = m.size[v, 0], m.size[v, 1]
        if width == 0 or width > x_end - x_first or height > y_end - y_low:
            continue
        a = size_class(width)
        b = size_class(height)
        c = min(3, 4 * m.squares[v, 0] // max(1, min(width, height)))
        y_first = y_low
        if len(starts):
            y_first = max(y_first, starts[a, b, c], below[a, b, c])
        offsets = m.hit_offsets[m.hit_at[v] : m.hit_at[v] + height + 1]
        runs = m.hit_runs[m.hit_run_at[v] : m.hit_run_at[v + 1]]
        order = m.row_order[m.hit_at[v] : m.hit_at[v] + height]
        needs = m.row_needs[m.hit_at[v] : m.hit_at[v] + height]
        stop = best_top - height + 1
        x, y = lowest_place(
            raster,
            width,
            height,
            offsets,
            runs,
            order,
            needs,
            m.squares[v],
            x_first,
            x_end,
            y_first,
            y_end,
            stop,
        )
        if len(starts) and (x >= 0 or stop > y_end):
            starts[a, b, c] = y if x >= 0 else y_end
        if x < 0:
            continue
        top = y + height
        if top < best_top or (top == best_top and x < best_x):
            best_top, best_x, best_y, best_variant = top, x, y, v
    return best_x, best_y, best_variant


@njit(cache=True, nogil=True)
def place_near(piece, raster, band, regions, below, m):  # type: ignore[no-untyped-def]
    """Place a piece so that the box of its region stays within its span, or within a little more.

    While a region grows, what is left of its span only gets smaller; so rows without a place stay
    without one.
    """
    region = regions.of[piece]
    box, reach = regions.box[region], regions.span[region]
    for step in range(regions.widenings + 1):
        limits = (
            max(0, int(box[2] - reach)),
            min(band[2], int(np.ceil(box[0] + reach))),
            max(band[0], int(box[3] - reach)),
            min(band[1], int(np.ceil(box[1] + reach))),
        )
        x, y, variant = best_place(piece, raster, band, limits, below, regions.starts[step], m)
        if variant >= 0:
            return x, y, variant
        reach *= WIDENED
    return -1, -1, -1


@njit(cache=True, nogil=True)
def room_for(raster, band, room, longest):  # type: ignore[no-untyped-def]
    """Lowest free box of about `room` x `room` cells in a tile, as columns and rows (x_first,
    x_end, y_first, y_end).

    Boxes that are wider or higher are tried too, but all have an edge of at least `longest`;
    x_first is -1 when there is none.
    """
    found, lowest = (-1, -1, -1, -1), 1 << 30
    for aspect in ASPECTS:
        edge = (
            max(room * aspect, longest)
            if aspect >= 1
            else room * room / max(room / aspect, longest)
        )
        width = max(1, min(band[2], int(edge)))
        height = max(1, int(room * room / width))
        if height > band[1] - band[0]:
            continue
        runs = np.zeros((height, 2), np.int32)
        runs[:, 1] = width
        rows = np.arange(height + 1).astype(np.int32)
        needs = np.full(height, width, np.int32)
        square = np.array([min(width, height), 0], np.int32)
        x, y = lowest_place(
            raster,
            width,
            height,
            rows,
            runs,
            rows[:-1],
            needs,
            square,
            0,
            band[2],
            band[0],
            band[1],
            lowest - height,
        )
        if x >= 0 and y + height < lowest:
            found, lowest = (x, x + width, y, y + height), y + height
    return found


@njit(cache=True, nogil=True)
def begin_region(piece, raster, band, regions, starts, m):  # type: ignore[no-untyped-def]
    """Place the first piece of a region where there is room for the others around it."""
    region = regions.of[piece]
    room = regions.room[region]
    x_first, x_end, y_first, y_end = room_for(raster, band, room, regions.longest[region])
    if x_first < 0:
        return -1, -1, -1
    aside = max(0, int(regions.span[region] - room))
    limits = (
        max(0, x_first - aside),
        min(band[2], x_end + aside),
        max(band[0], y_first - aside),
        min(band[1], y_end + aside),
    )
    regions.starts[:] = 0
    return best_place(piece, raster, band, limits, starts, regions.starts[0], m)


@njit(cache=True, nogil=True)
def place_in_order(  # type: ignore[no-untyped-def]
    sequence,
    raster,
    bands,
    only,
    areas,
    taken,
    spread,
    starts,
    m,
    regions,
    places,
):
    """Place pieces one after the other; each takes the variant whose top ends lowest.

    `bands` (B, 3) are first row, past-last row and columns of each tile, `only` (P,) the tile a
    piece must lie in or -1, `areas` (P,) cells, `taken` (B,) the cells used so far. `starts` (B,
    classes, classes, 4) remembers for each class of size where the last piece of it was placed, and
    lower rows are not looked at again; with no classes all are. `regions` are the `Regions`, with
    none for any piece when nothing is to be tidy. `places` (P, 3) receives x, y and variant, -1
    where a piece found no place. `m` are the `Masks`. Returns the number of pieces without a place.
    """
    missed = 0
    tried = np.zeros(len(bands), np.uint8)
    for n in range(len(sequence)):
        piece = sequence[n]
        region = regions.of[piece]
        begun = region >= 0 and regions.box[region, 4] >= 0
        x, y, v, band = -1, -1, -1, -1
        if begun:
            box = regions.box[region]
            band = box[4]
            x, y, v = place_near(piece, raster, bands[band], regions, starts[band], m)
        if v < 0 and not (begun and regions.whole[region]):
            # Anywhere; a region that found no room begins anew there.
            tried[:] = 0
            band = only[piece] if only[piece] >= 0 else next_band(bands, taken, tried, spread)
            while band >= 0:
                if region >= 0:
                    x, y, v = begin_region(piece, raster, bands[band], regions, starts[band], m)
                if v < 0:
                    limits = (0, bands[band, 2], bands[band, 0], bands[band, 1])
                    x, y, v = best_place(
                        piece, raster, bands[band], limits, starts[band], starts[band], m
                    )
                if v >= 0 or only[piece] >= 0:
                    break
                tried[band] = 1
                band = next_band(bands, taken, tried, spread)
            begun = False
        places[piece, 0], places[piece, 1], places[piece, 2] = x, y, v
        if v < 0:
            missed += 1
            continue
        if region >= 0:
            box = regions.box[region]
            right, top = x + m.size[v, 0], y + m.size[v, 1]
            if begun:
                box[0], box[1] = min(box[0], x), min(box[1], y)
                box[2], box[3] = max(box[2], right), max(box[3], top)
            else:
                box[0], box[1], box[2], box[3], box[4] = x, y, right, top, band
        taken[band] += areas[piece]
        rows = m.stamp_at[v + 1] - m.stamp_at[v] - 1
        stamp(
            raster,
            x,
            y,
            m.stamp_offsets[m.stamp_at[v] : m.stamp_at[v] + rows + 1],
            m.stamp_runs[m.stamp_run_at[v] : m.stamp_run_at[v + 1]],
            m.border[v],
            bands[band, 0],
            bands[band, 1],
        )
    return missed
