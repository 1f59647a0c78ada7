"""Stacks: islands that may share their texels, of one shape and of objects with equal topology."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option
from quilt_core.pack.stacks import LOOSEST, Candidate, find_stacks, lay_onto


@dataclass(frozen=True)
class Stacks:
    """Settings of looking for stacks."""

    tolerance: float = option(
        0.002,
        "largest difference of shapes, as a part of the root of the area",
        low=1e-9,
        high=LOOSEST,
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class StackRow:
    """Islands that may be stacked."""

    islands: NDArray[np.int64] = figure("their numbers in the layout, from 0")
    names: list[str] = figure("what they are called")
    mirrored: int = figure("how many are mirror images")
    deviation: float = figure("largest difference, as a part of the root of the area")
    kind: str = figure("shape, or topology of their objects")
    stacked: bool = figure("whether they are a stack already")
    saved: float = figure("area of which no texels are needed then", "m²")


@dataclass(frozen=True)
class StacksFound:
    """Groups of at least two islands, the largest area saved first."""

    candidates: list[StackRow] = figure("groups of islands")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: Stacks, progress: Progress) -> StacksFound:
    """Look for islands that may be stacked."""
    progress.report(0.1, "looking for equal shapes")
    layout = document.layout
    names = layout.names()
    rows = [_row(layout, names, found, "shape") for found in find_stacks(layout.islands, settings.tolerance)]  # fmt: skip
    grouped = {int(i) for row in rows for i in row.islands}
    for members in _by_topology(layout):
        progress.check()
        if not grouped & set(members):
            laid = lay_onto(layout.islands, np.array(members))
            if laid is not None:
                rows.append(_row(layout, names, laid, "topology"))
    return StacksFound(sorted(rows, key=lambda row: -row.saved))


def _row(layout: Layout, names: list[str], found: Candidate, kind: str) -> StackRow:
    own = layout.stack[found.islands]
    return StackRow(
        found.islands, [names[i] for i in found.islands], int(found.mirrored.sum()), found.deviation, kind,
        bool((own >= 0).all() and (own == own[0]).all()), float(layout.islands.world_area[found.islands][1:].sum()),
    )  # fmt: skip


def _by_topology(layout: Layout) -> list[list[int]]:
    """Islands with the same number on objects whose faces are joined in the same way."""
    alike: dict[bytes, list[tuple[int, int]]] = {}
    first = 0
    for member in layout.members:
        base = member.base_layout()
        mark: list[Any] = [
            base.face_island, [len(base.uv), len(base.islands.edges)], base.islands.triangle_island,
            base.islands.edge_island, member.row.numbers,
        ]  # fmt: skip
        same = np.concatenate(mark).astype(np.int64).tobytes()
        alike.setdefault(same, []).append((first, member.row.islands))
        first += member.row.islands
    return [
        [start + k for start, _ in group]
        for group in alike.values()
        if len(group) > 1
        for k in range(group[0][1])
    ]


def tell(result: StacksFound) -> list[str]:
    """The result in words."""
    return [
        f"{', '.join(row.names)}: equal {row.kind}, {row.saved:.4g} m² saved"
        + (f", {row.mirrored} mirrored" if row.mirrored else "")
        + (", stacked" if row.stacked else "")
        for row in result.candidates
    ] or ["no two islands have one shape"]
