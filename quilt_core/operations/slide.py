"""Slide to contact: islands in a direction until they touch at padding distance."""

from __future__ import annotations

from dataclasses import dataclass

from quilt_core.document.document import Document
from quilt_core.operations.by_hand import ISLANDS, Moved, counted, free_to_move, tell_moved
from quilt_core.operations.layouts import Selector
from quilt_core.operations.operation import Progress
from quilt_core.options import check_options, option
from quilt_core.place import DIRECTIONS, settle


@dataclass(frozen=True)
class Slide:
    """Settings of sliding to contact."""

    islands: tuple[Selector, ...] = option(help="islands to slide", **ISLANDS)
    direction: str = option("down", "where to", choices=tuple(sorted(DIRECTIONS)))
    each: bool = option(False, "one after the other, those in front first, instead of as a block")

    def __post_init__(self) -> None:
        check_options(self)


def run(document: Document, settings: Slide, progress: Progress) -> Moved:
    """Slide islands; locked ones stay and are in the way.

    Raises
    ------
    LayoutError
    """
    layout = document.layout
    free = free_to_move(layout, settings.islands)
    placements = settle(
        layout.islands, layout.placements, [tile.size for tile in layout.tiles], free,
        DIRECTIONS[settings.direction], layout.state.padding, layout.state.margin, settings.each,
    )  # fmt: skip
    state = layout.state.having(placements=placements)
    return Moved(document.having([state]), len(free), len(free))


def tell(result: Moved) -> list[str]:
    """The result in words."""
    return tell_moved(result)


def what(settings: Slide, result: Moved) -> str:
    """What was done, in a few words."""
    return f"{counted(result.islands)} {settings.direction}"
