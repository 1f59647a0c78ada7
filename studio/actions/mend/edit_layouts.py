"""Edit layouts: cut, join, ease, straighten, project and flatten anew what was picked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import QuiltError
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.actions.mend.new_bases import Remade, figure_row, object_of, scene_of, with_bases
from studio.actions.mend.where_it_lies import lying_of, remade_of
from studio.arrays import Layout, load_geometry, load_layout
from studio.models import BaseLayout, Revision
from studio.state import spans

Report = Callable[[float, str], None]


def edit_layouts(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> Made | None:
    """What an edit makes of a revision; None when the user wants nothing of it.

    `params`: verb; islands (numbers in the revision) and objects (id, faces, edges, corners), what is
    edited; options as `EditOptions` has them, lengths in px. Islands stay where they lie but for what
    is laid out anew, which comes to the side table.
    """
    layout = load_layout(revision)
    chosen = _picked(layout, params)
    if not chosen:
        raise Refused("Nothing is picked.", revision.name, "Pick islands, faces, edges or corners.")
    made: dict[int, BaseLayout] = {}
    kept: dict[int, Remade] = {}
    notes: list[str] = []
    figures: list[dict[str, Any]] = []
    refused: list[QuiltError] = []
    for done, (k, picks) in enumerate(sorted(chosen.items())):
        member = layout.members[k]
        report(done / len(chosen), f"{params['verb']}: {member.object.name}")
        if stop():
            return None
        try:
            found = _edited(layout, k, picks, params)
        except QuiltError as problem:
            # Of several objects those are edited that can be; one alone says why not.
            refused.append(problem)
            continue
        made[k], kept[k] = found[0], found[1]
        figures.append({"object": member.object.pk, "name": member.object.name, **found[3]})
        notes.append(f"{member.object.name}: {found[2]}" if len(chosen) > 1 else found[2])
    if not made:
        raise refused[0]
    names = [layout.members[k].object.name for k in made]
    what = f"“{names[0]}”" if len(names) == 1 else f"{len(names)} objects"
    told: dict[str, Any] = {
        "note": "; ".join(notes),
        "refused": len(refused),
        "done": params["verb"],
    }
    told["objects"] = figures
    return Made(
        params["verb"],
        with_bases(revision, layout.state, made, kept),
        f"{what}, {notes[0]}"[:200],
        told,
    )


def _picked(layout: Layout, params: dict[str, Any]) -> dict[int, dict[str, NDArray[np.int64]]]:
    """Faces, edges and corners for each member (by its place) that something was picked of."""
    place = {member.object.pk: k for k, member in enumerate(layout.members)}
    out: dict[int, dict[str, NDArray[np.int64]]] = {}
    for row in params.get("objects") or []:
        if row["id"] not in place:
            raise Refused(
                f"Object {row['id']} is not in this atlas.", layout.state.name, "Pick it again."
            )
        picks = {
            name: np.array(row.get(name) or [], np.int64) for name in ("faces", "edges", "corners")
        }
        if row.get("whole"):
            picks["faces"] = np.arange(layout.members[place[row["id"]]].object.faces)
        if any(len(values) for values in picks.values()):
            out[place[row["id"]]] = picks
    islands = np.array(params.get("islands") or [], np.int64)
    if len(islands) and islands.max() >= len(layout.state.islands):
        raise Refused(f"There is no island {islands.max()}.", layout.state.name, "Pick it again.")
    for k, (first, last) in enumerate(spans(layout.state.members)):
        own = islands[(islands >= first) & (islands < last)] - first
        if not len(own):
            continue
        member = layout.members[k]
        numbers = member.row.numbers[own]
        face_island = load_geometry(member.base.geometry)["face_island"]
        faces = np.flatnonzero(np.isin(face_island, numbers))
        picks = out.setdefault(
            k, {name: np.empty(0, np.int64) for name in ("faces", "edges", "corners")}
        )
        picks["faces"] = np.union1d(picks["faces"], faces)
    return out


def _edited(
    layout: Layout, k: int, picks: dict[str, NDArray[np.int64]], params: dict[str, Any]
) -> tuple[BaseLayout, Remade, str, dict[str, Any]]:
    """A member's new base layout, what its islands came from, what was done, and figures of it with
    those before."""
    from quilt_core.flatten.edits.laid import lay_out
    from quilt_core.flatten.edits.verbs import EditOptions, Picks, edit_layout
    from quilt_core.flatten.object_flat import world_points
    from quilt_core.flatten.result import figures_of

    member = layout.members[k]
    if member.row.part is not None:
        raise Refused(
            f"“{member.object.name}” lies in several atlases, by parts.",
            "objects",
            "Put all its islands into one atlas first.",
        )
    scene = scene_of(member.object.source)
    weld = max(member.base.weld, params.get("weld") or 0.0)
    mesh_object = object_of(member.base, scene, weld)
    mesh = mesh_object.mesh
    lying = lying_of(layout, k, mesh.corner_face)
    points, tile = world_points(mesh_object), layout.tiles[0]
    tolerance = member.object.source.uv_tolerance * max(tile.width, tile.height)
    laid = lay_out(
        mesh, lying.uv, points, tolerance,
        load_geometry(member.base.geometry)["face_island"],
    )  # fmt: skip
    names = {field.name for field in fields(EditOptions)}
    given = {name: value for name, value in params.items() if name in names and value is not None}
    given = {n: tuple(v) if isinstance(v, list) else v for n, v in given.items()}
    room = float(np.sqrt(tile.width * tile.height))
    options = EditOptions(**{"gap": layout.state.padding, "side": 4.0, "room": room, **given})
    found = edit_layout(laid, params["verb"], Picks(**picks), options)
    touched = np.zeros(len(lying.uv), bool)
    if found.touched is not None:
        touched[laid.shells.corner[found.touched].ravel()] = True
    area = np.bincount(laid.shells.face, laid.shells.area, mesh.face_count)
    base, remade = remade_of(layout, k, scene, lying, found, touched, area, params["verb"], weld)
    after = lay_out(mesh, found.uv, points, tolerance)
    rows = [figure_row(figures_of(one.work, one.known)) for one in (after, laid)]
    return base, remade, found.note, {**rows[0], "was": rows[1]}
