"""Let the neighbours of islands step aside."""

from __future__ import annotations

import time
from typing import Any

import numpy as np

from quilt_core.pack.controls import LOCK_PLACE
from quilt_core.place import make_room
from studio.actions.arrange.control_islands import counted
from studio.actions.arrange.picked import picked
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.actions.history.parts import Parts, within
from studio.arrays import load_layout
from studio.models import Revision

LONGEST = 5.0
"""Seconds after which it is given up: somebody waits for the answer, and others for their turn."""


def make_room_for(revision: Revision, params: dict[str, Any]) -> Made:
    """`params`: islands (numbers), which stay where they are.

    Locked islands and those of frozen tiles do not move; who finds no place stays.
    """
    layout = load_layout(revision)
    until = time.monotonic() + LONGEST
    chosen = picked(layout, params["islands"])
    placements, stuck = make_room(
        layout.islands,
        layout.placements,
        [tile.size for tile in layout.tiles if not tile.frozen],
        chosen,
        revision.padding,
        revision.margin,
        (layout.controls["flags"] & LOCK_PLACE) > 0,
        layout.controls["stack"].astype(np.int64),
        lambda: time.monotonic() > until,
    )
    moved = int((placements != layout.placements).any(axis=(1, 2)).sum())
    if not moved:
        if stuck.any():
            raise Refused(
                f"{counted(int(stuck.sum()))} would have to step aside and cannot.",
                "the sheet's edge, locks or other islands are in the way",
                "Send some to the side table, or take all islands in a little.",
            )
        raise Refused(
            "Nobody has to step aside.",
            f"no neighbour is nearer than {revision.padding:g} px",
            "Put the islands where they shall lie first.",
        )
    needs: Parts = {within(revision.atlas_id, part): None for part in ("tiles", "islands")}
    left = f", {int(stuck.sum())} found no place" if stuck.any() else ""
    state = layout.state.having(placements=placements)
    return Made(
        "make room", state, f"{counted(moved)} stepped aside{left}", {"islands": moved}, needs
    )
