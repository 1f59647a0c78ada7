"""Parts of a project that a change touches, by name, and whether two changes meet.

A part is named settings/<name> or atlas/<id>/<what>; where few islands are touched their numbers
stand with it.
"""

from __future__ import annotations

from typing import Any

from quilt_core.document.state import State, changed_islands

Parts = dict[str, list[int] | None]
"""Names of parts; with the islands, or None for all of them."""
MOST_NAMED = 200
"""More islands than that are all of them."""


def within(atlas_id: int, what: str) -> str:
    """Name of a part of an atlas; "" for all of it."""
    return f"atlas/{atlas_id}/{what}"


def of_member(object_id: int) -> str:
    """What is said of a member of an atlas."""
    return f"{MEMBER}{object_id}"


MEMBER = "member "


def touched_of(name: str) -> tuple[int | None, str, int | None]:
    """What a part is called: its atlas (None for settings), what of it, and the object where it is a member.

    Examples
    --------
    >>> touched_of("settings/name"), touched_of("atlas/3/tiles"), touched_of("atlas/3/member 5")
    ((None, 'name', None), (3, 'tiles', None), (3, '', 5))
    """
    place, _, rest = name.partition("/")
    if place == "settings":
        return None, rest, None
    atlas, _, what = rest.partition("/")
    if what.startswith(MEMBER):
        return int(atlas), "", int(what.removeprefix(MEMBER))
    return int(atlas), what, None


def meet(one: Parts, two: Parts) -> bool:
    """Whether two changes have a part in common."""
    for a, mine in one.items():
        for b, others in two.items():
            if a == b:
                if mine is None or others is None or set(mine) & set(others):
                    return True
            elif (a.endswith("/") and b.startswith(a)) or (b.endswith("/") and a.startswith(b)):
                return True
    return False


def settings_parts(before: dict[str, Any], after: dict[str, Any]) -> Parts:
    """What differs between two settings of a project."""
    return {f"settings/{name}": None for name in after if before.get(name) != after[name]}


def parts_of_atlas(atlas_id: int, before: State, after: State) -> Parts:
    """What differs between two states of an atlas."""
    out: Parts = {}
    if before.name != after.name:
        out[within(atlas_id, "name")] = None
    if before.tiles != after.tiles:
        out[within(atlas_id, "tiles")] = None
    if (before.padding, before.margin) != (after.padding, after.margin):
        out[within(atlas_id, "distances")] = None
    for one, two in zip(before.members, after.members, strict=False):
        if (*one.layout_key, one.part) != (*two.layout_key, two.part):
            out[within(atlas_id, "members")] = None
        elif one != two:
            out[within(atlas_id, of_member(one.object))] = None
    if len(after.members) < len(before.members):
        out[within(atlas_id, "members")] = None
    elif len(after.members) > len(before.members):
        out[within(atlas_id, "added")] = None
    if within(atlas_id, "members") in out:
        out[within(atlas_id, "islands")] = None
        return out
    count = len(before.islands)
    same = after if len(after.islands) == count else _first(after, count, len(before.members))
    changed = changed_islands(before, same)
    if changed is None or len(changed) > MOST_NAMED:
        out[within(atlas_id, "islands")] = None
    elif len(changed):
        out[within(atlas_id, "islands")] = changed.tolist()
    return out


def _first(state: State, islands: int, members: int) -> State:
    """The first members of a state."""
    return State(
        state.name,
        state.members[:members],
        state.tiles,
        state.padding,
        state.margin,
        state.islands[:islands],
    )
