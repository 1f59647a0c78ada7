"""Which objects lie in which atlas: new atlases, objects that move between them, are let go or come
back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.db.models import QuerySet

from quilt_core.document.islands import fresh_islands
from quilt_core.document.state import MemberRow, State, TileRow, joined, split, split_islands
from quilt_core.measure.density import equalize
from studio.actions.errors import Conflict, Refused
from studio.actions.gather.set_channel import check_target
from studio.actions.history.change import Shared, chain, edit_atlases
from studio.arrays import islands_of
from studio.models import BaseLayout, Change, MeshObject, Project

LONGEST_NAME = 120


@dataclass(frozen=True)
class Group:
    """Objects that are to share an atlas: one that there is, by its id, or a new one (0) by its name."""

    atlas: int
    name: str
    objects: Sequence[int]


def new_atlas(
    project_id: int, seen: int | None, name: str, objects: Sequence[int], channel: int = 0,
    islands: tuple[int, Sequence[int]] | None = None,
) -> tuple[Change, int]:  # fmt: skip
    """Make an atlas of some objects, wherever they lie now, or of islands of one atlas (its id and
    their numbers there); returns the change and the new atlas's id."""
    name = _checked(name)

    if islands is not None and objects:
        raise Refused("Objects and islands at once.", "islands", "Give the one or the other.")

    def make(states: dict[int, State]) -> Shared:
        tile = next(iter(states.values())).tiles[0]
        empty = State(name, (), (TileRow(1001, tile.width, tile.height, name),))
        if islands is None:
            left, taken = _taken(project_id, states, objects, channel)
            what = f"“{name}”" + (f" of {_counted(len(objects))}" if objects else "")
        else:
            rest, taken = _parted(_state(states, islands[0]), islands[1])
            left = {islands[0]: rest}
            what = f"“{name}” of {_counted(len(taken.islands), 'island')}"
        return Shared("new atlas", what, left, (joined(empty, taken),))

    change, (made,) = edit_atlases(project_id, seen, make)
    return change, made


def second_layout(
    project_id: int, seen: int | None, name: str, objects: Sequence[int], size: int | None = None
) -> tuple[Change, int]:
    """Make an atlas that lays some objects out once more, for light or other maps of their own; they stay where they lie. It is
    written to the first UV channel that none of them has; returns the change and the new atlas's id."""
    name = _checked(name)
    if not objects:
        raise Refused("No object is given.", "objects", "Name some.")

    def make(states: dict[int, State]) -> Shared:
        tile = next(iter(states.values())).tiles[0]
        width, height = (size, size) if size else (tile.width, tile.height)
        taken = _once_more(project_id, states, list(dict.fromkeys(objects)))
        empty = State(name, (), (TileRow(1001, width, height, name),))
        channel = taken.members[0].target + 1
        what = f"“{name}” of {_counted(len(taken.members))} in UV channel {channel}"
        return Shared("new atlas", what, {}, (joined(empty, taken),))

    change, (made,) = edit_atlases(project_id, seen, make)
    return change, made


def _once_more(project_id: int, states: dict[int, State], objects: list[int]) -> State:
    """A state of objects as they are laid out now, at one density times their weights, in a channel that none of them has."""
    rows = MeshObject.objects.filter(project=project_id).in_bulk(objects)
    channels = BaseLayout.objects.filter(object__in=objects, parent=None)
    first = {base.object_id: base for base in channels.filter(channel=0)}
    lie = [row for state in states.values() for row in state.members if row.object in rows]
    whole = {row.object: row for row in reversed(lie) if row.part is None}
    free = max([row.target + 1 for row in lie] + [base.channel + 1 for base in channels], default=0)
    members, bases = [], []
    for pk in objects:
        if pk not in rows or pk not in first:
            raise Refused(f"Object {pk} is not in this project.", "objects", "Select others.")
        check_target(rows[pk], free)
        now = whole.get(pk)
        base = BaseLayout.objects.get(pk=now.base) if now else first[pk]
        weight = now.weight if now else 1.0
        members.append(MemberRow(pk, base.pk, base.islands, target=free, weight=weight))
        bases.append(base.geometry)
    tiles = next(iter(states.values())).tiles
    islands = fresh_islands(sum(row.islands for row in members))
    weights = np.repeat([row.weight for row in members], [row.islands for row in members])
    islands["placement"] = equalize(
        islands_of(bases), islands["placement"], tiles[0].width, tiles[0].height, None, weights
    )
    return State("", tuple(members), tiles, islands=islands)


