"""Islands of different materials in areas of their own: regions of one sheet, or sheets."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.pack.controls import Controls, no_controls
from quilt_core.pack.layout import pack_islands
from quilt_core.pack.problem import Attempt
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.side_table import packable
from quilt_core.scene.flags import LEAVE_OUT, LOCK_PLACE
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import determinants
from quilt_core.scene.tiles import TileSize, home_tiles, pixel_sizes
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

Box = tuple[float, float, float, float]
Found = tuple[Attempt, FloatArray, BoolArray]

MOST_APART = 60
"""Groups that are kept apart at most."""
ROUNDS = 4
"""How often the areas are shared out anew, by quick packs of each group."""
EVEN = 1.02
"""Ratio of the groups' scales at which they are shared out well enough."""


def pack_apart(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    groups: IntArray,
    stop: Callable[[], bool] = lambda: False,
    controls: Controls | None = None,
    frozen: Sequence[TileSize] = (),
    pixels: FloatArray | None = None,
    names: Sequence[str] = (),
) -> Iterator[Found]:
    """Pack islands as `pack_islands` does, those of different groups apart as `settings.apart` says.

    Parameters
    ----------
    groups : (I,) int64
        Material of each island, any number for none.

    Raises
    ------
    LayoutError
        When regions are wanted on several sheets or around islands that keep their place, or sheets are wanted and there
        are too few.
    """
    controls = controls or no_controls(islands.count)
    moves = packable(islands) & controls.chosen & ~controls.has(LEAVE_OUT)
    groups = _with_companions(groups, controls)
    present = np.unique(groups[moves])
    if settings.apart == "no" or len(present) < 2:
        yield from pack_islands(
            islands, placements, settings, stop, controls, frozen, pixels, names
        )
        return
    if len(present) > MOST_APART:
        raise LayoutError(
            f"{len(present)} materials.",
            "apart",
            f"At most {MOST_APART} are kept apart: pack some of them.",
        )
    pixels = pixel_sizes(islands, placements, settings.bins) if pixels is None else pixels
    number = np.searchsorted(present, groups)
    if settings.apart == "sheets":
        yield from _on_sheets(
            islands,
            placements,
            settings,
            number,
            len(present),
            stop,
            controls,
            frozen,
            pixels,
            names,
        )
        return
    _check_regions(islands, placements, settings, moves, controls, frozen)
    yield from _in_regions(
        islands, placements, settings, number, moves, stop, controls, pixels, names
    )


def _with_companions(groups: IntArray, controls: Controls) -> IntArray:
    """Groups, with that of the first member for all of a stack or a bundle."""
    out = np.array(groups, np.int64)
    for together in (controls.stack, controls.bundle):
        for one in np.unique(together[together >= 0]):
            mine = np.flatnonzero(together == one)
            out[mine] = out[mine[0]]
    return out


def _on_sheets(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    number: IntArray,
    count: int,
    stop: Callable[[], bool],
    controls: Controls,
    frozen: Sequence[TileSize],
    pixels: FloatArray,
    names: Sequence[str],
) -> Iterator[Found]:
    tiles = settings.bins
    if len(tiles) < count:
        raise LayoutError(
            f"{count} materials on {len(tiles)} {'tile' if len(tiles) == 1 else 'tiles'}.",
            "apart",
            "Add tiles, or keep materials apart by regions.",
        )
    own = np.array([tile.number for tile in tiles])[np.minimum(number, len(tiles) - 1)]
    apart = replace(controls, tile=np.where(controls.tile > 0, controls.tile, own))
    yield from pack_islands(islands, placements, settings, stop, apart, frozen, pixels, names)


def _check_regions(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    moves: BoolArray,
    controls: Controls,
    frozen: Sequence[TileSize],
) -> None:
    if len(settings.bins) > 1:
        raise LayoutError(
            f"Regions on {len(settings.bins)} tiles.",
            "apart",
            "Pack into one of them, or give each material a tile of its own.",
        )
    held = moves & controls.has(LOCK_PLACE)
    others = ~moves & (home_tiles(islands, placements, settings.bins) >= 0)
    if held.any() or (others & ~controls.has(LEAVE_OUT)).any():
        raise LayoutError(
            "Some islands on this tile keep their place.",
            "apart",
            "Regions are laid out on an empty tile: unlock them, or pack all islands.",
        )


