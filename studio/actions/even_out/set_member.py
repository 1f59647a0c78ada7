"""Say something about an object of an atlas: its weight, the proportions of its image."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from quilt_core.document.state import MemberRow
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.models import MeshObject, Revision
from studio.state import read_state


def set_member(revision: Revision, object_id: int, given: dict[str, Any]) -> Made:
    """`given`: weight, proportion (None for that of its image)."""
    state = read_state(revision)
    if object_id not in [row.object for row in state.members]:
        raise Refused(
            "This object is not in the atlas.", f"object {object_id}", "Select one that is listed."
        )
    name = MeshObject.objects.values_list("name", flat=True).get(pk=object_id)

    def changed(row: MemberRow) -> MemberRow:
        return replace(row, **given) if row.object == object_id else row

    said = [f"{name or 'unnamed'}: {value:g}" for value in given.values() if value is not None]
    what = ", ".join(said) or f"{name or 'unnamed'}: as its texture"
    verb = "weight" if "weight" in given else "proportions"
    return Made(verb, state.having(members=tuple(map(changed, state.members))), what, dict(given))
