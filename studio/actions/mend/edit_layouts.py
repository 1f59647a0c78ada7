"""Edit layouts: cut, join, ease, straighten, project and flatten anew what was picked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import QuiltError
from quilt_core.scene.placement import apply_placements
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.actions.mend.new_bases import Remade, figure_row, keep_base, scene_of, with_bases
from studio.arrays import Layout, load_geometry, load_layout
from studio.models import BaseLayout, Revision
from studio.state import fresh_islands, spans

if TYPE_CHECKING:
    from quilt_core.flatten.edits.laid import Edited

FloatArray = NDArray[np.float64]
Report = Callable[[float, str], None]


@dataclass(frozen=True, eq=False)
class _Lying:
    """A member's layout as it lies on the sheets, in px."""

    uv: FloatArray
    """(C, 2), NaN for none."""
    corner_island: NDArray[np.int64]
    """(C,) of the base layout, -1 for none."""


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
    mesh_object = scene.objects[member.object.number]
    mesh = mesh_object.mesh
    lying = _lying(layout, k, mesh.corner_face)
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
    base, remade = _remade(layout, k, scene, lying, found, touched, area, params["verb"])
    after = lay_out(mesh, found.uv, points, tolerance)
    rows = [figure_row(figures_of(one.work, one.known)) for one in (after, laid)]
    return base, remade, found.note, {**rows[0], "was": rows[1]}


def _lying(layout: Layout, k: int, corner_face: NDArray[np.int64]) -> _Lying:
    first, last = spans(layout.state.members)[k]
    data = load_geometry(layout.members[k].base.geometry)
    island = data["face_island"][corner_face]
    placed = apply_placements(data["uv"], island, layout.placements[first:last])
    pixels = layout.pixels[first:last]
    size = pixels[island] if last > first else np.ones((len(island), 2))
    return _Lying(np.where((island >= 0)[:, None], placed * size, np.nan), island)


def _remade(
    layout: Layout,
    k: int,
    scene: Any,
    lying: _Lying,
    found: Edited,
    touched: NDArray[np.bool_],
    area: FloatArray,
    verb: str,
) -> tuple[BaseLayout, Remade]:
    """Base UVs of what changed are px over a square of the first tile's size; they lie apart from
    what did not change, so that nothing meets by chance."""
    member, uv = layout.members[k], found.uv
    mesh = scene.objects[member.object.number].mesh
    tile = layout.tiles[0]
    side = float(np.sqrt(tile.width * tile.height))
    old = load_geometry(member.base.geometry)
    both = np.isnan(uv) & np.isnan(lying.uv)
    changed_corner = ((uv != lying.uv) & ~both).any(axis=1) | touched
    island = lying.corner_island
    mine = np.zeros(member.base.islands + 1, bool)
    mine[island[changed_corner]] = True
    changed = mine[island] & ((island >= 0) | changed_corner)
    proportion = member.row.proportion or 1.0
    shape = np.array([np.sqrt(proportion), 1 / np.sqrt(proportion)]) * side
    base_uv = old["uv"].copy()
    base_uv[changed] = uv[changed] / shape
    shift = np.zeros(2)
    still = ~changed & np.isfinite(base_uv).all(axis=1)
    if still.any():
        shift[0] = np.ceil(base_uv[still, 0].max() - np.nanmin(base_uv[changed, 0])) + 1.0
        base_uv[changed] += shift
    base = keep_base(member.base, scene, base_uv, verb)
    new = load_geometry(base.geometry)["face_island"]
    first_face = np.unique(new[new >= 0], return_index=True)[1]
    faces = np.flatnonzero(new >= 0)[first_face]
    came_from = _largest_before(new, old["face_island"], area, len(faces))
    remade = changed[mesh.face_offsets[faces]]
    first, last = spans(layout.state.members)[k]
    rows = fresh_islands(len(faces))
    known = came_from >= 0
    rows[known] = layout.state.islands[first:last][came_from[known]]
    # Where it lies: by the sheet of the island it came from, as its px were taken there.
    pixels = np.full((len(faces), 2), (tile.width, tile.height), np.float64)
    pixels[known] = layout.pixels[first:last][came_from[known]]
    back = np.zeros((len(faces), 2, 3))
    back[:, 0, 0], back[:, 1, 1] = (shape / pixels).T
    back[:, :, 2] = -shift * shape / pixels
    rows["placement"][remade] = back[remade]
    return base, Remade(rows, remade & (found.aside | ~known))


def _largest_before(
    new: NDArray[np.int64], old: NDArray[np.int64], area: FloatArray, count: int
) -> NDArray[np.int64]:
    """(I,) for each new island the old one that most of its surface was in, -1 for none: of two that
    are joined the larger one stays, with what was said of it."""
    both = new >= 0
    wide = int(old.max(initial=-1)) + 2
    pair, index = np.unique(new[both] * wide + old[both] + 1, return_inverse=True)
    held = np.bincount(index, area[both], len(pair))
    out = np.full(count, -1, np.int64)
    order = np.argsort(held, kind="stable")
    # The last that is written is the largest.
    out[pair[order] // wide] = pair[order] % wide - 1
    return out
