"""Shrink islands together until padding and margin are kept."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from quilt_core.pack.controls import LOCK_PLACE, LOCK_SIZE
from quilt_core.scene.tiles import home_tiles
from studio.actions.arrange.picked import free_to_move
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.arrays import load_layout
from studio.models import Revision


def take_in_islands(
    revision: Revision, params: dict[str, Any], report: Callable[[float, str], None]
) -> Made:
    """`params`: islands (numbers; none for all in the tiles).

    Locked sizes and places stay, and what lies in frozen tiles.
    """
    from quilt_core.place.take_in import take_in

    layout = load_layout(revision)
    mask = ~layout.unplaced
    if params["islands"]:
        mask = np.zeros(layout.islands.count, bool)
        mask[free_to_move(layout, params["islands"])] = True
    frozen = [tile.size for tile in layout.tiles if tile.frozen]
    mask &= home_tiles(layout.islands, layout.placements, frozen) < 0
    mask &= (layout.controls["flags"] & (LOCK_PLACE | LOCK_SIZE)) == 0
    placements, factor = take_in(
        layout.islands, layout.placements, [t.size for t in layout.tiles], mask, revision.padding, revision.margin,
        layout.controls["stack"].astype(np.int64), lambda share: report(share, "taking in"),
    )  # fmt: skip
    if factor == 1.0:
        raise Refused(
            "Nothing is to be taken in: all gaps are right.",
            f"padding {revision.padding:g} px, margin {revision.margin:g} px",
            "Set a larger padding first, or type a percentage.",
        )
    state = layout.state.having(placements=placements)
    return Made("take in", state, f"to {100 * factor:.2f} %", {"factor": factor})
