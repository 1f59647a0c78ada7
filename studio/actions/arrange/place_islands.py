"""Put islands where the user put them: by hand or by numbers."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.state import State
from quilt_core.pack.controls import LOCK_PLACE, LOCK_SIZE, LOCK_TURN
from quilt_core.scene.placement import compose
from studio.actions.arrange.control_islands import counted
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.models import Revision
from studio.state import read_state

SAME = 1e-9
"""Angles and sizes that differ by less are the same."""
VERBS = ("move", "turn", "size", "mirror", "place")


def place_islands(revision: Revision, params: dict[str, Any]) -> Made:
    """New placements of some islands.

    `params`: verb (one of `VERBS`), islands (numbers), placements (six numbers each: a, b, tu, c,
    d, tv; from base UVs to the plane of the tiles) or moves (six numbers each, or once for all: done
    in that plane to where they lie), side_table (true or false, for all of them; as it was when it
    is not said).
    """
    state = read_state(revision)
    chosen = np.array(params["islands"], np.int64)
    if not len(chosen):
        raise Refused("No islands are picked.", "islands", "Pick some on the table.")
    if chosen.max() >= len(state.islands) or len(np.unique(chosen)) < len(chosen):
        raise Refused(
            "An island is named twice, or is not there.",
            "islands",
            "Look at the new layout and try again.",
        )
    places = _wanted(state, chosen, params)
    flat = np.abs(places[:, 0] * places[:, 4] - places[:, 1] * places[:, 3])
    if not (np.isfinite(places).all() and (flat > 0).all()):
        raise Refused("An island would have no area.", "placements", "Give it a size.")
    _check_locks(state, chosen, places)
    placements, unplaced = state.placements, state.unplaced.copy()
    placements[chosen] = places.reshape(-1, 2, 3)
    if params.get("side_table") is not None:
        unplaced[chosen] = params["side_table"]
    made = state.having(placements=placements, unplaced=unplaced)
    return Made(params["verb"], made, counted(len(chosen)), {"islands": len(chosen)})


def _wanted(state: State, chosen: NDArray[np.int64], params: dict[str, Any]) -> NDArray[np.float64]:
    """(N, 6) where the islands shall lie."""
    moved = params.get("placements") is None
    rows = np.array(params.get("moves" if moved else "placements") or [], np.float64).reshape(-1, 6)
    if moved and len(rows) == 1:
        rows = np.repeat(rows, len(chosen), axis=0)
    if len(rows) != len(chosen):
        raise Refused(
            f"{len(chosen)} islands and {len(rows)} placements.",
            "placements",
            "Give six numbers each.",
        )
    if not moved:
        return rows
    return compose(rows.reshape(-1, 2, 3), state.placements[chosen]).reshape(-1, 6)


def _check_locks(state: State, chosen: NDArray[np.int64], places: NDArray[np.float64]) -> None:
    """Refuse what a lock of an island forbids."""
    before = state.placements[chosen].reshape(-1, 6)
    flags = state.controls["flags"][chosen]
    old, new = (p[:, 0] * p[:, 4] - p[:, 1] * p[:, 3] for p in (before, places))
    size = np.sqrt(np.abs(new / np.where(old == 0, 1, old)))
    angles = [np.arctan2(p[:, 3], p[:, 0]) for p in (before, places)]
    turn = np.abs((angles[1] - angles[0] + np.pi) % (2 * np.pi) - np.pi)
    for flag, moved, word in (
        (LOCK_PLACE, (before != places).any(axis=1), "place"),
        (LOCK_SIZE, np.abs(size - 1) > SAME, "size"),
        (LOCK_TURN, (turn > SAME) | (old * new < 0), "turn"),
    ):
        held = np.flatnonzero((flags & flag > 0) & moved)
        if len(held):
            raise Refused(
                f"Island {chosen[held[0]] + 1} keeps its {word}, as {len(held)} of the picked ones do.",
                "locks",
                f"Unlock the {word} first, or pick others.",
            )
