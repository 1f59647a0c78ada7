"""Which atlases the lines of a run sheet are about, and which lines can be done at the same time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from quilt_core.document.state import MemberRow
from quilt_core.operations.project import check_found
from studio.actions.errors import Refused
from studio.actions.history.change import STATES
from studio.models import Atlas, MeshObject, Project, RunLine
from studio.state import members_of


def targets(lines: Sequence[RunLine]) -> dict[int, list[Atlas]]:
    """The atlases of lines, by the lines' ids, in order: those that they name, or in which their objects lie now. Those that were deleted are left out."""
    projects = {line.project_id for line in lines}
    rows = Atlas.objects.filter(project__in=projects).exclude(head=None)
    rows = rows.select_related("head__keyframe", "project__head").defer(*STATES)
    there = {atlas.pk: atlas for atlas in rows.order_by("pk")}
    named = {line.pk: set[int]() for line in lines}
    through = RunLine.atlases.through.objects.filter(runline__in=named)
    for line_id, atlas_id in through.values_list("runline", "atlas"):
        named[line_id].add(atlas_id)
    names = _names([*there.values()]) if any(line.objects_named for line in lines) else {}
    out = {}
    for line in lines:
        if named[line.pk]:
            out[line.pk] = [there[pk] for pk in sorted(named[line.pk]) if pk in there]
        else:
            mine = [atlas for atlas in there.values() if atlas.project_id == line.project_id]
            out[line.pk] = [atlas for atlas in mine if _holds(atlas, line, names)]
    return out


def target(line: RunLine) -> list[Atlas]:
    """The atlases that a line is about.

    Raises
    ------
    Refused
        When one of them was deleted, or none holds what it is about.
    """
    found = targets([line])[line.pk]
    if not found or len(found) < line.atlases.count():
        raise Refused(
            "Nothing that it is about lies in an atlas (any more).", line.name,
            "Undo brings it back; or name other atlases, or take the line out.",
        )  # fmt: skip
    return found


def check_target(project: Project, objects: Sequence[str], channel: int | None) -> None:
    """Look whether objects lie in an atlas of the project, in a channel.

    Raises
    ------
    QuiltError
    """
    there = list(project.atlases.exclude(head=None).select_related("head__keyframe").order_by("pk"))
    names = _names(there)
    line = RunLine(project=project, objects_named=list(objects), channel=channel)
    lying = {
        names.get(member.object, "")
        for atlas in there
        for member in _members(atlas)
        if channel in (None, member.target + 1)
    }
    missing = [name for name in objects if name not in lying]
    check_found(missing, any(_holds(atlas, line, names) for atlas in there), channel)


def _names(atlases: Sequence[Atlas]) -> dict[int, str]:
    """Names of the objects in atlases by their ids."""
    ids = {member.object for atlas in atlases for member in _members(atlas)}
    return dict(MeshObject.objects.filter(pk__in=ids).values_list("pk", "name"))


def _members(atlas: Atlas) -> tuple[MemberRow, ...]:
    return members_of(atlas.head) if atlas.head is not None else ()


def _holds(atlas: Atlas, line: RunLine, names: Mapping[int, str]) -> bool:
    return any(
        line.channel in (None, member.target + 1)
        and (not line.objects_named or names.get(member.object) in line.objects_named)
        for member in _members(atlas)
    )


def lanes(lines: Sequence[RunLine]) -> list[list[RunLine]]:
    """Lines that share no atlas can be done beside each other; those of one lane are done one after another."""
    meant = {pk: {atlas.pk for atlas in found} for pk, found in targets(lines).items()}
    out: list[tuple[set[int], list[RunLine]]] = []
    for line in lines:
        mine = meant[line.pk]
        met = [lane for lane in out if lane[0] & mine]
        out = [lane for lane in out if lane not in met]
        merged = [one for lane in met for one in lane[1]]
        out.append((mine.union(*(lane[0] for lane in met)), [*merged, line]))
    done = [sorted(lane, key=lambda line: line.pk) for _, lane in out]
    return sorted(done, key=lambda lane: lane[0].pk)
