"""The history as a list to step through, and names for its steps."""

from __future__ import annotations

from typing import Any

from studio.actions.history.change import chain
from studio.models import Change, Project, Revision

SHOWN = ("pk", "parent_id", "verb", "what", "author", "label", "created", "atlases")


def list_steps(project: Project) -> list[dict[str, Any]]:
    """Steps that lead to the present one, the oldest first, and those that redo leads to."""
    rows = {
        row[0]: dict(zip(SHOWN, row, strict=True)) for row in project.changes.values_list(*SHOWN)
    }
    ahead = set(project.redo)
    shown = [*reversed(chain(project)), *reversed(project.redo)]
    changed = {pk: _changed(rows[pk], rows.get(rows[pk]["parent_id"])) for pk in shown}
    summaries = dict(
        Revision.objects.filter(atlas__project=project)
        .exclude(summary=None)
        .values_list("pk", "summary")
    )
    out = []
    for pk in shown:
        row, (atlas, revision) = rows[pk], changed[pk] or (None, None)
        summary = (summaries.get(revision) if revision else None) or {}
        out.append(
            {
                "id": pk,
                "verb": row["verb"],
                "what": row["what"],
                "author": row["author"],
                "label": row["label"],
                "created": row["created"],
                "ahead": pk in ahead,
                "atlas": atlas,
                "coverage": summary.get("coverage"),
                "density": summary.get("density"),
            }
        )
    return out


def _changed(row: dict[str, Any], parent: dict[str, Any] | None) -> tuple[int, int] | None:
    """The first atlas that a change gave a new revision, and that revision."""
    before = parent["atlases"] if parent else []
    return next(
        (
            (atlas, revision)
            for atlas, revision in row["atlases"]
            if [atlas, revision] not in before
        ),
        None,
    )


def name_step(step: Change, label: str) -> None:
    """Give a step a name, or take it away."""
    step.label = label.strip()
    step.save(update_fields=["label"])
