"""The report of a revision as a page and as JSON, to hand off."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from studio import storage
from studio.actions.check.examine import examine
from studio.actions.check.rules import rules_of
from studio.actions.documents import document_of
from studio.arrays import Layout
from studio.models import Revision


def reports_of(revision: Revision) -> dict[str, str]:
    """Text of the report as html and as json."""
    from quilt_core.operations.check import checked_atlas, report_text

    document = document_of([revision])
    layout = document.layout
    assert isinstance(layout, Layout)
    checked, _ = examine(layout, rules_of(revision))
    about = {"Last action": f"{revision.verb} (revision {revision.pk})", **_settings(revision)}
    told = replace(document, about=about)
    return {
        kind: report_text(told, checked_atlas(layout, checked), kind) for kind in ("html", "json")
    }


def _settings(revision: Revision) -> dict[str, str]:
    """What the last pack on the way here was told."""
    packed: Revision | None = revision
    while packed is not None and packed.verb not in ("pack", "keep draft"):
        packed = packed.parent
    if packed is None:
        return {"Packed": "not yet"}
    shown = ("padding", "margin", "rotate", "effort", "order", "tidy", "seed")
    given = {key: packed.params[key] for key in shown if packed.params.get(key) is not None}
    units = {"padding": " px", "margin": " px"}
    return {
        "Packed with": ", ".join(
            f"{key} {value}{units.get(key, '')}" for key, value in given.items()
        )
    }


def write_reports(revision: Revision) -> dict[str, Any]:
    """Store both; returns their storage keys and what they are about."""
    keys = {kind: storage.put(text.encode()) for kind, text in reports_of(revision).items()}
    return {**keys, "revision": revision.pk}
