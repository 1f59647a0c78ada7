"""The rules that layouts are judged by, and whether a report is by the present ones."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from quilt_core.check.findings import FINDING_KINDS
from quilt_core.check.rules import Rules, house_rules, make_rules, plain
from studio.actions.history.change import edit_settings
from studio.models import Change, Measurement, Revision
from studio.state import members_of

OWN = (
    "padding",
    "margin",
    "house_density",
    "tolerance",
    "least_density",
    "most_density",
    "density_unit",
)
"""Rules that are settings of the atlas and the project already."""


def rules_of(revision: Revision) -> Rules:
    """The rules that a layout is judged by: its project's, and the distances it was packed with."""
    project = revision.atlas.project
    base = house_rules(project, revision.padding, revision.margin)
    return make_rules(project.rules, f"rules of {project.name}", base)


def set_rules(project_id: int, seen: int | None, change: dict[str, Any]) -> Change:
    """Change some of a project's rules; raises `QuiltError` for one that cannot be."""

    def make(settings: dict[str, Any]) -> tuple[dict[str, Any], str]:
        before = settings["rules"]
        kept = {**before, **change}
        if "severity" in change:
            merged = {**before.get("severity", {}), **change["severity"]}
            kept["severity"] = {
                k: v
                for k, v in merged.items()
                if k not in FINDING_KINDS or v != FINDING_KINDS[k].severity
            }
        values = plain(
            make_rules({k: v for k, v in kept.items() if k not in OWN}, "rules", Rules())
        )
        settings["rules"] = {key: values[key] for key in kept if key not in OWN}
        return settings, ", ".join(key.replace("_", " ") for key in change)

    return edit_settings(project_id, seen, "rules", make)


def digest_of(revision: Revision, rules: Rules) -> str:
    """Changes whenever the rules or the weights that a report depends on do."""
    weights = sorted((row.object, row.weight) for row in members_of(revision))
    return hashlib.sha256(json.dumps([plain(rules), weights], sort_keys=True).encode()).hexdigest()[
        :16
    ]


def is_checked(revision: Revision) -> bool:
    """Whether the kept report is by the present rules."""
    kept = Measurement.objects.filter(revision=revision.pk).values_list("digest", flat=True).first()
    return kept is not None and kept == digest_of(revision, rules_of(revision))
