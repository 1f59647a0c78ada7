"""What operations share about layouts: which islands are meant, what was said about them, one density."""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase
from typing import Any

import numpy as np

from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError
from quilt_core.measure.density import equalize, island_densities, set_density
from quilt_core.pack.controls import Controls
from quilt_core.scene.flags import LOCK_PLACE, LOCK_SIZE
from quilt_core.scene.types import BoolArray, FloatArray

Selector = int | str
"""Number of an island in its layout, or a name: of an object, a pattern like post*, one island as post:3."""


def selector(given: Any) -> Selector:
    """A selector as a door gives it; raises ValueError."""
    if isinstance(given, bool) or not isinstance(given, int | str):
        raise ValueError
    if isinstance(given, int) and given < 0:
        raise ValueError("Islands are numbered from 0.")
    return given


ONE_OF: dict[str, Any] = {"oneOf": [{"type": "integer", "minimum": 0}, {"type": "string"}]}
SELECTORS: dict[str, Any] = {
    "read": selector, "shape": "NAME", "names": "island", "json": ONE_OF, "passing": True,
}  # fmt: skip
OBJECTS: dict[str, Any] = {**SELECTORS, "names": "object", "kept": False}
"""What is special about options that name islands, and objects."""


def select(layout: Layout, selectors: Sequence[Selector], setting: str) -> BoolArray:
    """(I,) islands that selectors name.

    Raises
    ------
    LayoutError
        When one of them names nothing.
    """
    out = np.zeros(layout.islands.count, bool)
    names: list[str] = []
    for one in selectors:
        if isinstance(one, int):
            if one >= len(out):
                raise LayoutError(
                    f"There is no island {one}.", setting, "Look at the newest layout."
                )
            out[one] = True
            continue
        names = names or layout.object_names()
        found = _named(layout, names, one)
        if not found.any():
            raise LayoutError(
                f"“{one}” names no island.",
                setting,
                f"There are the objects {', '.join(names[:8])}.",
            )
        out |= found
    return out


def _named(layout: Layout, names: Sequence[str], text: str) -> BoolArray:
    pattern, colon, number = text.rpartition(":")
    if not (colon and number.isdigit()):
        pattern, number = text, ""
    objects = [k for k, name in enumerate(names) if name == pattern or fnmatchcase(name, pattern)]
    out = np.isin(layout.islands.object_index, objects)
    return np.asarray(out & (layout.numbers == int(number)) if number else out)


def controls_of(layout: Layout, chosen: BoolArray | None = None) -> Controls:
    """What was said about the islands; `chosen` are those to pack, all without it."""
    rows = layout.controls
    use = np.ones(len(rows), bool) if chosen is None else chosen
    return Controls(
        rows["flags"].copy(), rows["tile"].astype(np.int64), rows["bundle"].astype(np.int64),
        rows["stack"].astype(np.int64), use,
    )  # fmt: skip


def evened(
    layout: Layout,
    target: float | None,
    chosen: BoolArray | None = None,
    per_object: bool = False,
) -> FloatArray:
    """Placements at one density times the weights; locked places and sizes stay as they are.

    Parameters
    ----------
    layout : Layout
    target : float, optional
        px per metre; the average without it.
    chosen : (I,) bool, optional
        Islands to scale; all without it.
    per_object : bool
        Each object keeps its own average.

    Raises
    ------
    LayoutError
        When all of them are locked.
    """
    locked = layout.controls["flags"] & (LOCK_PLACE | LOCK_SIZE) != 0
    which = ~locked if chosen is None else chosen & ~locked
    if not which.any() and layout.islands.count:
        raise LayoutError(
            "All these islands keep their place or their size.",
            "locks",
            "Unlock the size of some, or select others.",
        )
    width, height = layout.pixels.T
    return equalize(
        layout.islands, layout.placements, width, height, target, layout.weights,
        per_object=per_object, which=which,
    )  # fmt: skip


def density_of(layout: Layout, which: BoolArray) -> float:
    """px per metre of some islands together; NaN where they have no area."""
    width, height = layout.pixels.T
    if which.sum() == 1:
        found = island_densities(layout.islands, layout.placements, width, height)
        return float(found[which][0])
    return set_density(layout.islands, layout.placements, width, height, which)
