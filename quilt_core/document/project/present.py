"""A project as it is now, without the way that led there: what a copy begins with."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from msgspec.structs import replace

from quilt_core.document.project.records import Change, Project

NAME_ROOM = 112
"""Characters that a copy keeps of a project's name."""


def chain(project: Project) -> list[int]:
    """Changes that lead to the present one, the newest first."""
    out: list[int] = []
    at: int | None = project.head
    while at is not None:
        out.append(at)
        at = project.changes[at].parent
    return out


def present_objects(project: Project) -> list[int]:
    """Objects of the files that are there now: brought in by a step that counts, and not replaced by one."""
    steps = set(chain(project))
    sources = project.sources
    return [
        n
        for n, obj in enumerate(project.objects)
        if sources[obj.source].gathered in steps and sources[obj.source].replaced not in steps
    ]


def copied_project(project: Project, now: datetime) -> tuple[Project, list[int]]:
    """A copy of a project's present state, with a history of one step of its own.

    Returns
    -------
    Project
        Its states are all whole.
    states : list of int
        For each of its states the one that it was in the original.
    """
    steps, settings = set(chain(project)), project.settings
    sources = _kept(n for n, row in enumerate(project.sources) if row.gathered in steps)
    objects = _kept(n for n, row in enumerate(project.objects) if row.source in sources)
    bases = _kept(n for n, row in enumerate(project.bases) if row.object in objects)
    there = project.changes[project.head].atlases
    atlases = _kept(atlas for atlas, _ in there)
    states = [state for _, state in there]
    change = Change(
        verb="duplicate", what=f"of “{settings.name}”",
        settings=replace(settings, name=f"{settings.name[:NAME_ROOM]} (copy)"),
        atlases=[(n, n) for n in range(len(there))], touched=[], made=now,
    )  # fmt: skip
    made = Project(
        head=0,
        changes=[change],
        sources=[
            replace(row, gathered=0, replaced=0 if row.replaced in steps else None)
            for row in (project.sources[n] for n in sources)
        ],
        textures=[
            replace(row, source=sources[row.source])
            for row in project.textures
            if row.source in sources
        ],
        objects=[
            replace(row, source=sources[row.source]) for row in (project.objects[n] for n in objects)
        ],
        bases=[
            replace(
                row, object=objects[row.object], parent=_at(bases, row.parent), copied_from=_at(objects, row.copied_from)
            )
            for row in (project.bases[n] for n in bases)
        ],
        atlases=[replace(project.atlases[n], state=k) for n, k in atlases.items()],
        states=[
            replace(
                row, atlas=k, parent=None, whole=True, same_as=None, draft=False, made=now,
                members=[replace(m, object=objects[m.object], base=bases[m.base]) for m in row.members],
            )
            for k, row in enumerate(project.states[n] for n in states)
        ],
        presets=project.presets,
        profiles=project.profiles,
        lines=[
            replace(row, atlases=[atlases[n] for n in row.atlases])
            for row in project.lines if all(n in atlases for n in row.atlases)
        ],
    )  # fmt: skip
    return made, states


def _kept(old: Iterable[int]) -> dict[int, int]:
    """New places of what is kept, by the old ones."""
    return {place: n for n, place in enumerate(old)}


def _at(kept: dict[int, int], place: int | None) -> int | None:
    return None if place is None else kept.get(place)
