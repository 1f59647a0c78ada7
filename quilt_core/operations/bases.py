"""New base layouts of objects, whatever made them, and where their islands go."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.base import made_base
from quilt_core.document.document import Document
from quilt_core.document.islands import ISLAND, fresh_islands
from quilt_core.document.layout import Layout, Made, Member
from quilt_core.document.state import MemberRow, spans
from quilt_core.errors import LayoutError
from quilt_core.measure.density import scale_about_centres
from quilt_core.operations.layouts import Selector
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.model import SceneObject
from quilt_core.scene.types import BoolArray, FloatArray
from quilt_core.scene.weld import welded
from quilt_core.unwrap.object_flat import with_channel

UNSAID = 512.0
"""px per metre of new islands where there is no house density."""


def select_objects(layout: Layout, selectors: Sequence[Selector], setting: str) -> list[int]:
    """Places of members that selectors name: by id, name or pattern.

    Raises
    ------
    LayoutError
        When one of them names nothing.
    """
    names = layout.object_names()
    out: dict[int, None] = {}
    for one in selectors:
        found = [
            k
            for k, (name, member) in enumerate(zip(names, layout.members, strict=True))
            if (member.row.object == one if isinstance(one, int) else _is(name, one))
        ]
        if not found:
            raise LayoutError(
                f"“{one}” names no object.", setting, f"There are {', '.join(names[:8])}."
            )
        out |= dict.fromkeys(found)
    return list(out)


def _is(name: str, text: str) -> bool:
    return name == text or fnmatchcase(name, text)


def object_of(document: Document, member: Member, weld: float | None = None) -> SceneObject:
    """The object of a member, with those of its vertices as one that count as one in its base layout."""
    obj = document.sources[member.source].scene().objects[member.number]
    return replace(obj, mesh=welded(obj.mesh, member.weld if weld is None else weld))


def made_of(
    document: Document, member: Member, uv: FloatArray, how: str, weld: float | None = None
) -> Made:
    """UVs (C, 2) of a member's object as a base layout in its channel."""
    source = document.sources[member.source]
    flat = with_channel(object_of(document, member, weld), member.channel, uv)
    base = made_base(flat, member.channel, source.scene(), source.uv_tolerance)
    return Made(base, flat, how, member.weld if weld is None else weld)


@dataclass(frozen=True, eq=False)
class Remade:
    """What becomes of a member's islands in another base layout.

    Parameters
    ----------
    rows : (I,) records of `ISLAND`
        With their places.
    aside : (I,) bool
        Islands without a place: they come to the side table.
    """

    rows: NDArray[Any]
    aside: BoolArray


def with_bases(
    document: Document,
    layout: Layout,
    made: Mapping[int, Made],
    kept: Mapping[int, Remade] | None = None,
) -> Layout:
    """The layout with other base layouts for some members, by their places. Their islands lie on the side table at the
    house density, but for those of members in `kept`, which says what lies where."""
    from quilt_core.pack.side_table import lay_aside

    kept = kept or {}
    members: list[Member] = []
    rows: list[MemberRow] = []
    parts, fresh = [np.zeros(0, ISLAND)], [np.zeros(0, bool)]
    for k, (member, span) in enumerate(
        zip(layout.members, spans(layout.state.members), strict=True)
    ):
        own = layout.state.islands[slice(*span)]
        if k in made:
            member = member.with_base(made[k])
            own = kept[k].rows if k in kept else fresh_islands(member.row.islands)
        members.append(member)
        rows.append(member.row)
        parts.append(own)
        fresh.append(kept[k].aside if k in kept else np.full(len(own), k in made))
    which = np.concatenate(fresh)
    state = replace(layout.state, members=tuple(rows), islands=np.concatenate(parts))
    layout = replace(layout, state=state, members=members)
    if not which.any():
        return layout
    tile = state.tiles[0]
    side = float(np.sqrt(tile.width * tile.height))
    factor = _to_density(layout, which, document.house_density or UNSAID, side)
    placements = scale_about_centres(layout.islands, layout.placements, factor)
    settings = PackSettings(
        padding=state.padding, margin=state.margin, tiles=tuple(t.size for t in state.tiles)
    )
    placed = lay_aside(layout.islands, placements, which, settings, layout.pixels, layout.unplaced)
    return layout.having(state.having(placements=placed, unplaced=layout.unplaced | which))


def _to_density(layout: Layout, which: BoolArray, density: float, side: float) -> FloatArray:
    """(I,) factor that brings new islands to a density: within an object they share one."""
    islands = layout.islands
    count = int(islands.object_index.max(initial=-1)) + 1
    flat_area = islands.placed(layout.placements).uv_area
    world = np.bincount(islands.object_index[which], islands.world_area[which], count)
    flat = np.bincount(islands.object_index[which], flat_area[which], count)
    factor = density / side * np.sqrt(world / np.maximum(flat, 1e-300))
    return np.asarray(np.where(which, factor[islands.object_index], 1.0))
