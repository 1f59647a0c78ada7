"""Notes: said about an island, an object, a finding or an atlas; answered, and closed."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from studio.actions.access import EDITOR, VIEWER, Forbidden, acting_user, author, require
from studio.actions.errors import Refused
from studio.models import Atlas, MeshObject, Note, Project

MOST_LETTERS = 2000
"""Notes of a project."""


def say(project: Project, given: dict[str, Any]) -> Note:
    """Add a note, or an answer to one.

    `given`: text, and atlas, kind, object, island and finding, or answers (id of the note).
    """
    require(project.pk, VIEWER)
    text = given["text"].strip()
    if not text:
        raise Refused("The note says nothing.", "text", "Write something.")
    if project.notes.count() >= MOST_LETTERS:
        raise Refused(f"There are {MOST_LETTERS} notes.", project.name, "Delete old ones first.")
    about: dict[str, Any] = {}
    if given.get("answers"):
        above = project.notes.filter(pk=given["answers"], answers=None).first()
        if above is None:
            raise Refused("The note is gone.", "answers", "Write a new one.")
        about = {"answers": above, "atlas": above.atlas, "kind": above.kind}
    else:
        kind = given.get("kind", Note.ATLAS)
        atlas = Atlas.objects.filter(project=project, pk=given.get("atlas") or 0).first()
        obj = MeshObject.objects.filter(project=project, pk=given.get("object") or 0).first()
        if kind in (Note.OBJECT, Note.ISLAND) and obj is None:
            raise Refused("There is no such object.", "object", "Select one that is there.")
        if kind == Note.FINDING and not given.get("finding"):
            raise Refused("The finding is not told.", "finding", "Give its key.")
        about = {
            "atlas": atlas, "kind": kind, "object": obj if kind != Note.FINDING else None,
            "island": given.get("island", -1) if kind == Note.ISLAND else -1,
            "finding": given.get("finding", "")[:200] if kind == Note.FINDING else "",
        }  # fmt: skip
    return Note.objects.create(
        project=project, text=text, author=author(), user_id=acting_user(), **about
    )


def close(note: Note, closed: bool) -> Note:
    """Close a note, or open it again."""
    require(note.project_id, VIEWER)
    _mine_or_editor(note)
    note.closed = timezone.now() if closed else None
    note.save(update_fields=["closed"])
    return note


def take_back(note: Note) -> None:
    """Delete a note with its answers."""
    require(note.project_id, VIEWER)
    _mine_or_editor(note)
    note.delete()


def _mine_or_editor(note: Note) -> None:
    """Whoever wrote it may, and whoever may change the project."""
    user = acting_user()
    if user is not None and note.user_id == user:
        return
    try:
        require(note.project_id, EDITOR)
    except Forbidden:
        raise Forbidden(
            "Only its author and editors do that.", note.author, "Answer it instead."
        ) from None
