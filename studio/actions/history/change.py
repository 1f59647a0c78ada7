"""A project's history: the one place where changes are appended and its pointer moves."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Q

from quilt_core.document.project.checks import FARTHEST
from quilt_core.document.state import State
from quilt_core.operations.registry import OPERATIONS
from quilt_core.scene.islands import UV_TOLERANCE
from quilt_core.scene.lengths import PER_METRE
from studio.actions.access import EDITOR, author, require
from studio.actions.errors import Conflict, Refused, found
from studio.actions.history.parts import Parts, meet, parts_of_atlas, settings_parts, within
from studio.models import Atlas, Change, Job, Measurement, Project, Revision
from studio.state import read_state, write_state

STATES = ("head__state", "head__keyframe__state")
"""Large fields of an atlas's revisions that are read where they are needed."""
TRIES = 3
"""So often an edit is computed anew, because another one came first, before it makes the others
wait."""
QUIET = frozenset(
    ["measure", "stacks", "look-alikes", "plan coverage", "bake part"]
    + [one.name for one in OPERATIONS.values() if one.changes in ("files", "nothing")]
)
"""Kinds of jobs that change no layout."""


@dataclass(frozen=True, eq=False)
class Made:
    """What an action makes of an atlas."""

    verb: str
    state: State
    what: str = ""
    """What it was done to, in words."""
    params: dict[str, Any] = field(default_factory=dict)
    needs: Parts = field(default_factory=dict)
    """Parts that it relies on without changing them."""
    facts: dict[str, Any] = field(default_factory=dict)
    """Other fields of the revision: seconds, tidy_cost, limit."""
    measured_as: Revision | None = None
    """A revision of which all that was measured holds for this one too."""


def chain(project: Project, at: int | None = None) -> list[int]:
    """Ids of the changes that lead to one, the present one when none is named; the newest first."""
    parents = dict(project.changes.values_list("pk", "parent_id"))
    at, out = at or project.head_id, []
    while at is not None:
        out.append(at)
        at = parents[at]
    return out


def _since(project: Project, seen: int) -> set[int]:
    """Ids of the changes that lead from one to the present one: mostly those that came after it, which are few."""
    newer = project.changes.filter(pk__gte=seen)
    parents, at, out = dict(newer.values_list("pk", "parent_id")), project.head_id, set()
    while at in parents and at != seen:
        out.add(at)
        at = parents[at]
    return out if at == seen else set(chain(project)) ^ set(chain(project, seen))


def first_settings(name: str, house_density: float) -> dict[str, Any]:
    """Settings of a new project."""
    return {
        "name": name,
        "house_density": house_density,
        "tolerance": 0.05,
        "least_density": None,
        "most_density": None,
        "density_unit": PER_METRE,
        "uv_tolerance": UV_TOLERANCE,
        "rules": {},
    }


def check_idle(atlas: Atlas) -> None:
    """Refuse while other work is about to change the layout; call it inside the transaction of the
    change."""
    mine = Job.objects.filter(Q(atlas=atlas) | Q(further=atlas))
    busy = mine.filter(state__in=[Job.QUEUED, Job.RUNNING]).exclude(kind__in=QUIET).first()
    if busy:
        raise Conflict(
            f"A job is at work on this layout: {busy.kind}.",
            atlas.name,
            "Wait for it or cancel it.",
            job=busy.pk,
        )


def check_fresh(project: Project, seen: int | None, parts: Parts) -> None:
    """Refuse when what the user saw of these parts has changed since, with what changed and by
    which action."""
    if seen is None or seen == project.head_id:
        return
    if not project.changes.filter(pk=seen).exists():
        raise Refused(
            f"There is no step {seen} in this project.",
            "change",
            "Look at the newest layout and try again.",
        )
    met = [change for change in _between(project, seen) if meet(change.touched, parts)]
    if met:
        refuse_stale(project, met[0])


def refuse_stale(project: Project, change: Change) -> None:
    """Refuse with what has changed, by which action and by whom."""
    said = f"{change.verb} ({change.what})" if change.what else change.verb
    if change.author != "you":
        said += f", by {change.author}"
    raise Conflict(
        f"It has changed since: {said}.",
        project.name,
        "Look at what is there now and try again.",
        head=project.head_id,
        verb=change.verb,
        by=change.author,
    )


def _between(project: Project, seen: int) -> list[Change]:
    """Changes that lead from one to the present state: those undone since, and those made since;
    newest first."""
    return list(project.changes.filter(pk__in=_since(project, seen)).order_by("-pk"))


