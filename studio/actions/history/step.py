"""Undo, redo, and going to any step: the project's pointer moves, nothing is overwritten."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from studio.actions.access import EDITOR, require
from studio.actions.errors import Conflict, Refused, found
from studio.actions.history.change import check_idle, move_to, refuse_stale
from studio.models import Change, Project, Revision


@transaction.atomic
def undo(project_id: int, seen: int | None = None) -> Change:
    """Go back to the state before the last change."""
    project, head = _held(project_id, seen)
    if head.parent is None:
        raise Conflict(
            "There is nothing to undo.", project.name, "This is the project as it began."
        )
    return _go(project, head.parent, [*project.redo, head.pk])


@transaction.atomic
def redo(project_id: int, seen: int | None = None) -> Change:
    """Go forward again to what was undone last."""
    project, _ = _held(project_id, seen)
    if not project.redo:
        raise Conflict(
            "There is nothing to redo.",
            project.name,
            "A new action after an undo ends the way forward.",
        )
    return _go(project, Change.objects.get(pk=project.redo[-1]), project.redo[:-1])


@transaction.atomic
def go_to(project_id: int, step: int, seen: int | None = None) -> Change:
    """Go to a step behind or ahead of the present one."""
    project, head = _held(project_id, seen)
    ahead = list(project.redo)
    if step in ahead:
        at = ahead.index(step)
        return _go(project, Change.objects.get(pk=step), ahead[:at])
    parents = dict(project.changes.values_list("pk", "parent_id"))
    back: int | None = head.pk
    while back is not None and back != step:
        ahead.append(back)
        back = parents[back]
    if back is None:
        raise Refused(
            "This step is not in the history (any more).",
            f"step {step}",
            "Select one that is listed.",
        )
    return _go(project, Change.objects.get(pk=step), ahead)


def _held(project_id: int, seen: int | None) -> tuple[Project, Change]:
    found(Project, project_id)
    require(project_id, EDITOR)
    project = Project.objects.select_for_update().get(pk=project_id)
    head = project.head
    assert head is not None
    if seen is not None and seen != head.pk:
        refuse_stale(project, head)
    return project, head


def _go(project: Project, change: Change, redo: list[int]) -> Change:
    there = dict(change.atlases)
    for atlas in project.atlases.select_related("head"):
        if atlas.head_id != there.get(atlas.pk):
            check_idle(atlas)
    move_to(project, change, redo)
    return change


def revisions_at(revisions: Sequence[Revision], step: int | None) -> tuple[Change, list[Revision]]:
    """A step of the history, without one that before the present, and states of the same atlases then."""
    project = revisions[0].atlas.project
    if step is None:
        head = project.head
        step = head.parent_id if head else None
        if step is None:
            raise Refused(
                "There is no step before this one.", project.name, "Change something first."
            )
    change = project.changes.filter(pk=step).first()
    then = dict(change.atlases) if change else {}
    wanted = [then.get(revision.atlas_id) for revision in revisions]
    found = Revision.objects.select_related("atlas").in_bulk([pk for pk in wanted if pk])
    if change is None or not all(pk in found for pk in wanted):
        raise Refused(
            f"The atlas was not there at step {step}." if change else f"There is no step {step}.",
            "step", "Select a step that is listed.",
        )  # fmt: skip
    return change, [found[pk] for pk in wanted if pk]
