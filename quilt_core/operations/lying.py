"""A member's layout as it lies on the tiles, in px, and what becomes of its islands when UVs of it change."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.islands import fresh_islands
from quilt_core.document.layout import Layout, Made
from quilt_core.document.state import spans
from quilt_core.operations.bases import Remade, made_of
from quilt_core.scene.placement import apply_placements
from quilt_core.scene.types import BoolArray, FloatArray, IntArray


@dataclass(frozen=True, eq=False)
class Lying:
    """A member's layout on the tiles.

    Parameters
    ----------
    uv : (C, 2) float64
        px, NaN for none.
    corner_island : (C,) int64
        Of the base layout, -1 for none.
    """

    uv: FloatArray
    corner_island: IntArray


def lying_of(layout: Layout, k: int, corner_face: IntArray) -> Lying:
    """The layout of a member, by its place."""
    first, last = spans(layout.state.members)[k]
    base = layout.members[k].base_layout()
    island = base.face_island[corner_face]
    placed = apply_placements(base.uv, island, layout.placements[first:last])
    pixels = layout.pixels[first:last]
    size = pixels[island] if last > first else np.ones((len(island), 2))
    return Lying(np.where((island >= 0)[:, None], placed * size, np.nan), island)


def remade_of(
    document: Document,
    layout: Layout,
    k: int,
    lying: Lying,
    uv: FloatArray,
    aside: bool,
    touched: BoolArray,
    area: FloatArray,
    how: str,
    weld: float,
) -> tuple[Made, Remade]:
    """A base layout of what changed, and what becomes of its islands.

    Base UVs of what changed are px over a square of the first tile's size; they lie apart from what did not change, so that
    nothing meets by chance.

    Parameters
    ----------
    document : Document
    layout : Layout
    k : int
        Place of the member.
    lying : Lying
        As it was.
    uv : (C, 2) float64
        As it is now, px.
    aside : bool
        Whether what changed comes to the side table.
    touched : (C,) bool
        Corners that count as changed even where they lie as they did.
    area : (F,) float64
        Of the faces.
    how : str
        What made it.
    weld : float
    """
    member = layout.members[k]
    mesh = document.sources[member.source].scene().objects[member.number].mesh
    tile = layout.tiles[0]
    side = float(np.sqrt(tile.width * tile.height))
    old = member.base_layout()
    both = np.isnan(uv) & np.isnan(lying.uv)
    changed_corner = ((uv != lying.uv) & ~both).any(axis=1) | touched
    island = lying.corner_island
    mine = np.zeros(old.islands.count + 1, bool)
    mine[island[changed_corner]] = True
    changed = mine[island] & ((island >= 0) | changed_corner)
    proportion = member.row.proportion or 1.0
    shape = np.array([np.sqrt(proportion), 1 / np.sqrt(proportion)]) * side
    base_uv = old.uv.copy()
    base_uv[changed] = uv[changed] / shape
    shift = np.zeros(2)
    still = ~changed & np.isfinite(base_uv).all(axis=1)
    if still.any() and changed.any():
        shift[0] = np.ceil(base_uv[still, 0].max() - np.nanmin(base_uv[changed, 0])) + 1.0
        base_uv[changed] += shift
    made = made_of(document, member, base_uv, how, weld)
    new = made.base.face_island
    first_face = np.unique(new[new >= 0], return_index=True)[1]
    faces = np.flatnonzero(new >= 0)[first_face]
    came_from = largest_before(new, old.face_island, area, len(faces))
    remade = changed[mesh.face_offsets[faces]]
    first, last = spans(layout.state.members)[k]
    rows = fresh_islands(len(faces))
    known = came_from >= 0
    rows[known] = layout.state.islands[first:last][came_from[known]]
    # Where it lies: by the tile of the island it came from, as its px were taken there.
    pixels = np.full((len(faces), 2), (tile.width, tile.height), np.float64)
    pixels[known] = layout.pixels[first:last][came_from[known]]
    back = np.zeros((len(faces), 2, 3))
    back[:, 0, 0], back[:, 1, 1] = (shape / pixels).T
    back[:, :, 2] = -shift * shape / pixels
    rows["placement"][remade] = back[remade]
    return made, Remade(rows, remade & (aside | ~known))


def largest_before(new: IntArray, old: IntArray, area: FloatArray, count: int) -> IntArray:
    """(count,) for each new island the old one that most of its surface was in, -1 for none: of two that are joined the larger
    one stays, with what was said of it. `new` and `old` (F,) are the islands of the faces."""
    both = new >= 0
    wide = int(old.max(initial=-1)) + 2
    pair, index = np.unique(new[both] * wide + old[both] + 1, return_inverse=True)
    held = np.bincount(index, area[both], len(pair))
    out = np.full(count, -1, np.int64)
    order = np.argsort(held, kind="stable")
    # The last that is written is the largest.
    out[pair[order] // wide] = pair[order] % wide - 1
    return out
