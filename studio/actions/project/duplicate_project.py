"""A copy of a project as it is now: the same files, objects and layouts, with a history of its
own."""

from __future__ import annotations

from dataclasses import replace

from django.db import models, transaction
from django.shortcuts import get_object_or_404

from studio.actions.access import own
from studio.actions.history.change import append_change, chain
from studio.models import (
    Atlas,
    BaseLayout,
    GivenPicture,
    MeshObject,
    Project,
    Recipe,
    Revision,
    RunLine,
    SavedProfile,
    SheetPicture,
    Source,
)
from studio.state import read_state, write_state


@transaction.atomic
def duplicate_project(project_id: int) -> Project:
    """Copy a project's present state; stored files are shared, as they never change."""
    original = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
    settings = original.settings
    settings["name"] = f"{settings['name'][:112]} (copy)"
    copy = Project.objects.create()
    own(copy)
    kept = Source.objects.filter(project=original, gathered__in=chain(original))
    steps = chain(original)
    sources = _copied(kept, project=copy, gathered=None)
    older = [row.pk for row in sources.values() if row.replaced_id in steps]
    _copied(
        GivenPicture.objects.filter(source__in=list(sources)),
        source=lambda row: sources[row.source_id],
    )
    objects = _copied(
        MeshObject.objects.filter(source__in=list(sources)),
        project=copy,
        source=lambda row: sources[row.source_id],
    )
    found = BaseLayout.objects.filter(object__source__in=list(sources))
    parents = dict(found.exclude(parent=None).values_list("pk", "parent_id"))
    bases = _copied(
        found,
        object=lambda row: objects[row.object_id],
        parent=None,
        copied_from=lambda row: objects.get(row.copied_from_id),
    )
    for pk, parent in parents.items():
        bases[pk].parent = bases[parent]
        bases[pk].save(update_fields=["parent"])
    _copied(Recipe.objects.filter(project=original), project=copy)
    _copied(SavedProfile.objects.filter(project=original), project=copy)
    revisions: dict[int, Revision] = {}
    assert original.head is not None
    for _, revision_id in original.head.atlases:
        old = Revision.objects.select_related("keyframe").get(pk=revision_id)
        state = read_state(old)
        members = tuple(
            replace(row, object=objects[row.object].pk, base=bases[row.base].pk)
            for row in state.members
        )
        atlas = Atlas.objects.create(project=copy)
        _copied(SheetPicture.objects.filter(atlas=old.atlas_id), atlas=atlas)
        facts = {
            "params": old.params,
            "seconds": old.seconds,
            "tidy_cost": old.tidy_cost,
            "limit": old.limit,
        }
        made = write_state(
            atlas, None, state.having(members=members), verb=old.verb, summary=old.summary, **facts
        )
        revisions[atlas.pk] = made
        _copied(RunLine.objects.filter(atlas=old.atlas_id), project=copy, atlas=atlas, made={})
    change = append_change(
        copy, "duplicate", f"of “{original.name}”", {}, settings=settings, revisions=revisions
    )
    Source.objects.filter(project=copy).update(gathered=change, replaced=None)
    Source.objects.filter(pk__in=older).update(replaced=change)
    return copy


def _copied(rows: models.QuerySet, **other: object) -> dict[int, models.Model]:  # type: ignore[type-arg]
    """New rows like these, by the ids of the old ones; `other` are values, or functions of the old
    row, to set."""
    out = {}
    for row in rows.order_by("pk"):
        old = row.pk
        values = {name: value(row) if callable(value) else value for name, value in other.items()}
        row.pk = None
        row._state.adding = True
        for name, value in values.items():
            setattr(row, name, value)
        row.save()
        out[old] = row
    return out
