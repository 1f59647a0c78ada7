"""Find the best free spot for islands; nothing else moves."""

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


def slip_in_islands(
    revision: Revision,
    params: dict[str, Any],
    report: Callable[[float, str], None],
    stop: Callable[[], str],
) -> Made | None:
    """What slipping in makes of a revision; None when the user wants nothing of it.

    `params`: islands (numbers), tile (number), near (px from the tile's corner, or none), block
    (all as one), rotate (turns that they may make).
    """
    from quilt_core.place.slip import slip_in

    layout = load_layout(revision)
    chosen, tile = free_to_move(layout, params["islands"]), open_tile(layout, params["tile"])
    settings = PackSettings(
        padding=revision.padding, margin=revision.margin, rotate=params["rotate"]
    )
    near = params.get("near")
    if near is not None and not np.isfinite(near).all():
        raise Refused("The point has no place.", "near", "Give two numbers in px.")
    found = None
    for found in slip_in(
        layout.islands, layout.placements, tile, chosen, settings, controls_of(layout, []), layout.pixels,
        None if near is None else (near[0], near[1]), params["block"], lambda: bool(stop()),
    ):  # fmt: skip
        report(found.step / max(found.steps, 1), f"{int(found.placed.sum())} of {len(chosen)} in")
        if stop() == "drop":
            return None
    if found is None or not found.placed.any():
        raise Refused(
            f"{counted(len(chosen))}: no free spot of tile {tile.number} is large enough.",
            f"padding {revision.padding:g} px, margin {revision.margin:g} px",
            "Make room first, take another tile, or make them smaller.",
        )
    placed = np.zeros(layout.islands.count, bool)
    placed[chosen[found.placed]] = True
    state = placed_state(layout, found.placements, chosen, placed, tile, settings)
    count = int(placed.sum())
    what = f"{counted(count)} into tile {tile.number}"
    return Made("slip in", state, what, {"islands": count, "of": len(chosen)})
