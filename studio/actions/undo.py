"""Undo and redo: move the pointer along the chain of revisions."""

from __future__ import annotations

from django.db import transaction

from studio.actions.errors import Conflict
from studio.actions.revise import check_head, check_idle, move_head
from studio.models import Atlas, Revision


@transaction.atomic
def undo(atlas_id: int, revision_id: int | None = None) -> Revision:
    """Go back to the layout before the last action."""
    atlas = Atlas.objects.select_for_update().get(pk=atlas_id)
    head = check_head(atlas, revision_id)
    check_idle(atlas)
    if head.parent is None:
        raise Conflict("There is nothing to undo.", atlas.name, "This is the layout as it came in.")
    move_head(atlas, head.parent, [*atlas.redo, head.pk])
    return head.parent


@transaction.atomic
def redo(atlas_id: int, revision_id: int | None = None) -> Revision:
    """Go forward again to what was undone last."""
    atlas = Atlas.objects.select_for_update().get(pk=atlas_id)
    check_head(atlas, revision_id)
    check_idle(atlas)
    if not atlas.redo:
        raise Conflict(
            "There is nothing to redo.", atlas.name, "A new action after an undo ends the way forward."
        )
    revision = Revision.objects.get(pk=atlas.redo[-1])
    move_head(atlas, revision, atlas.redo[:-1])
    return revision
