"""Even out: scale islands to one texel density."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError
from quilt_core.operations.layouts import SELECTORS, Selector, density_of, evened, select
from quilt_core.operations.operation import Progress, figure
from quilt_core.operations.values import NUMBER_OR_WORD, read_density
from quilt_core.options import check_options, option

HOUSE, AVERAGE = "house", "average"


def read_target(given: Any) -> str | float:
    """house, average, or px per metre; raises ValueError."""
    if given in (HOUSE, AVERAGE):
        return str(given)
    try:
        return read_density(given)
    except ValueError:
        raise ValueError("Give house, average, or px per metre, for example 512.") from None


@dataclass(frozen=True)
class EvenOut:
    """Settings of evening out."""

    density: str | float = option(
        HOUSE,
        "the house density, the average, or px per metre",
        read=read_target,
        json=NUMBER_OR_WORD,
        shape="house|average|PX_PER_METRE",
    )
    like: Selector | None = option(
        None, "the density of this object or island, instead of a number", **SELECTORS
    )
    per_object: bool = option(False, "each object keeps its own average")
    islands: tuple[Selector, ...] = option((), "islands to scale; all without it", **SELECTORS)

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class EvenedAtlas:
    """An atlas after evening out."""

    atlas: str = figure("its name")
    target: float | None = figure("density that was asked for; null for the average", "px/m", 3)
    density: float = figure("of the islands that were scaled, together", "px/m", 3)
    islands: int = figure("how many were to be scaled")


@dataclass(frozen=True, eq=False)
class EvenedOut:
    """What evening out made."""

    document: Document
    atlases: list[EvenedAtlas] = figure("each atlas")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: EvenOut, progress: Progress) -> EvenedOut:
    """Scale the islands of each atlas about their centres.

    Raises
    ------
    LayoutError
    """
    rows, states = [], []
    for k, layout in enumerate(document.layouts):
        progress.report(k / len(document.layouts), "evening out")
        chosen = select(layout, settings.islands, "islands") if settings.islands else None
        target = target_of(document, layout, settings)
        state = layout.state.having(placements=evened(layout, target, chosen, settings.per_object))
        states.append(state)
        which = np.ones(layout.islands.count, bool) if chosen is None else chosen
        now = density_of(layout.having(state), which) if which.any() else float("nan")
        rows.append(EvenedAtlas(state.name, target, now, int(which.sum())))
    return EvenedOut(document.having(states), rows)


def target_of(document: Document, layout: Layout, settings: EvenOut) -> float | None:
    """px per metre that is asked for; None for the average.

    Raises
    ------
    LayoutError
        When there is none.
    """
    if settings.like is not None:
        found = density_of(layout, select(layout, (settings.like,), "like"))
        if not np.isfinite(found):
            raise LayoutError(
                f"“{settings.like}” has no density.", "like",
                "Select an island or object with an area, or give a number of px/m.",
            )  # fmt: skip
        return found
    if settings.density == AVERAGE:
        return None
    if settings.density == HOUSE:
        if document.house_density is None:
            raise LayoutError("There is no house density.", "density", "Give px per metre.")
        return document.house_density
    return float(settings.density)


def tell(result: EvenedOut) -> list[str]:
    """The result in words."""
    return [
        f"{one.atlas}: {one.islands} islands at {one.density:.4g} px/m" for one in result.atlases
    ]


def what(settings: EvenOut, result: EvenedOut) -> str:
    """What was done, in a few words."""
    target = result.atlases[0].target
    said = f"to {target:.4g} px/m" if target else "to the average"
    if not settings.islands:
        return said
    count = sum(one.islands for one in result.atlases)
    return f"{count} {'island' if count == 1 else 'islands'} {said}"
