"""Give an object's layout to its look-alikes: objects of equal topology."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.actions.mend.new_bases import Remade, keep_base, object_of, scene_of, with_bases
from studio.arrays import Member, load_geometry, members_with_rows
from studio.models import BaseLayout, Revision
from studio.state import State, read_state, spans

Report = Callable[[float, str], None]


def copy_layouts(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> Made | None:
    """What copying makes of a revision; None when the user wants nothing of it.

    `params`: object (id) whose layout is copied, to (ids; none for all that are alike), stack (whether
    copies lie on its islands and share their texels; else they come to the side table), number (of the
    match, where a symmetric mesh has several; the closest in shape first).
    """
    from quilt_core.flatten.alike import find_match
    from quilt_core.flatten.object_flat import world_points
    from quilt_core.flatten.result import stretch_of

    state = read_state(revision)
    members = members_with_rows(state.members)
    source = next((m for m in members if m.object.pk == params["object"]), None)
    if source is None or source.base.islands == 0:
        raise Refused(
            "This object has no layout." if source else "This object is not in this atlas.",
            revision.name,
            "Flatten it first, or pick another one.",
        )
    if params.get("stack") and source.row.part is not None:
        raise Refused(
            f"“{source.object.name}” lies in several atlases, by parts.",
            "stack",
            "Put all its islands into one atlas first, or copy its layout without stacks.",
        )
    uv = load_geometry(source.base.geometry)["uv"]
    first = object_of(source.base, scene_of(source.object.source)).mesh
    wanted = set(params.get("to") or [])
    if params.get("stack"):
        state = _stacked(state, members.index(source))
    made: dict[int, BaseLayout] = {}
    kept: dict[int, Remade] = {}
    rows: list[dict[str, Any]] = []
    for k, member in enumerate(members):
        if member is source or member.row.part is not None:
            continue
        if wanted and member.object.pk not in wanted:
            continue
        report(k / len(members), f"comparing {member.object.name}")
        if stop():
            return None
        # The number of faces tells most of them apart without a look at the file.
        if member.object.faces != source.object.faces:
            continue
        scene = scene_of(member.object.source)
        other = object_of(member.base, scene, source.base.weld)
        match = find_match(first, other.mesh, params.get("number", 0))
        if match is None:
            continue
        copied = uv[match.corner]
        made[k] = keep_base(member.base, scene, copied, "copied", source.base.weld)
        made[k].copied_from = source.object
        if params.get("stack"):
            kept[k] = _on_top(
                state, members.index(source), source, made[k], match.corner, other.mesh
            )
        rows.append(
            {
                "object": member.object.pk,
                "name": member.object.name,
                "mirrored": match.mirrored,
                "number": match.number,
                "matches": match.matches,
                "stack": bool(params.get("stack")),
                "misfit": round(match.misfit, 6),
                "l2": round(stretch_of(other.mesh, world_points(other), copied), 4),
            }
        )
    if not made:
        raise Refused(
            f"Nothing in this atlas has the topology of “{source.object.name}”.",
            revision.name,
            "Pick another object.",
        )
    what = f"“{source.object.name}” to {len(made)} look-{'alike' if len(made) == 1 else 'alikes'}"
    return Made("copy layout", with_bases(revision, state, made, kept), what, {"objects": rows})


def _stacked(state: State, place: int) -> State:
    """The state with each island of a member in a stack."""
    first, last = spans(state.members)[place]
    controls = state.controls
    stack = controls["stack"][first:last]
    alone = stack < 0
    stack[alone] = int(controls["stack"].max(initial=-1)) + 1 + np.arange(int(alone.sum()))
    controls["stack"][first:last] = stack
    return state.having(controls=controls)


def _on_top(
    state: State, place: int, source: Member, base: BaseLayout, corner: Any, mesh: Any
) -> Remade:
    """Islands of a copy on those that they were copied from."""
    face_island = load_geometry(base.geometry)["face_island"]
    faces = np.unique(face_island, return_index=True)[1][-base.islands :]
    old = load_geometry(source.base.geometry)["face_island"]
    first_mesh_corner = corner[mesh.face_offsets[faces]]
    scene_mesh = scene_of(source.object.source).objects[source.object.number].mesh
    came_from = old[scene_mesh.corner_face[first_mesh_corner]]
    first, last = spans(state.members)[place]
    return Remade(state.islands[first:last][came_from].copy(), np.zeros(base.islands, bool))
