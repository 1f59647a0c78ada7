"""Say what the packer may do with single islands: locks, tile, bundles, stacks, weight."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.operations.by_hand import counted
from quilt_core.pack.controls import FLAGS, bundles_of
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.arrays import Layout, load_layout
from studio.models import Revision

VERBS = {
    "lock_place": ("unlock place", "lock place"),
    "lock_turn": ("unlock turn", "lock turn"),
    "lock_size": ("unlock size", "lock size"),
    "may_mirror": ("forbid mirroring", "allow mirroring"),
    "left_out": ("take in", "leave out"),
    "bundle": ("take bundle apart", "bundle"),
    "stack": ("take off the stack", "stack"),
}


def control_islands(revision: Revision, params: dict[str, Any]) -> Made:
    """Change controls of some islands.

    `params`: islands (numbers), and any of lock_place, lock_turn, lock_size, may_mirror, left_out
    (true or false), tile (number, 0 for any), bundle and stack (true joins all of them into one,
    false takes them out), stacks (lists of islands, one stack each), bundle_by (object or material:
    one bundle for each), weight.
    """
    layout = load_layout(revision)
    stacked = [island for members in params.get("stacks") or [] for island in members]
    chosen = np.unique(np.array([*params["islands"], *stacked], np.int64))
    if not len(chosen):
        raise Refused(
            "No islands are picked.",
            "islands",
            "Pick some on the table, the model or in the ledger.",
        )
    if chosen[-1] >= len(layout.controls):
        raise Refused(
            f"There is no island {chosen[-1] + 1}.",
            "islands",
            "Look at the new layout and try again.",
        )
    controls = layout.controls.copy()
    verb = ""
    for key, flag in FLAGS.items():
        if params.get(key) is not None:
            on = bool(params[key])
            verb = VERBS[key][on]
            flags = controls["flags"][chosen]
            controls["flags"][chosen] = flags | flag if on else flags & ~np.uint8(flag)
    if params.get("tile") is not None:
        verb = _send(layout, controls, chosen, int(params["tile"]))
    if params.get("weight") is not None:
        controls["weight"][chosen] = params["weight"]
        verb = "weight"
    if params.get("bundle_by"):
        verb = f"bundle by {params['bundle_by']}"
        groups = _groups(layout, params["bundle_by"])[chosen]
        controls["bundle"][chosen] = bundles_of(groups, int(controls["bundle"].max(initial=-1)) + 1)
    for members in params.get("stacks") or []:
        verb = f"stack {len(params['stacks'])} shapes"
        group_islands(layout, controls, np.unique(np.array(members, np.int64)), "stack", True)
    for key in ("bundle", "stack"):
        if params.get(key) is not None:
            on = bool(params[key])
            verb = VERBS[key][on]
            group_islands(layout, controls, chosen, key, on)
    if not verb:
        raise Refused("Nothing was changed.", "controls", "Say what to change.")
    # Stacks change what is an overlap; all else is measured already.
    known = (
        revision
        if params.get("stack") is None and not stacked and params.get("weight") is None
        else None
    )
    state = layout.state.having(controls=controls)
    return Made(verb, state, counted(len(chosen)), {"islands": len(chosen)}, measured_as=known)


def _groups(layout: Layout, by: str) -> NDArray[np.int64]:
    """Object or material of each island."""
    if by == "object":
        return layout.islands.object_index
    return layout.surface.island_material


def _send(layout: Layout, controls: NDArray[Any], chosen: NDArray[np.int64], tile: int) -> str:
    if tile and tile not in [row.number for row in layout.tiles]:
        raise Refused(
            f"There is no tile {tile}.", "tile", "Add it first, or pick one that is there."
        )
    controls["tile"][chosen] = tile
    return f"send to tile {tile}" if tile else "send to any tile"


def group_islands(
    layout: Layout, controls: NDArray[Any], chosen: NDArray[np.int64], key: str, on: bool
) -> None:
    """Join islands into one bundle or stack, or take them out of theirs; `controls` is changed."""
    if not on:
        controls[key][chosen] = -1
        return
    if len(chosen) < 2:
        raise Refused(f"A {key} needs at least two islands.", "islands", "Pick more of them.")
    if key == "stack":
        from quilt_core.pack.stacks import lay_onto

        if lay_onto(layout.islands, chosen) is None:
            names = layout.names()
            raise Refused(
                "These islands do not have the same shape.",
                ", ".join(names[i] for i in chosen[:3]),
                "Take the candidates that are found, or pick islands that are alike.",
            )
    controls[key][chosen] = int(controls[key].max(initial=-1)) + 1
