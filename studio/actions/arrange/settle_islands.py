"""Slide islands in a direction until they touch at padding distance."""

from __future__ import annotations

from typing import Any

from quilt_core.place import DIRECTIONS, settle
from studio.actions.arrange.control_islands import counted
from studio.actions.arrange.picked import free_to_move
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
    free = free_to_move(layout, params["islands"])
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
