"""A member's layout as it lies on the sheets, and what becomes of its islands when UVs of it change."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.placement import apply_placements
from studio.actions.mend.new_bases import Remade, keep_base
from studio.arrays import Layout, load_geometry
from studio.models import BaseLayout
from studio.state import fresh_islands, spans

if TYPE_CHECKING:
    from quilt_core.flatten.edits.laid import Edited

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Lying:
    """A member's layout as it lies on the sheets, in px."""

    uv: FloatArray
    """(C, 2), NaN for none."""
    corner_island: NDArray[np.int64]
    """(C,) of the base layout, -1 for none."""


def lying_of(layout: Layout, k: int, corner_face: NDArray[np.int64]) -> Lying:
    first, last = spans(layout.state.members)[k]
    data = load_geometry(layout.members[k].base.geometry)
    island = data["face_island"][corner_face]
    placed = apply_placements(data["uv"], island, layout.placements[first:last])
    pixels = layout.pixels[first:last]
    size = pixels[island] if last > first else np.ones((len(island), 2))
    return Lying(np.where((island >= 0)[:, None], placed * size, np.nan), island)


def remade_of(
    layout: Layout,
    k: int,
    scene: Any,
    lying: Lying,
    found: Edited,
    touched: NDArray[np.bool_],
    area: FloatArray,
    verb: str,
    weld: float,
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
    if still.any() and changed.any():
        shift[0] = np.ceil(base_uv[still, 0].max() - np.nanmin(base_uv[changed, 0])) + 1.0
        base_uv[changed] += shift
    base = keep_base(member.base, scene, base_uv, verb, weld)
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
