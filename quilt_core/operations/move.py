"""Move: islands where the user puts them, by hand or by numbers."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.document import Document
from quilt_core.document.state import State
from quilt_core.errors import LayoutError
from quilt_core.operations.by_hand import ISLANDS, Moved, chosen_islands, counted, tell_moved
from quilt_core.operations.layouts import Selector
from quilt_core.operations.operation import Progress
from quilt_core.options import check_options, option
from quilt_core.scene.flags import LOCK_PLACE, LOCK_ROTATION, LOCK_SIZE
from quilt_core.scene.placement import compose

SAME = 1e-9
"""Angles and sizes that differ by less are the same."""
MOVE_VERBS = ("move", "turn", "size", "mirror", "place")
Six = tuple[float, float, float, float, float, float]


def read_six(given: Any) -> Six:
    """Six numbers, or ``1,0,0.5,0,1,0``; raises ValueError."""
    parts = given if isinstance(given, list | tuple) else str(given).split(",")
    try:
        a, b, tu, c, d, tv = (float(part) for part in parts)
    except (ValueError, TypeError):
        raise ValueError("Give six numbers: a, b, tu, c, d, tv.") from None
    if not all(map(math.isfinite, (a, b, tu, c, d, tv))):
        raise ValueError("Give six numbers: a, b, tu, c, d, tv.")
    return a, b, tu, c, d, tv


SIX: dict[str, Any] = {
    "read": read_six, "show": list, "shape": "A,B,TU,C,D,TV", "kept": False,
    "json": {"type": "array", "items": {"type": "number"}, "minItems": 6, "maxItems": 6},
}  # fmt: skip


@dataclass(frozen=True)
class Move:
    """Settings of moving islands."""

    islands: tuple[Selector, ...] = option(help="islands to move", **ISLANDS)
    moves: tuple[Six, ...] = option(
        (), "what is done to each in the plane of the tiles, or one for all: u' = a u + b v + tu, v' = c u + d v + tv", **SIX
    )  # fmt: skip
    placements: tuple[Six, ...] = option(
        (), "instead of moves: where each lies, from its base UVs to the plane of the tiles", **SIX
    )
    side_table: bool | None = option(
        None, "whether they lie on the side table; as it was without it"
    )
    verb: str = option("move", "what the step is called", choices=MOVE_VERBS)

    def __post_init__(self) -> None:
        check_options(self)


def run(document: Document, settings: Move, progress: Progress) -> Moved:
    """New placements of some islands.

    Raises
    ------
    LayoutError
        When an island is locked against it, or would have no area.
    """
    layout = document.layout
    state = layout.state
    if all(isinstance(one, int) for one in settings.islands):
        chosen = np.array(settings.islands, np.int64)  # in the order of their placements
        if len(chosen) and (chosen.max() >= len(state.islands) or len(np.unique(chosen)) < len(chosen)):  # fmt: skip
            raise LayoutError("An island is named twice, or is not there.", "islands", "Look at the new layout and try again.")  # fmt: skip
    else:
        chosen = chosen_islands(layout, settings.islands)
    if not len(chosen):
        raise LayoutError("No islands are selected.", "islands", "Select some on the table.")
    places = _wanted(state, chosen, settings)
    flat = np.abs(places[:, 0] * places[:, 4] - places[:, 1] * places[:, 3])
    if not (np.isfinite(places).all() and (flat > 0).all()):
        raise LayoutError("An island would have no area.", "placements", "Give it a size.")
    check_locks(state, chosen, places)
    placements, unplaced = state.placements, state.unplaced.copy()
    placements[chosen] = places.reshape(-1, 2, 3)
    if settings.side_table is not None:
        unplaced[chosen] = settings.side_table
    made = state.having(placements=placements, unplaced=unplaced)
    return Moved(document.having([made]), len(chosen), len(chosen))


def tell(result: Moved) -> list[str]:
    """The result in words."""
    return tell_moved(result)


def what(settings: Move, result: Moved) -> str:
    """What was done, in a few words."""
    return counted(result.islands)


def _wanted(state: State, chosen: NDArray[np.int64], settings: Move) -> NDArray[np.float64]:
    """(N, 6) where the islands shall lie."""
    rows = np.array(settings.placements or settings.moves, np.float64).reshape(-1, 6)
    if not settings.placements and len(rows) == 1:
        rows = np.repeat(rows, len(chosen), axis=0)
    if len(rows) != len(chosen):
        raise LayoutError(
            f"{len(chosen)} islands and {len(rows)} placements.", "placements", "Give six numbers each."
        )  # fmt: skip
    if settings.placements:
        return rows
    return compose(rows.reshape(-1, 2, 3), state.placements[chosen]).reshape(-1, 6)


def check_locks(state: State, chosen: NDArray[np.int64], places: NDArray[np.float64]) -> None:
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
        (LOCK_ROTATION, (turn > SAME) | (old * new < 0), "rotation"),
    ):
        held = np.flatnonzero((flags & flag > 0) & moved)
        if len(held):
            raise LayoutError(
                f"Island {chosen[held[0]] + 1} keeps its {word}, as {len(held)} of the selected ones do.",
                "locks", f"Unlock the {word} first, or select others.",
            )  # fmt: skip