def edit_atlas(atlas_id: int, seen: int | None, make: Callable[[Revision], Made]) -> Revision:
    """Append what `make` makes of an atlas's present revision, computed outside the transaction
    where that is possible.

    Raises `Conflict` when what it touches or needs has changed since the change that the user saw.
    """
    for _ in range(TRIES):
        atlas = _present(atlas_id)
        require(atlas.project_id, EDITOR)
        made = make(_head(atlas))
        with transaction.atomic():
            now = _held(atlas)
            if now.head_id == atlas.head_id:
                return _append(now, seen, made)
    with transaction.atomic():
        now = _held(_present(atlas_id))
        return _append(now, seen, make(_head(now)))


def _present(atlas_id: int) -> Atlas:
    """An atlas as it is now, with its project."""
    rows = Atlas.objects.select_related("head__keyframe", "project__head")
    return found(rows.defer(*STATES), atlas_id)


def _held(atlas: Atlas) -> Atlas:
    """The same atlas as it is by now, whose project is held until the transaction ends."""
    require(atlas.project_id, EDITOR)
    list(Project.objects.select_for_update().filter(pk=atlas.project_id).values_list("pk"))
    return _present(atlas.pk)


def _head(atlas: Atlas) -> Revision:
    if atlas.head is None:
        raise Conflict("This atlas has been deleted.", atlas.name, "Undo brings it back.")
    atlas.head.atlas = atlas
    return atlas.head


def _append(atlas: Atlas, seen: int | None, made: Made) -> Revision:
    """Inside the transaction: look whether it may be, and append."""
    head, project = _head(atlas), atlas.project
    touched = parts_of_atlas(atlas.pk, read_state(head), made.state)
    check_fresh(project, seen, {within(atlas.pk, "members"): None, **made.needs, **touched})
    check_idle(atlas)
    if not (touched or made.facts):
        return head
    revision = _store(atlas, head, made, draft=False)
    append_change(project, made.verb, made.what, touched, revisions={atlas.pk: revision})
    return revision


def _store(atlas: Atlas, parent: Revision, made: Made, draft: bool) -> Revision:
    places = made.state.islands["placement"]
    if not (np.isfinite(places).all() and (np.abs(places) < FARTHEST).all()):
        raise Refused(
            "The layout would hold places that are no numbers, or far beyond all tiles.",
            made.verb,
            "Give a smaller density or size. The layout is as it was.",
        )
    facts = {"verb": made.verb, "params": made.params, "draft": draft, **made.facts}
    known = made.measured_as
    if known is not None:
        facts |= {"summary": known.summary, "limit": known.limit}
    revision = write_state(atlas, parent, made.state, **facts)
    kept = getattr(known, "measurement", None) if known is not None else None
    if kept is not None:
        keep_measurement(revision, bytes(kept.figures), bytes(kept.checked), kept.digest)
    return revision


@dataclass(frozen=True, eq=False)
class Shared:
    """What an action makes of several atlases at once."""

    verb: str
    what: str
    states: dict[int, State]
    """New states by atlas id; of those that are not named nothing changes."""
    fresh: tuple[State, ...] = ()
    """States of new atlases."""
    removed: tuple[int, ...] = ()
    """Atlases that are gone after it."""


def edit_atlases(
    project_id: int, seen: int | None, make: Callable[[dict[int, State]], Shared]
) -> tuple[Change, list[int]]:
    """Append one change of several atlases; `make` gets the present states by atlas id, in order.

    Returns the change, and the ids of the new atlases.
    """
    with transaction.atomic():
        found(Project, project_id)
        require(project_id, EDITOR)
        project = Project.objects.select_for_update().get(pk=project_id)
        head = project.head
        assert head is not None
        atlases = {
            a.pk: a for a in project.atlases.exclude(head=None).select_related("head__keyframe")
        }
        before = {pk: read_state(_head(atlases[pk])) for pk, _ in head.atlases}
        made = make(dict(before))
        parts = {pk: parts_of_atlas(pk, before[pk], state) for pk, state in made.states.items()}
        touched: Parts = {name: at for each in parts.values() for name, at in each.items()}
        touched |= {within(pk, ""): None for pk in made.removed}
        if not (touched or made.fresh):
            return head, []
        check_fresh(project, seen, touched)
        revisions: dict[int, Revision] = {}
        for pk in [pk for pk, each in parts.items() if each] + list(made.removed):
            check_idle(atlases[pk])
        for pk, each in parts.items():
            if each:
                revisions[pk] = write_state(
                    atlases[pk], atlases[pk].head, made.states[pk], verb=made.verb
                )
        new = []
        for state in made.fresh:
            atlas = Atlas.objects.create(project=project)
            revisions[atlas.pk] = write_state(atlas, None, state, verb=made.verb)
            new.append(atlas.pk)
            touched[within(atlas.pk, "")] = None
        change = append_change(
            project, made.verb, made.what, touched, revisions=revisions, removed=made.removed
        )  # fmt: skip
        return change, new


