"""Say what the packer may do with single islands: locks, tile, bundles, stacks, weight."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.operations.by_hand import counted
from quilt_core.pack.controls import bundles_of
from quilt_core.scene.flags import CONTROLS
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.arrays import Layout, load_layout
from studio.models import Revision

CONTROL_VERBS = {
    "lock_place": ("unlock place", "lock place"),
    "lock_rotation": ("unlock turn", "lock turn"),
    "lock_size": ("unlock size", "lock size"),
    "may_flip": ("forbid mirroring", "allow mirroring"),
    "leave_out": ("take in", "leave out"),
    "bundle": ("take bundle apart", "bundle"),
    "stack": ("take off the stack", "stack"),
}


@dataclass(frozen=True)
class ControlEdit:
    """What is said about some islands; None where nothing is.

    Parameters
    ----------
    islands : sequence of int
    flags : mapping of str to bool
        Locks and the like, by the names of `CONTROLS`.
    tile : int, optional
        Number of the only tile that they may lie in; 0 for any.
    bundle, stack : bool, optional
        Joins all of them into one, or takes them out of theirs.
    bundle_by : str
        object or material: one bundle for each.
    stacks : sequence of sequences of int
        Islands of one shape each: one stack each.
    weight : float, optional
    weights : sequence of float
        One for each of `islands`, in their order.
    """

    islands: Sequence[int]
    flags: Mapping[str, bool] = field(default_factory=dict)
    tile: int | None = None
    bundle: bool | None = None
    bundle_by: str = ""
    stack: bool | None = None
    stacks: Sequence[Sequence[int]] = ()
    weight: float | None = None
    weights: Sequence[float] = ()

    @property
    def chosen(self) -> NDArray[np.int64]:
        """All islands that it is about, each once."""
        stacked = [island for members in self.stacks for island in members]
        return np.unique(np.array([*self.islands, *stacked], np.int64))


def control_islands(revision: Revision, asked: ControlEdit) -> Made:
    """Change controls of some islands.

    Raises
    ------
    Refused
    """
    layout, chosen = load_layout(revision), asked.chosen
    if not len(chosen):
        raise Refused(
            "No islands are selected.",
            "islands",
            "Select some on the table, the model or in the object list.",
        )
    if chosen[-1] >= len(layout.controls):
        raise Refused(
            f"There is no island {chosen[-1] + 1}.",
            "islands",
            "Look at the new layout and try again.",
        )
    controls = layout.controls.copy()
    verb = ""
    for key, on in asked.flags.items():
        flag, verb = CONTROLS[key], CONTROL_VERBS[key][on]
        flags = controls["flags"][chosen]
        controls["flags"][chosen] = flags | flag if on else flags & ~np.uint8(flag)
    if asked.tile is not None:
        verb = _send(layout, controls, chosen, asked.tile)
    if asked.weight is not None:
        controls["weight"][chosen] = asked.weight
        verb = "weight"
    if asked.weights:
        if len(asked.weights) != len(asked.islands):
            raise Refused(
                f"{len(asked.weights)} weights for {len(asked.islands)} islands.",
                "weights",
                "Give one for each island.",
            )
        controls["weight"][list(asked.islands)] = asked.weights
        verb = "weight"
    if asked.bundle_by:
        verb = f"bundle by {asked.bundle_by}"
        groups = _groups(layout, asked.bundle_by)[chosen]
        controls["bundle"][chosen] = bundles_of(groups, int(controls["bundle"].max(initial=-1)) + 1)
    for members in asked.stacks:
        verb = f"stack {len(asked.stacks)} shapes"
        group_islands(layout, controls, np.unique(np.array(members, np.int64)), "stack", True)
    for key, joins in (("bundle", asked.bundle), ("stack", asked.stack)):
        if joins is not None:
            verb = CONTROL_VERBS[key][joins]
            group_islands(layout, controls, chosen, key, joins)
    if not verb:
        raise Refused("Nothing was changed.", "controls", "Say what to change.")
    # Stacks change what is an overlap; all else is measured already.
    measured = (
        asked.stack is None and not asked.stacks and asked.weight is None and not asked.weights
    )
    state = layout.state.having(controls=controls)
    told = {"islands": len(chosen)}
    return Made(verb, state, counted(len(chosen)), told, measured_as=revision if measured else None)


def _groups(layout: Layout, by: str) -> NDArray[np.int64]:
    """Object or material of each island."""
    if by == "object":
        return layout.islands.object_index
    return layout.surface.island_material


def _send(layout: Layout, controls: NDArray[Any], chosen: NDArray[np.int64], tile: int) -> str:
    if tile and tile not in [row.number for row in layout.tiles]:
        raise Refused(
            f"There is no tile {tile}.", "tile", "Add it first, or select one that is there."
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
        raise Refused(f"A {key} needs at least two islands.", "islands", "Select more of them.")
    if key == "stack":
        from quilt_core.pack.stacks import lay_onto

        if lay_onto(layout.islands, chosen) is None:
            names = layout.names()
            raise Refused(
                "These islands do not have the same shape.",
                ", ".join(names[i] for i in chosen[:3]),
                "Take the candidates that are found, or select islands that are alike.",
            )
    controls[key][chosen] = int(controls[key].max(initial=-1)) + 1
