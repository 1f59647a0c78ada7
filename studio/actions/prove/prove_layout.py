"""Prove a revision by its project's rules and keep what was found with it."""

from __future__ import annotations

import hashlib
import json
from typing import Any

import numpy as np
from django.utils import timezone

from quilt_core.prove.findings import KINDS, Finding
from quilt_core.prove.rules import Rules, make_rules, plain
from quilt_core.scene import Surface
from studio.actions.history.change import edit_settings
from studio.arrays import Layout
from studio.models import Change, Revision
from studio.state import members_of

MOST_SHOWN = 300
"""Findings of a kind that are kept for the screen; the proof to hand off has more."""
OWN = ("padding", "margin", "house_density", "tolerance")
"""Rules that are settings of the atlas and the project already."""


def rules_of(revision: Revision) -> Rules:
    """The rules that a layout is judged by: its project's, and the distances it was packed with."""
    project = revision.atlas.project
    base = Rules(
        padding=revision.padding,
        margin=revision.margin,
        house_density=project.house_density,
        tolerance=project.tolerance,
    )
    return make_rules(project.rules, f"rules of {project.name}", base)


def set_rules(project_id: int, seen: int | None, change: dict[str, Any]) -> Change:
    """Change some of a project's rules; raises `QuiltError` for one that cannot be."""

    def make(settings: dict[str, Any]) -> tuple[dict[str, Any], str]:
        before = settings["rules"]
        kept = {**before, **change}
        if "severity" in change:
            merged = {**before.get("severity", {}), **change["severity"]}
            kept["severity"] = {
                k: v for k, v in merged.items() if k not in KINDS or v != KINDS[k].severity
            }
        values = plain(
            make_rules({k: v for k, v in kept.items() if k not in OWN}, "rules", Rules())
        )
        settings["rules"] = {key: values[key] for key in kept if key not in OWN}
        return settings, ", ".join(key.replace("_", " ") for key in change)

    return edit_settings(project_id, seen, "rules", make)


def mark_of(revision: Revision, rules: Rules) -> str:
    """Changes whenever the rules or the weights that a proof depends on do."""
    weights = sorted((row.object, row.weight) for row in members_of(revision))
    return hashlib.sha256(json.dumps([plain(rules), weights], sort_keys=True).encode()).hexdigest()[
        :16
    ]


def is_proven(revision: Revision) -> bool:
    """Whether the kept proof is by the present rules."""
    kept = getattr(revision, "measurement", None)
    return kept is not None and kept.mark == mark_of(revision, rules_of(revision))


def examine(layout: Layout, rules: Rules):  # type: ignore[no-untyped-def]
    """The core's `Proof` of a layout, with the surface behind it."""
    from quilt_core.prove import prove

    surface = layout.surface
    proof = prove(
        layout.islands, surface, layout.placements, [tile.size for tile in layout.tiles],
        layout.object_names(), rules, layout.unplaced, layout.controls["stack"].astype(np.int64),
        layout.weights, ids=[str(obj.pk) for obj in layout.objects],
    )  # fmt: skip
    return proof, surface


def proof_values(proof: Any, surface: Surface) -> dict[str, Any]:
    """What is kept of a proof, as plain values."""
    return {
        "made": timezone.now().isoformat(),
        **_verdict(proof),
        "findings": _shown(proof.findings),
        "stretch": {
            key: _round(proof.stretch[key])
            for key in ("l2", "linf", "angle", "area")
            if proof.stretch
        },
        "island_stretch": [_round(v) for v in proof.stretch["island_l2"]] if proof.stretch else [],
        "materials": list(surface.materials),
        "island_material": surface.island_material.tolist(),
        "histogram": {
            key: [_round(v) for v in row] for key, row in proof.density["histogram"].items()
        },
    }


def _verdict(proof: Any) -> dict[str, Any]:
    return {
        "ready": proof.ready,
        "against": proof.against,
        "errors": proof.errors,
        "warnings": proof.warnings,
        "totals": proof.totals,
        "open_level": proof.open_level,
    }


def _shown(findings: tuple[Finding, ...]) -> list[dict[str, Any]]:
    from quilt_core.prove.report import finding_values

    counts: dict[str, int] = {}
    out = []
    for finding in findings:
        counts[finding.kind] = counts.get(finding.kind, 0) + 1
        if counts[finding.kind] <= MOST_SHOWN:
            out.append(finding_values(finding))
    return out


def _round(value: float) -> float | None:
    return float(f"{value:.6g}") if np.isfinite(value) else None
