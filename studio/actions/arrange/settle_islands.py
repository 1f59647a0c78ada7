"""Slide islands in a direction until they touch at padding distance."""

from __future__ import annotations

from typing import Any

import numpy as np

from quilt_core.pack.controls import LOCK_PLACE
from quilt_core.place import DIRECTIONS, settle
from studio.actions.arrange.control_islands import counted
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.actions.history.parts import Parts, within
from studio.arrays import load_layout
from studio.models import Revision


def settle_islands(revision: Revision, params: dict[str, Any]) -> Made:
    """`params`: islands (numbers), direction (one of `DIRECTIONS`), each (one by one instead of as a
    block).

    Locked islands stay and are in the way.
    """
    layout = load_layout(revision)
    chosen = np.unique(np.array(params["islands"], np.int64))
    if not len(chosen) or chosen[-1] >= layout.islands.count:
        raise Refused("There is no such island.", "islands", "Pick some on the table.")
    free = chosen[(layout.controls["flags"][chosen] & LOCK_PLACE) == 0]
    if not len(free):
        raise Refused(
            f"All {len(chosen)} picked islands keep their place.",
            "locks",
            "Unlock the place first.",
        )
    placements = settle(
        layout.islands,
        layout.placements,
        [tile.size for tile in layout.tiles],
        free,
        DIRECTIONS[params["direction"]],
        revision.padding,
        revision.margin,
        params.get("each", False),
    )
    state = layout.state.having(placements=placements)
    # What was in the way must still be there.
    needs: Parts = {within(revision.atlas_id, part): None for part in ("tiles", "islands")}
    what = f"{counted(len(free))} {params['direction']}"
    return Made("settle", state, what, {"islands": len(free)}, needs)
