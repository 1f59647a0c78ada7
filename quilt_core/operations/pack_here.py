"""Pack here: islands into a region that was drawn in a tile; the others stay."""

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
class PackHere:
    """Settings of packing into a region."""

    islands: tuple[Selector, ...] = option(help="islands to pack", **ISLANDS)
    tile: int | None = option(None, "tile that it is in; the first that is open without it", **TILE)
    region: tuple[tuple[float, float], ...] = option(
        (), "two corners of a rectangle or more of a shape, px from the tile's lower left corner",
        read=read_point, show=list, shape="X,Y", unit="px", json=NUMBERS, kept=False,
    )  # fmt: skip
    grow: bool = option(False, "as large as the region allows, instead of at their size")
    rotate: str = option("quarter", "turns that they may make", choices=ROTATIONS)

    def __post_init__(self) -> None:
        check_options(self)
        if len(self.region) < 2:
            raise LayoutError("The region has no corners.", "region", "Give two corners, or more.")


def run(document: Document, settings: PackHere, progress: Progress) -> Moved:
    """Pack islands into a region.

    Raises
    ------
    LayoutError
        When none fits.
    Stopped
    """
    from quilt_core.place.fit import fit_here

    layout = document.layout
    padding, margin = layout.state.padding, layout.state.margin
    chosen, tile = free_to_move(layout, settings.islands), open_tile(layout, settings.tile)
    pack: Any = PackSettings(
        padding=padding, margin=margin, rotate=settings.rotate, fixed_scale=not settings.grow, effort="quick"  # type: ignore[arg-type]
    )  # fmt: skip
    best, fits = layout.placements, np.zeros(layout.islands.count, bool)
    for attempt, found, placed in fit_here(
        layout.islands, layout.placements, tile, np.array(settings.region, np.float64), chosen, pack,
        controls_of(layout), layout.pixels, lambda: bool(progress.stop()), layout.names(),
    ):  # fmt: skip
        if attempt.whole:
            best, fits = found, placed
        done = attempt.step / max(attempt.steps, 1)
        progress.report(done, f"{int(fits.sum())} of {len(chosen)} fit")
        progress.check()
    if not fits.any():
        raise LayoutError(
            f"{counted(len(chosen))}: none fits the region" + ("." if settings.grow else " at its size."),
            f"tile {tile.number}, padding {padding:g} px",
            "Draw a larger one" + ("." if settings.grow else ", or let them be scaled to fit."),
        )  # fmt: skip
    state = placed_state(layout, best, chosen, fits, tile, pack)
    return Moved(document.having([state]), int(fits.sum()), len(chosen))


def tell(result: Moved) -> list[str]:
    """The result in words."""
    return tell_moved(result)


def what(settings: PackHere, result: Moved) -> str:
    """What was done, in a few words."""
    where = f"tile {settings.tile}" if settings.tile else "the first open tile"
    return f"{counted(result.islands)} on {where}"
