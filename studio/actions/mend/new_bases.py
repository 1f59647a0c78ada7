"""New base layouts of objects in an atlas, whatever made them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.formats import read_scene
from quilt_core.measure.density import scale_about_centres
from quilt_core.pack.problem import PackSettings
from quilt_core.scene import Scene, SceneObject
from quilt_core.scene.weld import welded
from studio import storage
from studio.actions.gather.gather_files import siblings_in
from studio.arrays import Base, Layout, members_with_rows, read_base, store_geometry
from studio.models import BaseLayout, Revision, Source
from studio.state import ISLAND, MemberRow, State, fresh_islands, spans

if TYPE_CHECKING:
    from quilt_core.flatten.result import Figures


def scene_of(source: Source) -> Scene:
    """A source as it was brought in, with the files beside it; the last one is kept, as edits by hand
    follow one another."""
    return _scene(source, source.sha256, source.metres_per_unit)


@lru_cache(maxsize=1)
def _scene(source: Source, sha256: str, metres_per_unit: float) -> Scene:
    beside = {
        s.name: s.sha256
        for s in Source.objects.filter(folder=source.folder, project=source.project_id)
    }
    find = siblings_in(beside, source.name, lambda name: storage.get(beside[name]))
    return read_scene(source.name.rsplit("/", 1)[-1], storage.get(sha256), find, metres_per_unit)


def object_of(base: BaseLayout, scene: Scene, weld: float | None = None) -> SceneObject:
    """The object of a base layout, with those of its vertices as one that count as one there."""
    obj = scene.objects[base.object.number]
    return replace(obj, mesh=welded(obj.mesh, base.weld if weld is None else weld))


def keep_base(
    old: BaseLayout, scene: Scene, uv: Any, verb: str, weld: float | None = None
) -> BaseLayout:
    """UVs (C, 2) of an object as a base layout that follows an old one; `with_bases` saves its row, so
    that work that is given up leaves none."""
    from quilt_core.flatten.object_flat import with_channel

    flat = with_channel(object_of(old, scene, weld), old.channel, uv)
    read = read_base(flat, old.channel, scene, old.object.source.uv_tolerance)
    # Laid out for square texels, whatever pictures the object brought.
    square = replace(read.islands, proportion=np.ones(read.islands.count))
    base = Base(read.uv, read.face_island, square, read.surface)
    return BaseLayout(
        object=old.object,
        channel=old.channel,
        verb=verb,
        parent=old,
        geometry=store_geometry(flat, base),
        islands=square.count,
        unflattened=square.unflattened[0],
        weld=old.weld if weld is None else weld,
    )


@dataclass(frozen=True, eq=False)
class Remade:
    """What becomes of a member's islands in another base layout."""

    rows: Any
    """(I,) records of `ISLAND`, with their places."""
    aside: NDArray[np.bool_]
    """(I,) islands without a place: they come to the side table."""


def with_bases(
    revision: Revision,
    state: State,
    made: dict[int, BaseLayout],
    kept: dict[int, Remade] | None = None,
) -> State:
    """The state with other base layouts. Their islands lie on the side table at the house density,
    but for those of members that are in `kept`, which says what lies where."""
    from quilt_core.pack.layout import lay_aside

    kept = kept or {}

    for base in made.values():
        base.save()
    members: list[MemberRow] = []
    parts, fresh = [np.zeros(0, ISLAND)], [np.zeros(0, bool)]
    for k, (row, span) in enumerate(zip(state.members, spans(state.members), strict=True)):
        own = state.islands[slice(*span)]
        if k in made:
            row = replace(row, object=made[k].object_id, base=made[k].pk, islands=made[k].islands)
            own = kept[k].rows if k in kept else fresh_islands(row.islands)
        members.append(row)
        parts.append(own)
        fresh.append(kept[k].aside if k in kept else np.full(len(own), k in made))
    which = np.concatenate(fresh)
    state = replace(state, members=tuple(members), islands=np.concatenate(parts))
    if not which.any():
        return state
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
    mine = np.asarray(which, bool)
    flat_area = islands.placed(layout.placements).uv_area
    world = np.bincount(islands.object_index[mine], islands.world_area[mine], count)
    flat = np.bincount(islands.object_index[mine], flat_area[mine], count)
    factor = house / side * np.sqrt(world / np.maximum(flat, 1e-300))
    return np.where(which, factor[islands.object_index], 1.0)


def figure_row(figures: Figures) -> dict[str, Any]:
    """Figures of a layout as jobs tell them."""
    return {
        "charts": figures.charts,
        "seam": round(figures.seam_length, 4),
        "l2": round(figures.stretch_l2, 5),
        "p95": round(figures.stretch_p95, 4),
        "energy": round(figures.energy, 4),
        "flipped": figures.flipped,
    }
