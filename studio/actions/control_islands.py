"""Say what the packer may do with single islands: locks, tile, bundles, stacks, weight."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack.controls import FLAGS
from studio.actions.errors import Refused
from studio.actions.measure_layout import figures_of
from studio.actions.revise import append_revision
from studio.arrays import Layout, load_layout
from studio.models import Revision

VERBS = {
    "lock_place": ("unlock place", "lock place"), "lock_turn": ("unlock turn", "lock turn"),
    "lock_size": ("unlock size", "lock size"), "may_mirror": ("forbid mirroring", "allow mirroring"),
    "left_out": ("take in", "leave out"), "bundle": ("take bundle apart", "bundle"),
    "stack": ("take off the stack", "stack"),
}  # fmt: skip


def control_islands(revision: Revision, params: dict[str, Any]) -> Revision:
    """Change controls of some islands; returns the new revision.

    `params`: islands (numbers), and any of lock_place, lock_turn, lock_size, may_mirror, left_out
    (true or false), tile (number, 0 for any), bundle and stack (true joins all of them into one,
    false takes them out), weight.
    """
    layout = load_layout(revision)
    chosen = np.unique(np.array(params["islands"], np.int64))
    if not len(chosen):
        raise Refused(
            "No islands are picked.", "islands", "Pick some on the table, the model or in the ledger."
        )
    if chosen[-1] >= layout.islands.count:
        raise Refused(
            f"There is no island {chosen[-1] + 1}.", "islands", "Look at the new layout and try again."
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
    for key in ("bundle", "stack"):
        if params.get(key) is not None:
            on = bool(params[key])
            verb = VERBS[key][on]
            _group(layout, controls, chosen, key, on)
    if not verb:
        raise Refused("Nothing was changed.", "controls", "Say what to change.")
    figures = revision.figures
    if params.get("stack") is not None:
        draft = Layout(revision, layout.objects, layout.islands, layout.placements, layout.unplaced, controls)
        figures = figures_of(draft)
    return append_revision(
        revision.atlas, revision, verb, {"islands": len(chosen)}, layout.placements, layout.unplaced,
        controls=controls, figures=figures,
    )  # fmt: skip


def _send(layout: Layout, controls: NDArray[Any], chosen: NDArray[np.int64], tile: int) -> str:
    if tile and tile not in [row.number for row in layout.tiles]:
        raise Refused(f"There is no tile {tile}.", "tile", "Add it first, or pick one that is there.")
    controls["tile"][chosen] = tile
    return f"send to tile {tile}" if tile else "send to any tile"


def _group(layout: Layout, controls: NDArray[Any], chosen: NDArray[np.int64], key: str, on: bool) -> None:
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