def move_objects(
    project_id: int, atlas_id: int, seen: int | None, objects: Sequence[int], channel: int = 0
) -> Change:
    """Put objects into an atlas, out of any other or from beside all of them."""

    def make(states: dict[int, State]) -> Shared:
        here = _state(states, atlas_id)
        there = {
            row.object
            for row, base in _with_bases(here)
            if base.channel == channel and row.part is None
        }
        moved = [pk for pk in dict.fromkeys(objects) if pk not in there]
        left, taken = _taken(project_id, states, moved, channel)
        left[atlas_id] = joined(left.get(atlas_id, here), taken)
        return Shared("move objects", f"{_counted(len(moved))} to “{here.name}”", left)

    return edit_atlases(project_id, seen, make)[0]


def share_objects(project_id: int, seen: int | None, groups: Sequence[Group]) -> Change:
    """Put objects into atlases as planned, in one step: each group is an atlas that there is, or a new one. Atlases in which
    nothing is left stay, empty."""
    names = [_checked(group.name) for group in groups]

    def make(states: dict[int, State]) -> Shared:
        now = dict(states)
        fresh: list[State] = []
        tile = next(iter(states.values())).tiles[0]
        moves = 0
        for group, name in zip(groups, names, strict=True):
            there = {r.object for r in _state(now, group.atlas).members} if group.atlas else set()
            moved = [pk for pk in dict.fromkeys(group.objects) if pk not in there]
            moves += len(moved)
            left, taken = _taken(project_id, now, moved, 0)
            now |= left
            if group.atlas:
                now[group.atlas] = joined(now[group.atlas], taken) if moved else now[group.atlas]
            elif moved:
                empty = State(name, (), (TileRow(1001, tile.width, tile.height, name),))
                fresh.append(joined(empty, taken))
        changed = {pk: state for pk, state in now.items() if state is not states[pk]}
        return Shared("move objects", f"{_counted(moves)} shared out anew", changed, tuple(fresh))

    return edit_atlases(project_id, seen, make)[0]


def move_islands(
    project_id: int, atlas_id: int, seen: int | None, source: int, islands: Sequence[int]
) -> Change:
    """Put islands of one atlas into another; an object of which not all go lies in both by
    parts."""

    def make(states: dict[int, State]) -> Shared:
        here, there = _state(states, atlas_id), _state(states, source)
        if source == atlas_id:
            raise Refused("These islands lie in this atlas.", here.name, "Choose another one.")
        rest, taken = _parted(there, islands)
        what = f"{_counted(len(taken.islands), 'island')} to “{here.name}”"
        return Shared("move islands", what, {source: rest, atlas_id: joined(here, taken)})

    return edit_atlases(project_id, seen, make)[0]


def release_islands(
    project_id: int, atlas_id: int, seen: int | None, islands: Sequence[int]
) -> Change:
    """Take islands out of an atlas; they stay in the project, beside all atlases."""

    def make(states: dict[int, State]) -> Shared:
        here = _state(states, atlas_id)
        rest, taken = _parted(here, islands)
        what = f"{_counted(len(taken.islands), 'island')} of “{here.name}”"
        return Shared("let go", what, {atlas_id: rest})

    return edit_atlases(project_id, seen, make)[0]


def _parted(state: State, islands: Sequence[int]) -> tuple[State, State]:
    chosen = np.unique(np.array(islands, np.int64))
    if not len(chosen) or chosen[-1] >= len(state.islands):
        raise Refused("There is no such island.", state.name, "Look at the newest layout.")
    return split_islands(state, chosen)


def release_objects(
    project_id: int, atlas_id: int, seen: int | None, objects: Sequence[int]
) -> Change:
    """Take objects out of an atlas; they stay in the project, beside all atlases."""

    def make(states: dict[int, State]) -> Shared:
        here = _state(states, atlas_id)
        places = {k for k, row in enumerate(here.members) if row.object in objects}
        if not places:
            raise Refused(
                "None of these objects is in this atlas.", here.name, "Select some that are listed."
            )
        return Shared(
            "let go",
            f"{_counted(len(places))} of “{here.name}”",
            {atlas_id: split(here, places)[0]},
        )

    return edit_atlases(project_id, seen, make)[0]


def delete_atlas(project_id: int, atlas_id: int, seen: int | None) -> Change:
    """Take an atlas away; its objects stay in the project, beside the others. Undo brings it
    back."""

    def make(states: dict[int, State]) -> Shared:
        here = _state(states, atlas_id)
        if len(states) == 1:
            raise Conflict(
                "A project needs an atlas.",
                here.name,
                "Make another one first, or let its objects go.",
            )
        return Shared("delete atlas", f"“{here.name}”", {}, removed=(atlas_id,))

    return edit_atlases(project_id, seen, make)[0]