@transaction.atomic
def finish_job(atlas_id: int, base: Revision, made: Made, as_draft: bool = False) -> Revision:
    """Append what a job made of a revision; as a draft beside the chain when asked, or when another
    came first."""
    Project.objects.select_for_update().get(pk=base.atlas.project_id)
    require(base.atlas.project_id, EDITOR)
    atlas = Atlas.objects.get(pk=atlas_id)
    if as_draft or atlas.head_id != base.pk:
        return _store(atlas, base, made, draft=True)
    project = Project.objects.select_related("head").get(pk=atlas.project_id)
    touched = parts_of_atlas(atlas.pk, read_state(base), made.state)
    if not (touched or made.facts):
        return base
    revision = _store(atlas, base, made, draft=False)
    append_change(project, made.verb, made.what, touched, revisions={atlas.pk: revision})
    return revision


def edit_settings(
    project_id: int,
    seen: int | None,
    verb: str,
    make: Callable[[dict[str, Any]], tuple[dict[str, Any], str]],
) -> Change:
    """Append a change of the project's settings; `make` returns the new ones and what was changed,
    in words."""
    with transaction.atomic():
        found(Project, project_id)
        require(project_id, EDITOR)
        project = Project.objects.select_for_update().get(pk=project_id)
        before = project.settings
        after, what = make(dict(before))
        touched = settings_parts(before, after)
        if not touched:
            assert project.head is not None
            return project.head
        check_fresh(project, seen, touched)
        return append_change(project, verb, what, touched, settings=after)


def append_change(
    project: Project,
    verb: str,
    what: str,
    touched: Parts,
    *,
    settings: dict[str, Any] | None = None,
    revisions: dict[int, Revision] | None = None,
    removed: tuple[int, ...] = (),
) -> Change:
    """Append a change and move the project to it. The caller holds the project's row.

    `revisions` are the new states of atlases by their ids (new atlases come last), `removed` those
    that are gone.
    """
    parent = project.head
    rows = [[a, r] for a, r in (parent.atlases if parent else []) if a not in removed]
    for atlas_id, revision in (revisions or {}).items():
        known = next((row for row in rows if row[0] == atlas_id), None)
        if known:
            known[1] = revision.pk
        else:
            rows.append([atlas_id, revision.pk])
    change = Change.objects.create(
        project=project, parent=parent, verb=verb, what=what[:200], touched=touched, atlases=rows,
        settings=settings if settings is not None else project.settings, author=author(),
    )  # fmt: skip
    move_to(project, change, redo=[])
    return change


def move_to(project: Project, change: Change, redo: list[int]) -> None:
    """Point the project and its atlases at a change."""
    project.head, project.redo = change, redo
    project.save(update_fields=["head", "redo"])
    states = dict(change.atlases)
    for pk, head in project.atlases.values_list("pk", "head"):
        if head != states.get(pk):
            Atlas.objects.filter(pk=pk).update(head=states.get(pk))


def claim_parts(atlas_id: int, more: tuple[str, ...] = ()) -> Parts:
    """What a job on an atlas relies on: all of it, and some settings."""
    names = [within(atlas_id, ""), *(f"settings/{name}" for name in more)]
    return dict.fromkeys(names)


KEPT = 12
"""Measurements of an atlas's newest revisions that are kept; others are made again when they are
looked at."""


def keep_measurement(revision: Revision, figures: bytes, checked: bytes, digest: str) -> None:
    """Keep what was found about a revision, and forget that of old ones."""
    values = {"figures": figures, "checked": checked, "digest": digest}
    revision.measurement = Measurement.objects.update_or_create(revision=revision, defaults=values)[
        0
    ]
    of_chain = Measurement.objects.filter(revision__atlas=revision.atlas_id, revision__draft=False)
    # The head as it is now, not as it was when a job began: somebody may have gone to an old step meanwhile.
    head = Atlas.objects.filter(pk=revision.atlas_id, head__isnull=False).values("head")
    old = of_chain.exclude(revision__in=head).order_by("-revision_id")[KEPT:]
    Measurement.objects.filter(pk__in=[kept.pk for kept in old.only("pk")]).delete()