def _in_regions(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    number: IntArray,
    moves: BoolArray,
    stop: Callable[[], bool],
    controls: Controls,
    pixels: FloatArray,
    names: Sequence[str],
) -> Iterator[Found]:
    sheet = settings.bins[0]
    area = islands.uv_area * np.abs(determinants(placements)) * pixels.prod(axis=1)
    count = int(number[moves].max()) + 1
    share = np.array([area[moves & (number == k)].sum() for k in range(count)])
    share = np.maximum(share, share.sum() * 1e-4)
    margin = settings.margin
    whole: Box = (margin, margin, sheet.width - margin, sheet.height - margin)
    quick = replace(settings, effort="quick", fixed_scale=False, margin=0.0, apart="no", tiles=())
    best: tuple[float, list[Box]] = (0.0, regions(whole, share, settings.apart_gap))
    for _ in range(ROUNDS):
        boxes = regions(whole, share, settings.apart_gap)
        scales = np.array([
            _scale(islands, placements, quick, box, moves & (number == k), controls, pixels, stop)
            for k, box in enumerate(boxes)
        ])  # fmt: skip
        if scales.min() > best[0]:
            best = float(scales.min()), boxes
        if stop() or scales.min() <= 0 or scales.max() / scales.min() < EVEN:
            break
        share = share / scales**2
    boxes = best[1]
    tiles = tuple(
        TileSize(1001 + k, int(box[2] - box[0]), int(box[3] - box[1]))
        for k, box in enumerate(boxes)
    )
    inner = replace(settings, margin=0.0, apart="no", tiles=tiles, order="in order")
    own = replace(controls, tile=np.where(moves, 1001 + number, 0))
    part = sum(tile.width * tile.height for tile in tiles) / (sheet.width * sheet.height)
    for attempt, found, placed in pack_islands(
        islands, placements, inner, stop, own, (), pixels, names
    ):
        laid = _onto_sheet(found, number, moves, boxes, tiles, sheet)
        yield replace(attempt, coverage=attempt.coverage * part), laid, placed


def regions(box: Box, shares: FloatArray, gap: float) -> list[Box]:
    """Cut a box of px into one for each share, of areas in proportion, some px apart; whole px.

    Each cut is across the longer side, so that no region is thinner than need be.

    Examples
    --------
    >>> regions((0.0, 0.0, 100.0, 40.0), np.array([3.0, 1.0]), 4)
    [(0.0, 0.0, 72.0, 40.0), (76.0, 0.0, 100.0, 40.0)]
    """
    out: list[Box] = [box] * len(shares)

    def cut(box: Box, rows: IntArray) -> None:
        if len(rows) == 1:
            out[int(rows[0])] = box
            return
        # The larger ones first; as nearly half as they can be.
        total = np.cumsum(shares[rows]) / shares[rows].sum()
        at = 1 + int(np.argmin(np.abs(total[:-1] - 0.5)))
        part = float(total[at - 1])
        left, low, right, high = box
        if right - left >= high - low:
            middle = float(np.rint(left + part * (right - left - gap)))
            cut((left, low, middle, high), rows[:at])
            cut((middle + float(np.ceil(gap)), low, right, high), rows[at:])
        else:
            middle = float(np.rint(low + part * (high - low - gap)))
            cut((left, low, right, middle), rows[:at])
            cut((left, middle + float(np.ceil(gap)), right, high), rows[at:])

    cut(box, np.argsort(-shares, kind="stable"))
    smallest = min(min(b[2] - b[0], b[3] - b[1]) for b in out)
    if smallest < 16:
        raise LayoutError(
            f"The {len(shares)} materials have no room: a region has {max(smallest, 0):.0f} px.",
            "apart",
            "Give a larger tile or a smaller gap, or pack fewer materials together.",
        )
    return out


def _scale(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    box: Box,
    mine: BoolArray,
    controls: Controls,
    pixels: FloatArray,
    stop: Callable[[], bool],
) -> float:
    """The scale at which a group fits into its region, by a quick pack; 0 when it does not."""
    width, height = int(box[2] - box[0]), int(box[3] - box[1])
    shorter = min(width, height)
    if settings.padding >= shorter / 2:
        return 0.0
    how = replace(settings, width=width, height=height)
    part = replace(controls, chosen=mine, tile=np.zeros_like(controls.tile))
    alone = islands.select(mine)
    own = Controls(*(getattr(part, name)[mine] for name in ("flags", "tile", "bundle", "stack", "chosen")))  # fmt: skip
    best = 0.0
    for attempt, _, _ in pack_islands(alone, placements[mine], how, stop, own, (), pixels[mine]):
        if attempt.whole:
            best = attempt.scale
    return best


def _onto_sheet(
    found: FloatArray,
    number: IntArray,
    moves: BoolArray,
    boxes: Sequence[Box],
    tiles: Sequence[TileSize],
    sheet: TileSize,
) -> FloatArray:
    """Placements on regions as placements on their sheet."""
    out = found.copy()
    px = np.array([sheet.width, sheet.height], np.float64)
    for k, (box, tile) in enumerate(zip(boxes, tiles, strict=True)):
        mine = moves & (number == k)
        size = np.array([tile.width, tile.height], np.float64)
        corner = np.array(tile.corner, np.float64)
        out[mine] *= (size / px)[None, :, None]
        origin = np.array([box[0], box[1]]) - corner * size
        out[mine, :, 2] += origin / px + np.array(sheet.corner, np.float64)
    return out