def rename_atlas(project_id: int, atlas_id: int, seen: int | None, name: str) -> Change:
    """Give an atlas another name."""
    name = _checked(name)

    def make(states: dict[int, State]) -> Shared:
        here = _state(states, atlas_id)
        return Shared(
            "rename atlas", f"“{here.name}” → “{name}”", {atlas_id: here.having(name=name)}
        )

    return edit_atlases(project_id, seen, make)[0]


def loose_objects(project: Project, states: Sequence[State]) -> list[tuple[MeshObject, int, int]]:
    """Objects that lie in no atlas, or not with all their islands: with how many do not, and how
    many there are.

    What was brought in by a step that is undone does not count.
    """
    held: dict[int, list[MemberRow]] = {}
    for state in states:
        for row in state.members:
            held.setdefault(row.object, []).append(row)
    whole = {pk for pk, rows in held.items() if any(row.part is None for row in rows)}
    rows = present_objects(project)
    out = []
    for obj in rows.exclude(pk__in=whole).select_related("source"):
        parts = held.get(obj.pk, [])
        bases = obj.bases.filter(pk__in=[row.base for row in parts]) or obj.bases.filter(channel=0)
        islands = bases[0].islands
        missing = islands - len(_held_numbers(parts, bases[0].pk))
        if missing or not parts:
            out.append((obj, missing, islands))
    return out


def present_objects(project: Project) -> QuerySet[MeshObject]:
    """Objects of the files that are there now: brought in by a step that counts, and not replaced by one."""
    steps = chain(project)
    rows = MeshObject.objects.filter(project=project, source__gathered__in=steps)
    return rows.exclude(source__replaced__in=steps)


def _held_numbers(rows: Sequence[MemberRow], base: int) -> set[int]:
    """Islands of a base layout that some members have."""
    return {int(n) for row in rows if row.base == base for n in row.numbers}


def _taken(
    project_id: int, states: dict[int, State], objects: Sequence[int], channel: int
) -> tuple[dict[int, State], State]:
    """States without some objects' layouts in a channel, and a state of these alone; new ones for
    those that lie nowhere."""
    wanted = {
        base.object_id: base
        for base in BaseLayout.objects.filter(
            object__in=objects, object__project=project_id, channel=channel, parent=None
        )
    }
    for pk in objects:
        if pk not in wanted:
            raise Refused(
                f"Object {pk} has no UV channel {channel + 1} in this project.",
                "objects",
                "Select others.",
            )
    # An object that is named twice is taken once.
    objects = list(dict.fromkeys(objects))
    left: dict[int, State] = {}
    first = next(iter(states.values()))
    taken = State("", (), first.tiles)
    for pk, state in states.items():
        places = {
            k
            for k, (row, base) in enumerate(_with_bases(state))
            if row.object in wanted and base.channel == channel
        }
        if places:
            left[pk], moved = split(state, places)
            taken = joined(taken, moved)
    for pk in objects:
        mine = [row for row in taken.members if row.object == pk]
        base = wanted[pk]
        missing = np.setdiff1d(np.arange(base.islands), list(_held_numbers(mine, base.pk)))
        if not mine or (len(missing) and all(row.base == base.pk for row in mine)):
            target = mine[0].target if mine else channel
            row = MemberRow(pk, base.pk, base.islands, target=target)
            row = row.only(missing) if len(missing) else row
            fresh = State("", (row,), first.tiles, islands=fresh_islands(row.islands))
            taken = joined(taken, fresh)
    return left, taken


def _with_bases(state: State) -> list[tuple[MemberRow, BaseLayout]]:
    bases = BaseLayout.objects.in_bulk([row.base for row in state.members])
    return [(row, bases[row.base]) for row in state.members]


def _state(states: dict[int, State], atlas_id: int) -> State:
    if atlas_id not in states:
        raise Conflict("This atlas has been deleted.", f"atlas {atlas_id}", "Undo brings it back.")
    return states[atlas_id]


def _checked(name: str) -> str:
    if not name.strip():
        raise Refused("The atlas has no name.", "name", "Give it one.")
    return name.strip()[:LONGEST_NAME]


def _counted(number: int, noun: str = "object") -> str:
    return f"{number:,} {noun if number == 1 else noun + 's'}"
