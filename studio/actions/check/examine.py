"""Examine a layout with the core, and put what was found into plain values."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.utils import timezone

from quilt_core.check.findings import Finding
from quilt_core.check.rules import Rules
from quilt_core.scene import Surface
from studio.arrays import Layout

MOST_SHOWN = 300
"""Findings of a kind that are kept for the screen; the report to hand off has more."""
MOST_KEPT = 3
"""Layouts whose measurement is kept in memory, the last one of an atlas each: the next one mostly
differs from it by an edit."""
_kept: dict[int, Any] = {}


def measured(layout: Layout, padding: float):  # type: ignore[no-untyped-def]
    """The core's `Measured` of a layout; only what an edit changed since the last one is measured
    again."""
    from quilt_core.measure import measure_again, measure_layout

    atlas, stack = layout.revision.atlas_id, layout.controls["stack"].astype(np.int64)
    tiles = tuple(tile.size for tile in layout.tiles)
    before = _kept.pop(atlas, None)
    if before is not None and (before.islands, before.tiles, before.padding) == (
        layout.islands, tiles, padding,
    ):  # fmt: skip
        found = measure_again(before, layout.placements, stack)
    else:
        found = measure_layout(layout.islands, layout.placements, tiles, padding, stack)
    _kept[atlas] = found
    for old in list(_kept)[:-MOST_KEPT]:
        _kept.pop(old, None)
    return found


def examine(layout: Layout, rules: Rules):  # type: ignore[no-untyped-def]
    """The core's `CheckResult` of a layout, with the surface behind it."""
    from quilt_core.operations.check import prove_layout

    ids = [str(obj.pk) for obj in layout.objects]
    checked = prove_layout(layout, rules, measured(layout, rules.wanted_gap), ids)
    return checked, layout.surface


def checked_values(checked: Any, surface: Surface) -> dict[str, Any]:
    """What is kept of a report, as plain values."""
    return {
        "made": timezone.now().isoformat(),
        **_verdict(checked),
        "findings": shown_findings(checked.findings),
        "stretch": {
            key: _round(checked.stretch[key])
            for key in ("l2", "linf", "angle", "area")
            if checked.stretch
        },
        "island_stretch": [_round(v) for v in checked.stretch["island_l2"]]
        if checked.stretch
        else [],
        "materials": list(surface.materials),
        "island_material": surface.island_material.tolist(),
        "histogram": {
            key: [_round(v) for v in row] for key, row in checked.density["histogram"].items()
        },
    }


def _verdict(checked: Any) -> dict[str, Any]:
    return {
        "ready": checked.ready,
        "against": checked.against,
        "errors": checked.errors,
        "warnings": checked.warnings,
        "totals": checked.totals,
        "open_level": checked.open_level,
    }


def shown_findings(findings: tuple[Finding, ...]) -> list[dict[str, Any]]:
    """Findings as plain values, no more of a kind than the screen lists."""
    from quilt_core.check.report import finding_values

    counts: dict[str, int] = {}
    out = []
    for finding in findings:
        counts[finding.kind] = counts.get(finding.kind, 0) + 1
        if counts[finding.kind] <= MOST_SHOWN:
            out.append(finding_values(finding))
    return out


def _round(value: float) -> float | None:
    return float(f"{value:.6g}") if np.isfinite(value) else None
