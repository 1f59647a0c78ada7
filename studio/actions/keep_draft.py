"""Drafts: layouts beside the chain. Keep one, or throw one away."""

from __future__ import annotations

from django.db import transaction

from studio.actions.errors import Conflict, Refused
from studio.actions.revise import append_revision, check_head, check_idle
from studio.arrays import load_layout
from studio.models import Revision


def keep_draft(draft: Revision, revision_id: int) -> Revision:
    """Make a draft the newest layout. The draft stays among the drafts, and undo leads back."""
    atlas = draft.atlas
    head = check_head(atlas, revision_id)
    check_idle(atlas)
    if not draft.draft:
        raise Refused("This layout is not a draft.", f"revision {draft.pk}", "Use undo and redo to go to it.")
    if draft.contents != head.contents:
        raise Conflict(
            "The draft was made before other objects came in.", atlas.name, "Pack again with its settings."
        )
    layout = load_layout(draft)
    return append_revision(
        atlas, head, "keep draft", {**draft.params, "draft": draft.pk}, layout.placements, layout.unplaced,
        tiles=draft.tiles, controls=layout.controls, made_of=draft, seconds=draft.seconds, tidy_cost=draft.tidy_cost,
    )  # fmt: skip


@transaction.atomic
def drop_draft(draft: Revision) -> None:
    """Throw a draft away."""
    if not draft.draft:
        raise Refused(
            "This layout is not a draft.", f"revision {draft.pk}", "Only drafts can be thrown away."
        )
    draft.delete()
