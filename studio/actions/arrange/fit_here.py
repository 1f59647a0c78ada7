"""Pack islands into a region that was drawn on a sheet; the others stay."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from quilt_core.pack.settings import PackSettings
from studio.actions.arrange.control_islands import counted
from studio.actions.arrange.picked import free_to_move, open_tile, placed_state
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.arrays import controls_of, load_layout
from studio.models import Revision


def fit_islands_here(
    revision: Revision,
    params: dict[str, Any],
    report: Callable[[float, str], None],
    stop: Callable[[], str],
) -> Made | None:
    """What it makes of a revision; None when the user wants nothing of it.

    `params`: islands (numbers), tile (number), region (two corners of a rectangle or more of a
    shape, px from the tile's corner), grow (as large as they can be, instead of at their size),
    rotate (turns that they may make).
    """
    from quilt_core.place.fit import fit_here

    layout = load_layout(revision)
    chosen, tile = free_to_move(layout, params["islands"]), open_tile(layout, params["tile"])
    settings = PackSettings(
        padding=revision.padding,
        margin=revision.margin,
        rotate=params["rotate"],
        fixed_scale=not params["grow"],
        effort="quick",
    )
    best, fits = layout.placements, np.zeros(layout.islands.count, bool)
    for attempt, found, placed in fit_here(
        layout.islands, layout.placements, tile, np.array(params["region"], np.float64), chosen, settings,
        controls_of(layout, []), layout.pixels, lambda: bool(stop()), layout.names(),
    ):  # fmt: skip
        if attempt.whole:
            best, fits = found, placed
        report(attempt.step / max(attempt.steps, 1), f"{int(fits.sum())} of {len(chosen)} fit")
        if stop() == "drop":
            return None
    if not fits.any():
        raise Refused(
            f"{counted(len(chosen))}: none fits the region"
            + ("." if params["grow"] else " at its size."),
            f"tile {tile.number}, padding {revision.padding:g} px",
            "Draw a larger one" + ("." if params["grow"] else ", or let them be scaled to fit."),
        )
    state = placed_state(layout, best, chosen, fits, tile, settings)
    count = int(fits.sum())
    what = f"{counted(count)} on tile {tile.number}"
    return Made("fit here", state, what, {"islands": count, "of": len(chosen)})
