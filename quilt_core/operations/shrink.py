"""Shrink to fit: islands together, until padding and margin are kept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.document.document import Document
from quilt_core.errors import LayoutError
from quilt_core.operations.by_hand import ISLANDS, free_to_move
from quilt_core.operations.layouts import Selector
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option
from quilt_core.scene.flags import LOCK_PLACE, LOCK_SIZE
from quilt_core.scene.tiles import home_tiles


@dataclass(frozen=True)
class Shrink:
    """Settings of shrinking to fit."""

    islands: tuple[Selector, ...] = option(
        (), "islands to shrink; all that lie in tiles without it", **ISLANDS
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True, eq=False)
class Shrunk:
    """What shrinking made."""

    document: Document
    factor: float = figure("of their size")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: Shrink, progress: Progress) -> Shrunk:
    """Shrink islands; locked sizes and places stay, and what lies in frozen tiles.

    Raises
    ------
    LayoutError
        When all gaps are right.
    """
    from quilt_core.place.take_in import take_in

    layout = document.layout
    padding, margin = layout.state.padding, layout.state.margin
    mask = ~layout.unplaced
    if settings.islands:
        mask = np.zeros(layout.islands.count, bool)
        mask[free_to_move(layout, settings.islands)] = True
    frozen = [tile.size for tile in layout.tiles if tile.frozen]
    mask &= home_tiles(layout.islands, layout.placements, frozen) < 0
    mask &= (layout.controls["flags"] & (LOCK_PLACE | LOCK_SIZE)) == 0

    def report(share: float) -> None:
        progress.report(share, "shrinking")
        progress.check()

    placements, factor = take_in(
        layout.islands, layout.placements, [t.size for t in layout.tiles], mask, padding, margin, layout.stack, report,
    )  # fmt: skip
    if factor == 1.0:
        raise LayoutError(
            "Nothing is to be shrunk: all gaps are right.", f"padding {padding:g} px, margin {margin:g} px",
            "Set a larger padding first, or type a percentage.",
        )  # fmt: skip
    return Shrunk(document.having([layout.state.having(placements=placements)]), factor)


def tell(result: Shrunk) -> list[str]:
    """The result in words."""
    return [f"to {100 * result.factor:.2f} %"]


def what(settings: Shrink, result: Shrunk) -> str:
    """What was done, in a few words."""
    return tell(result)[0]
