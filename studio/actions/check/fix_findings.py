"""Fixes of findings that are made at once: mirror back, move into the tile, stack."""

from __future__ import annotations

import numpy as np

from quilt_core.operations.by_hand import counted
from quilt_core.pack.stacks import lay_onto
from quilt_core.scene import home_tiles
from quilt_core.scene.placement import compose, identity
from quilt_core.scene.types import FloatArray
from studio.actions.arrange.control_islands import group_islands
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.actions.history.parts import Parts, within
from studio.arrays import Layout, load_layout
from studio.models import Revision

FIX_VERBS = {"mirror": "mirror back", "move in": "move into the tile", "stack": "stack"}


def fix_findings(revision: Revision, fix: str, islands: list[int]) -> Made:
    """Fix some islands.

    `fix` is mirror (turn mirrored islands over about their middle), move in (by whole tiles where
    that is enough, else by as little as is needed) or stack (mark the islands, and lay them on the
    first).
    """
    layout = load_layout(revision)
    chosen = np.unique(np.array(islands, np.int64))
    if not len(chosen) or chosen[-1] >= layout.islands.count:
        raise Refused(
            "There is no such island.", "islands", "Look at the new layout and try again."
        )
    if fix == "stack":
        return _stack(layout, islands)
    moves = identity(layout.islands.count)
    box = layout.islands.placed(layout.placements).bounds()
    if not np.isfinite(box[chosen]).all():
        raise Refused(
            "An island has no place: its UVs are not numbers.", "islands", "Unwrap it again."
        )
    unplaced = layout.unplaced.copy()
    if fix == "mirror":
        moves[chosen, 0, 0] = -1.0
        moves[chosen, 0, 2] = box[chosen, 0] + box[chosen, 2]
    else:
        moves[chosen, :, 2] = _way_in(layout, box[chosen])
        unplaced[chosen] = False
    state = layout.state.having(placements=compose(moves, layout.placements), unplaced=unplaced)
    needs: Parts = {within(revision.atlas_id, "tiles"): None} if fix == "move in" else {}
    return Made(FIX_VERBS[fix], state, counted(len(chosen)), {"islands": len(chosen)}, needs)


def _way_in(layout: Layout, box: FloatArray) -> FloatArray:
    """(N, 2) shift of each box into the nearest tile."""
    corners = np.array([tile.size.corner for tile in layout.tiles], np.float64)
    middle = 0.5 * (box[:, :2] + box[:, 2:])
    nearest = np.abs(middle[:, None] - corners - 0.5).max(axis=2).argmin(axis=1)
    corner = corners[nearest]
    size = np.array([(tile.width, tile.height) for tile in layout.tiles], np.float64)[nearest]
    # By whole tiles, as a texture that repeats would show the same texels.
    whole = corner - np.floor(middle)
    moved = box + np.tile(whole, 2)
    margin = layout.revision.margin / size
    low, high = corner + margin - moved[:, :2], corner + 1 - margin - moved[:, 2:]
    if (low > high + 1e-9).any():
        raise Refused(
            "An island is larger than the tile.",
            "islands",
            "Make it smaller first, or give the tile more px.",
        )
    return np.asarray(whole + np.clip(0.0, low, high))


def _stack(layout: Layout, islands: list[int]) -> Made:
    """Lay islands on the first one named that lies in a tile, and mark them as one stack unless
    they are one already."""
    members = np.array(list(dict.fromkeys(islands)), np.int64)
    # A parked one is laid on its twin in the tile, not the other way round.
    home = home_tiles(layout.islands, layout.placements, [tile.size for tile in layout.tiles])
    members = members[np.argsort(home[members] < 0, kind="stable")]
    controls = layout.controls.copy()
    stacks = controls["stack"][members]
    if stacks[0] < 0 or (stacks != stacks[0]).any():
        group_islands(layout, controls, members, "stack", True)
    laid = lay_onto(layout.islands, members)
    if laid is None:
        raise Refused(
            "These islands do not have the same shape.", "islands", "Take them off the stack."
        )
    placements = layout.placements.copy()
    placements[members] = compose(
        np.repeat(layout.placements[members[:1]], len(members), axis=0), laid.onto
    )
    state = layout.state.having(placements=placements, controls=controls)
    return Made(FIX_VERBS["stack"], state, counted(len(members)), {"islands": len(members)})
