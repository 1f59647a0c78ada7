"""Find islands that may be stacked: of one shape, and those of objects with equal topology."""

from __future__ import annotations

from typing import Any

import numpy as np

from quilt_core.pack.stacks import Candidate, find_stacks, lay_onto
from studio.arrays import Layout, load_geometry, load_layout
from studio.models import Revision


def find_candidates(revision: Revision, tolerance: float) -> list[dict[str, Any]]:
    """Groups of at least two islands, the largest area saved first."""
    layout = load_layout(revision)
    stack = layout.controls["stack"]
    rows = []
    for found in find_stacks(layout.islands, tolerance):
        rows.append(_row(layout, found, "shape"))
    grouped = {int(i) for row in rows for i in row["islands"]}
    for members in _by_topology(layout):
        if not grouped & set(members):
            laid = lay_onto(layout.islands, np.array(members))
            if laid is not None:
                rows.append(_row(layout, laid, "topology"))
    for row in rows:
        own = stack[row["islands"]]
        row["stacked"] = bool((own >= 0).all() and (own == own[0]).all())
    return sorted(rows, key=lambda row: -row.pop("saved"))


def _row(layout: Layout, found: Candidate, kind: str) -> dict[str, Any]:
    saved = float(layout.islands.world_area[found.islands][1:].sum())
    return {
        "islands": found.islands.tolist(),
        "mirrored": int(found.mirrored.sum()),
        "deviation": found.deviation,
        "kind": kind,
        "saved": saved,
    }


def _by_topology(layout: Layout) -> list[list[int]]:
    """Islands with the same number on objects whose faces are joined in the same way."""
    alike: dict[bytes, list[tuple[int, int]]] = {}
    first = 0
    for member in layout.members:
        data, faces = load_geometry(member.base.geometry), member.object.faces
        mark = np.concatenate(
            [
                data["corner_island"],
                [faces, len(data["edges"])],
                data["edge_island"],
                member.row.numbers,
            ]
        )
        alike.setdefault(mark.astype(np.int64).tobytes(), []).append((first, member.row.islands))
        first += member.row.islands
    return [
        [start + k for start, _ in group]
        for group in alike.values()
        if len(group) > 1
        for k in range(group[0][1])
    ]
