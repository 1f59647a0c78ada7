"""Where all faces of the files lie on the sheets of some atlases."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.tiles import home_tiles
from studio.actions.mend.new_bases import object_of, scene_of
from studio.arrays import Layout, load_geometry
from studio.models import Source
from studio.state import spans


@dataclass(frozen=True, eq=False)
class LaidOut:
    """Files with the layouts of their objects.

    Parameters
    ----------
    sources : list of Source
    scenes : list of Scene
    sheets : list of Sheet
    uvs : for each file, for each object (C, 2) float64 or None
        In the tiles' plane, NaN for corners that lie in none of the atlases.
    faces : for each file, for each object (F,) int64 or None
        Sheet of each face, -1 for none.
    revisions : dict
        Titles of the sheets to the revisions that they are of.
    """

    sources: list[Source]
    scenes: list[Any]
    sheets: list[Any]
    uvs: list[list[Any]]
    faces: list[list[NDArray[np.int64] | None]]
    revisions: dict[str, int]


def lay_out(layouts: list[Layout], name: str, width: int) -> LaidOut:
    """Put the layouts of atlases together.

    Parameters
    ----------
    layouts : list of Layout
    name : str
        Of the sheets of the only atlas; those of several are called like these.
    width : int
        Of the first sheet of each atlas, px, the others in proportion; 0 for what they have.
    """
    from quilt_core.formats.merge_settings import Sheet

    found = {m.object.source.pk: m.object.source for layout in layouts for m in layout.members}
    sources = list(found.values())
    scenes = [scene_of(source) for source in sources]
    at = {pk: k for k, pk in enumerate(found)}
    uvs: list[list[Any]] = [[None] * len(scene.objects) for scene in scenes]
    faces: list[list[Any]] = [[None] * len(scene.objects) for scene in scenes]
    sheets: list[Sheet] = []
    taken: set[str] = set()
    revisions: dict[str, int] = {}
    for layout in layouts:
        title = name if len(layouts) == 1 else _free_name(layout.revision.name, taken)
        scale = width / layout.tiles[0].width if width else 1.0
        tiles = [tile.size for tile in layout.tiles]
        first = len(sheets)
        sheets += [
            Sheet(
                title, max(16, round(tile.width * scale)), max(16, round(tile.height * scale)),
                tile.number if len(tiles) > 1 else 0,
            )
            for tile in tiles
        ]  # fmt: skip
        revisions |= {sheet.title: layout.revision.pk for sheet in sheets[first:]}
        home = home_tiles(layout.islands, layout.placements, tiles)
        if len(tiles) == 1:
            corner = np.array(tiles[0].corner, np.float64)
        for k, (member, (start, stop)) in enumerate(
            zip(layout.members, spans(layout.state.members), strict=True)
        ):
            place, number = at[member.object.source_id], member.object.number
            mesh = object_of(member.base, scenes[place]).mesh
            uv, island = _placed(layout, k, mesh.corner_face)
            if len(tiles) == 1:
                uv = uv - corner
            own = np.full(mesh.face_count, -1, np.int64)
            has = island >= 0
            own[has] = first + home[start:stop][island[has]]
            if uvs[place][number] is None:
                uvs[place][number], faces[place][number] = uv, own
                continue
            here = np.flatnonzero(own >= 0)
            faces[place][number][here] = own[here]
            mine = own[mesh.corner_face] >= 0
            uvs[place][number][mine] = uv[mine]
    return LaidOut(sources, scenes, sheets, uvs, faces, revisions)


def _free_name(wanted: str, taken: set[str]) -> str:
    """What names of an atlas's pictures begin with."""
    base = re.sub(r"[^\w.-]+", "_", wanted).strip("_.-") or "atlas"
    name, number = base, 1
    while name in taken:
        number += 1
        name = f"{base}-{number}"
    taken.add(name)
    return name


def _placed(
    layout: Layout, k: int, corner_face: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """(C, 2) UVs of a member's corners on the sheets, NaN for those without a place, and (F,) the
    member's island of each face, -1 for none."""
    from quilt_core.scene.layout import placed_corner_uvs

    member = layout.members[k]
    data = load_geometry(member.base.geometry)
    here = np.full(int(data["face_island"].max(initial=-1)) + 2, -1)
    here[member.row.numbers] = np.arange(len(member.row.numbers))
    island = np.asarray(here[data["face_island"]])
    first, last = spans(layout.state.members)[k]
    found = placed_corner_uvs(data["uv"], island[corner_face], layout.placements[first:last], True)
    return np.full_like(data["uv"], np.nan) if found is None else found, island
