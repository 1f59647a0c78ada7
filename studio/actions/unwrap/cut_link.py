"""Cut the link of an object to the one whose layout it got: it keeps the layout and follows no more."""

from __future__ import annotations

from dataclasses import replace

from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.arrays import members_with_rows
from studio.models import BaseLayout, Revision
from studio.state import read_state


def cut_link(revision: Revision, object_id: int) -> Made:
    """The revision with an object's layout as its own."""
    state = read_state(revision)
    members = members_with_rows(state.members)
    mine = [k for k, m in enumerate(members) if m.object.pk == object_id and m.base.copied_from_id]
    if not mine:
        raise Refused("This object follows no other one.", revision.name, "Nothing is to be cut.")
    rows = list(state.members)
    for k in mine:
        old = members[k].base
        own = BaseLayout.objects.create(
            object=old.object, channel=old.channel, verb=old.verb, parent=old, geometry=old.geometry,
            islands=old.islands, unflattened=old.unflattened, useless=old.useless,
            proportion=old.proportion, suggested=old.suggested, weld=old.weld,
        )  # fmt: skip
        rows[k] = replace(rows[k], base=own.pk)
    name = members[mine[0]].object.name
    return Made("cut link", replace(state, members=tuple(rows)), f"“{name}”")
