"""Fit into gaps: the best free spots for islands; nothing else moves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.errors import LayoutError
from quilt_core.operations.by_hand import (
    ISLANDS,
    TILE,
    Moved,
    counted,
    free_to_move,
    open_tile,
    placed_state,
    tell_moved,
)
from quilt_core.operations.layouts import Selector, controls_of
from quilt_core.operations.operation import Progress
from quilt_core.operations.values import NUMBERS, read_point
from quilt_core.options import check_options, option
from quilt_core.pack.settings import ROTATIONS, PackSettings


@dataclass(frozen=True)
class FitIntoGaps:
    """Settings of fitting into gaps."""

    islands: tuple[Selector, ...] = option(help="islands to lay", **ISLANDS)
    tile: int | None = option(
        None, "tile to lay them in; the first that is open without it", **TILE
    )
    near: tuple[float, float] | None = option(
        None, "a point, px from the tile's lower left corner; without it the most snug spots are taken",
        read=read_point, show=list, shape="X,Y", unit="px", json=NUMBERS, kept=False,
    )  # fmt: skip
    block: bool = option(False, "all as one, as they lie")
    rotate: str = option("quarter", "turns that they may make", choices=ROTATIONS)

    def __post_init__(self) -> None:
        check_options(self)


def run(document: Document, settings: FitIntoGaps, progress: Progress) -> Moved:
    """Lay islands into free spots of a tile.

    Raises
    ------
    LayoutError
        When there is none that is large enough.
    Stopped
    """
    from quilt_core.place.slip import slip_in

    layout = document.layout
    padding, margin = layout.state.padding, layout.state.margin
    chosen, tile = free_to_move(layout, settings.islands), open_tile(layout, settings.tile)
    pack: Any = PackSettings(padding=padding, margin=margin, rotate=settings.rotate)  # type: ignore[arg-type]
    found = None
    for found in slip_in(
        layout.islands, layout.placements, tile, chosen, pack, controls_of(layout), layout.pixels,
        settings.near, settings.block, lambda: bool(progress.stop()),
    ):  # fmt: skip
        done = found.step / max(found.steps, 1)
        progress.report(done, f"{int(found.placed.sum())} of {len(chosen)} in")
        progress.check()
    if found is None or not found.placed.any():
        raise LayoutError(
            f"{counted(len(chosen))}: no free spot of tile {tile.number} is large enough.",
            f"padding {padding:g} px, margin {margin:g} px",
            "Make room first, take another tile, or make them smaller.",
        )
    placed = np.zeros(layout.islands.count, bool)
    placed[chosen[found.placed]] = True
    state = placed_state(layout, found.placements, chosen, placed, tile, pack)
    return Moved(document.having([state]), int(placed.sum()), len(chosen))


def tell(result: Moved) -> list[str]:
    """The result in words."""
    return tell_moved(result)


def what(settings: FitIntoGaps, result: Moved) -> str:
    """What was done, in a few words."""
    where = f"tile {settings.tile}" if settings.tile else "the first open tile"
    return f"{counted(result.islands)} into {where}"
