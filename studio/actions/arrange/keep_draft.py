"""Drafts: layouts beside the chain. Keep one, or throw one away."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from django.db import transaction

from quilt_core.document.islands import ISLAND
from quilt_core.document.state import State, spans
from studio.actions.errors import Conflict, Refused
from studio.actions.history.change import Made, edit_atlas
from studio.actions.history.parts import Parts, within
from studio.actions.operate import FIGURES
from studio.models import Revision
from studio.state import members_of, read_state


def keep_draft(draft: Revision, seen: int | None) -> Revision:
    """Make a draft the newest layout. The draft stays among the drafts, and undo leads back."""
    if not draft.draft:
        raise Refused(
            "This layout is not a draft.", f"revision {draft.pk}", "Use undo and redo to go to it."
        )

    def make(head: Revision) -> Made:
        if draft.params.get(FIGURES):
            return Made("keep draft", tried(head, draft), f"draft {draft.pk}")
        members = members_of(head)
        if [(m.base, m.part) for m in members] != [(m.base, m.part) for m in members_of(draft)]:
            raise Conflict(
                "The draft was made before other objects came in.",
                head.name,
                "Pack again with its settings.",
            )
        # What was said of the objects since is kept: a draft is a layout.
        state = read_state(draft).having(members=members, name=head.name)
        facts = {"seconds": draft.seconds, "tidy_cost": draft.tidy_cost}
        needs: Parts = {within(head.atlas_id, "islands"): None}
        return Made("keep draft", state, f"draft {draft.pk}", draft.params, needs, facts, draft)

    return edit_atlas(draft.atlas_id, seen, make)


def tried(head: Revision, draft: Revision) -> State:
    """The present state with what a try of mending made of its objects; all else is as it is."""
    now, then = read_state(head), read_state(draft)
    made = {
        row.object: (row, then.islands[slice(*span)])
        for row, span in zip(then.members, spans(then.members), strict=True)
        if row.object in {made["id"] for made in draft.params.get(FIGURES, [])}
    }
    members, parts = [], [np.zeros(0, ISLAND)]
    for row, span in zip(now.members, spans(now.members), strict=True):
        own = now.islands[slice(*span)]
        if row.object in made and row.part is None:
            new, own = made[row.object]
            row = replace(row, base=new.base, islands=new.islands)
        members.append(row)
        parts.append(own)
    return replace(now, members=tuple(members), islands=np.concatenate(parts))


@transaction.atomic
def drop_draft(draft: Revision) -> None:
    """Throw a draft away."""
    if not draft.draft:
        raise Refused(
            "This layout is not a draft.", f"revision {draft.pk}", "Only drafts can be thrown away."
        )
    draft.delete()
