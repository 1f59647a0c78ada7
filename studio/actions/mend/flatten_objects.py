"""Flatten objects: cut them into charts and lay these on the side table, at the house density."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from quilt_core.formats import read_scene
from quilt_core.measure.density import scale_about_centres
from quilt_core.pack.problem import PackSettings
from quilt_core.scene import Scene
from studio import storage
from studio.actions.errors import Refused
from studio.actions.gather.gather_files import siblings_in
from studio.actions.history.change import Made
from studio.arrays import Base, Layout, members_with_rows, read_base, store_geometry
from studio.models import BaseLayout, Revision, Source
from studio.state import ISLAND, MemberRow, State, fresh_islands, read_state, spans

Report = Callable[[float, str], None]


def flatten_objects(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> Made | None:
    """What flattening makes of a revision; None when the user wants nothing of it.

    `params`: objects (ids; none for all without usable UVs), charts, angle, stretch. A run that is
    stopped keeps what is flat so far, object by object, when the user wants that.
    """
    from quilt_core.flatten import FlattenSettings

    settings = FlattenSettings(
        charts=params["charts"], angle=params["angle"], stretch=params["stretch"]
    )
    state = read_state(revision)
    members = members_with_rows(state.members)
    wanted = set(params.get("objects") or [])
    chosen = [
        k
        for k, member in enumerate(members)
        if (member.object.pk in wanted if wanted else lacks_layout(member.base))
    ]
    if not chosen:
        raise Refused(
            "None of these objects is in this atlas." if wanted else "Every object has usable UVs.",
            revision.name,
            "Pick the objects that are to be flattened.",
        )
    scenes: dict[int, Scene] = {}
    made: dict[int, BaseLayout] = {}
    figures: list[dict[str, Any]] = []
    for done, k in enumerate(chosen):
        member = members[k]
        if member.row.part is not None:
            raise Refused(
                f"“{member.object.name}” lies in several atlases, by parts.",
                "objects",
                "Put all its islands into one atlas first.",
            )
        source = member.object.source
        if source.pk not in scenes:
            scenes[source.pk] = _scene(source)
        tell = partial(_tell, report, done / len(chosen), 1 / len(chosen), member.object.name)
        base, row = _flat(member.base, scenes[source.pk], settings, tell, stop)
        if stop() == "drop":
            return None
        if base is not None:
            made[k] = base
            figures.append(row)
        if stop():
            break
    if not made:
        raise Refused(
            "There is no face that could be flattened.", revision.name, "Look at the meshes."
        )
    what = f"{len(made)} {'object' if len(made) == 1 else 'objects'}, {_way(params)}"
    return Made(
        "flatten",
        _with_bases(revision, state, made),
        what,
        {"way": _way(params), "objects": figures},
    )


def lacks_layout(base: BaseLayout) -> bool:
    """Whether an object needs to be flattened: it has no UVs, or they are of no use."""
    return base.useless or (base.islands == 0 and base.unflattened > 0)


def _way(params: dict[str, Any]) -> str:
    ways = {
        "shape": f"few seams, stretch up to {params['stretch']:g}",
        "angle": f"seams from {params['angle']:g}°",
        "hard": "seams at hard edges",
        "material": "seams between materials",
        "one": "one piece each",
    }
    return ways[params["charts"]]


def _tell(report: Report, start: float, share: float, name: str, progress: float) -> None:
    report(start + share * progress, f"flattening {name}")


def _scene(source: Source) -> Scene:
    """A source as it was brought in, with the files beside it."""
    beside = {
        s.name: s.sha256
        for s in Source.objects.filter(folder=source.folder, project=source.project_id)
    }
    find = siblings_in(beside, source.name, lambda name: storage.get(beside[name]))
    return read_scene(
        source.name.rsplit("/", 1)[-1], storage.get(source.sha256), find, source.metres_per_unit
    )


def _flat(
    old: BaseLayout,
    scene: Scene,
    settings: Any,
    tell: Callable[[float], None],
    stop: Callable[[], str],
) -> tuple[BaseLayout | None, dict[str, Any]]:
    """A new base layout of an object, and its figures."""
    from quilt_core.flatten import Stage, flatten_mesh
    from quilt_core.flatten.object_flat import with_channel, world_points

    def on_stage(stage: Stage) -> bool:
        tell(stage.progress)
        return not stop()

    mesh_object = scene.objects[old.object.number]
    found = flatten_mesh(mesh_object.mesh, settings, world_points(mesh_object), on_stage)
    if not found.charts:
        return None, {}
    flat = with_channel(mesh_object, old.channel, found.uv)
    read = read_base(flat, old.channel, scene, old.object.source.uv_tolerance)
    # Laid out for square texels, whatever pictures the object brought.
    square = replace(read.islands, proportion=np.ones(read.islands.count))
    base = Base(read.uv, read.face_island, square, read.surface)
    row = BaseLayout.objects.create(
        object=old.object,
        channel=old.channel,
        verb="flattened",
        parent=old,
        geometry=store_geometry(flat, base),
        islands=square.count,
        unflattened=square.unflattened[0],
    )
    return row, {
        "object": old.object.pk,
        "name": old.object.name,
        "charts": found.charts,
        "seam": round(found.seam_length, 4),
        "l2": round(found.stretch_l2, 5),
        "p95": round(found.stretch_p95, 4),
        "energy": round(found.energy, 4),
        "flipped": found.flipped,
        "seconds": round(found.seconds, 2),
    }


def _with_bases(revision: Revision, state: State, made: dict[int, BaseLayout]) -> State:
    """The state with other base layouts; their islands lie on the side table at the house density."""
    from quilt_core.pack.layout import lay_aside

    members: list[MemberRow] = []
    parts, fresh = [np.zeros(0, ISLAND)], [np.zeros(0, bool)]
    for k, (row, span) in enumerate(zip(state.members, spans(state.members), strict=True)):
        own = state.islands[slice(*span)]
        if k in made:
            row = replace(row, base=made[k].pk, islands=made[k].islands)
            own = fresh_islands(row.islands)
        members.append(row)
        parts.append(own)
        fresh.append(np.full(len(own), k in made))
    which = np.concatenate(fresh)
    state = replace(state, members=tuple(members), islands=np.concatenate(parts))
    layout = Layout(revision, state, members_with_rows(members))
    house, tile = revision.atlas.project.house_density, state.tiles[0]
    factor = _to_house(layout, which, house, np.sqrt(tile.width * tile.height))
    placements = scale_about_centres(layout.islands, layout.placements, factor)
    settings = PackSettings(
        padding=state.padding, margin=state.margin, tiles=tuple(t.size for t in state.tiles)
    )
    placed = lay_aside(layout.islands, placements, which, settings, layout.pixels, layout.unplaced)
    return layout.state.having(placements=placed, unplaced=layout.unplaced | which)


def _to_house(layout: Layout, which: Sequence[bool], house: float, side: float) -> Any:
    """(I,) factor that brings new islands to the house density: within an object they share one."""
    islands = layout.islands
    count = int(islands.object_index.max(initial=-1)) + 1
    world = np.bincount(islands.object_index, islands.world_area, count)
    flat = np.bincount(islands.object_index, islands.uv_area, count)
    factor = house / side * np.sqrt(world / np.maximum(flat, 1e-300))
    return np.where(which, factor[islands.object_index], 1.0)
