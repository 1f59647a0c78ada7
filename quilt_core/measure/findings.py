"""Faults of a layout as a list that a person or a pipeline can work through."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from quilt_core.measure.figures import Figures
from quilt_core.scene.island_set import IslandSet

ERROR_KINDS = ("overlap", "outside", "gap", "margin", "unflattened")
"""Kinds that make a bake fail; `mirrored` and `collapsed` are reported as warnings."""


@dataclass(frozen=True)
class Finding:
    """One fault.

    Parameters
    ----------
    kind : str
        overlap, outside, gap, margin, mirrored, collapsed or unflattened.
    severity : str
        error or warning.
    object : str
    island : int
        Number within the object, from 1; 0 for the object as a whole.
    amount : float
    unit : str
        Unit of the amount.
    other_object, other_island
        The second island where two are involved.
    """

    kind: str
    severity: str
    object: str
    island: int
    amount: float
    unit: str
    other_object: str = ""
    other_island: int = 0


def find_faults(
    islands: IslandSet, figures: Figures, names: Sequence[str], padding: float, margin: float = 0.0
) -> list[Finding]:
    """List the faults of a measured layout, errors first.

    Parameters
    ----------
    islands : IslandSet
    figures : Figures
        Of that set.
    names : sequence of str
        Object names.
    padding, margin : float
        Wanted distances in px.
    """
    first = np.searchsorted(islands.object_index, np.arange(len(names)))
    out: list[Finding] = []

    def where(island: int) -> tuple[str, int]:
        owner = int(islands.object_index[island])
        return names[owner], int(island - first[owner] + 1)

    def add(kind: str, island: int, amount: float, unit: str, other: int = -1) -> None:
        severity = "error" if kind in ERROR_KINDS else "warning"
        out.append(
            Finding(kind, severity, *where(island), amount, unit, *(where(other) if other >= 0 else ("", 0)))
        )

    for (a, b), texels in zip(figures.overlaps.pairs, figures.overlaps.texels, strict=True):
        add("overlap", int(a), float(texels), "texel", int(b))
    for island in np.flatnonzero(figures.outside):
        add("outside", int(island), 1.0, "island")
    if not len(figures.overlaps.pairs) and figures.gap.pixels < padding - 1e-3:
        add("gap", figures.gap.islands[0], figures.gap.pixels, "px", figures.gap.islands[1])
    if figures.margin_px < margin - 1e-3:
        out.append(Finding("margin", "error", "", 0, figures.margin_px, "px"))
    for number, faces in enumerate(islands.unflattened):
        if faces:
            out.append(Finding("unflattened", "error", names[number], 0, float(faces), "face"))
    for island in np.flatnonzero(figures.mirrored):
        add("mirrored", int(island), 1.0, "island")
    for island in np.flatnonzero(figures.collapsed):
        add("collapsed", int(island), 1.0, "island")
    return out
