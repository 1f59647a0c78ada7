"""Where all faces of the sources lie on the tiles of some atlases."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.document.document import Document, Source
from quilt_core.document.layout import Layout
from quilt_core.document.state import spans
from quilt_core.formats.merge_settings import Sheet
from quilt_core.scene.layout import placed_corner_uvs
from quilt_core.scene.model import Scene
from quilt_core.scene.tiles import home_tiles
from quilt_core.scene.types import FloatArray, IntArray


@dataclass(frozen=True, eq=False)
class LaidOut:
    """Sources with the layouts of their objects.

    Parameters
    ----------
    sources : list of Source
    scenes : list of Scene
    sheets : list of Sheet
        One for each tile.
    uvs : for each source, for each object (C, 2) float64 or None
        In the tiles' plane, NaN for corners that lie in none of the atlases.
    faces : for each source, for each object (F,) int64 or None
        Sheet of each face, -1 for none.
    layouts : dict
        Titles of the sheets to the place of the layout that they are of.
    """

    sources: list[Source]
    scenes: list[Scene]
    sheets: list[Sheet]
    uvs: list[list[FloatArray | None]]
    faces: list[list[IntArray | None]]
    layouts: dict[str, int]


def lay_out(
    document: Document, layouts: Sequence[Layout], name: str, width: int | None = None
) -> LaidOut:
    """Put the layouts of atlases together.

    Parameters
    ----------
    document : Document
    layouts : sequence of Layout
    name : str
        Of the sheets of the only atlas; those of several are called like these.
    width : int, optional
        Of the first tile of each atlas, px, the others in proportion.
    """
    keys = list(dict.fromkeys(m.source for layout in layouts for m in layout.members))
    sources = [document.sources[key] for key in keys]
    scenes = [source.scene() for source in sources]
    at = {key: k for k, key in enumerate(keys)}
    uvs: list[list[Any]] = [[None] * len(scene.objects) for scene in scenes]
    faces: list[list[Any]] = [[None] * len(scene.objects) for scene in scenes]
    sheets: list[Sheet] = []
    taken: set[str] = set()
    of_sheet: dict[str, int] = {}
    for place, layout in enumerate(layouts):
        title = name if len(layouts) == 1 else _free_name(layout.state.name, taken)
        tiles = [tile.size for tile in layout.tiles]
        first = len(sheets)
        sheets += [
            Sheet(title, tile.width, tile.height, tile.number if len(tiles) > 1 else 0)
            for tile in scaled_tiles(layout, width)
        ]
        of_sheet |= {sheet.title: place for sheet in sheets[first:]}
        home = home_tiles(layout.islands, layout.placements, tiles)
        corner = np.array(tiles[0].corner, np.float64) if len(tiles) == 1 else np.zeros(2)
        for k, member in enumerate(layout.members):
            start, stop = spans(layout.state.members)[k]
            row, number = at[member.source], member.number
            mesh = scenes[row].objects[number].mesh
            uv, island = placed_member(layout, k, mesh.corner_face)
            uv = uv - corner
            own = np.full(mesh.face_count, -1, np.int64)
            has = island >= 0
            own[has] = first + home[start:stop][island[has]]
            if uvs[row][number] is None:
                uvs[row][number], faces[row][number] = uv, own
                continue
            here = np.flatnonzero(own >= 0)
            faces[row][number][here] = own[here]
            mine = own[mesh.corner_face] >= 0
            uvs[row][number][mine] = uv[mine]
    return LaidOut(sources, scenes, sheets, uvs, faces, of_sheet)


def scaled_tiles(layout: Layout, width: int | None) -> list[Any]:
    """Tiles (`TileSize`) with another width of the first one, the others in proportion."""
    from dataclasses import replace

    scale = width / layout.tiles[0].width if width else 1.0
    return [
        replace(
            tile.size,
            width=max(16, round(tile.width * scale)),
            height=max(16, round(tile.height * scale)),
        )
        for tile in layout.tiles
    ]


def placed_member(layout: Layout, k: int, corner_face: IntArray) -> tuple[FloatArray, IntArray]:
    """(C, 2) UVs of a member's corners on the tiles, NaN for those without a place, and (F,) the member's island of each
    face, -1 for none."""
    member = layout.members[k]
    base = member.base_layout()
    here = np.full(int(base.face_island.max(initial=-1)) + 2, -1)
    here[member.row.numbers] = np.arange(len(member.row.numbers))
    island = np.asarray(here[base.face_island])
    first, last = spans(layout.state.members)[k]
    found = placed_corner_uvs(base.uv, island[corner_face], layout.placements[first:last], True)
    return np.full_like(base.uv, np.nan) if found is None else found, island


def _free_name(wanted: str, taken: set[str]) -> str:
    """What names of an atlas's textures begin with."""
    base = re.sub(r"[^\w.-]+", "_", wanted).strip("_.-") or "atlas"
    name, number = base, 1
    while name in taken:
        number += 1
        name = f"{base}-{number}"
    taken.add(name)
    return name
