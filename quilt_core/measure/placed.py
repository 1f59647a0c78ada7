"""Where each island of a layout lies, whatever the others do."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure.density import EVERY, Rows, island_densities
from quilt_core.measure.figures import EDGE_TOLERANCE_PX
from quilt_core.scene.island_set import IslandSet, bounds_of
from quilt_core.scene.mesh import FLOAT32
from quilt_core.scene.placement import apply_placements, determinants
from quilt_core.scene.tiles import TileSize, tiles_of_boxes
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

ROUNDINGS = 4.0
"""Two outlines may be off by so many roundings of a coordinate: both ends, in both directions."""


@dataclass(frozen=True, eq=False)
class PlacedIslands:
    """Where each island lies, whatever the others do.

    Parameters
    ----------
    placed : IslandSet
        In tile UVs.
    box : (I, 4) float64
    home : (I,) int64
        Position of the tile that holds the middle, -1 for none.
    size : (I, 2) float64
        px per UV of that tile, else of the first one.
    density : (I,) float64
        px per metre.
    noise : (I,) float64
        px by which the outline may be off.
    outside : (I,) bool
    edge : (I,) float64
        px to the edge of the tile.
    whole : (I,) bool
        Islands that have not collapsed.
    inside : (I, T) bool
        Those of them that reach into each tile.
    """

    placed: IslandSet
    box: FloatArray
    home: IntArray
    size: FloatArray
    density: FloatArray
    noise: FloatArray
    outside: BoolArray
    edge: FloatArray
    whole: BoolArray
    inside: BoolArray


def lie_of(islands: IslandSet, placements: FloatArray, tiles: Sequence[TileSize]) -> PlacedIslands:
    """Where the islands lie."""
    placed = islands.placed(placements)
    return PlacedIslands(
        placed=placed, **_where(islands, placements, tiles, placed.bounds(), EVERY)
    )


def lie_again(
    was: PlacedIslands,
    islands: IslandSet,
    placements: FloatArray,
    tiles: Sequence[TileSize],
    moved: IntArray,
) -> PlacedIslands:
    """Where the islands lie, from where they lay; only those that moved are looked at."""
    if not len(moved):
        return was
    local = np.zeros(islands.count, np.int64)
    local[moved] = np.arange(len(moved))
    own = placements[moved]
    rows, of = _rows_of(islands.triangle_rows, moved), islands.triangle_island
    corners = apply_placements(
        islands.triangles[rows].reshape(-1, 2), np.repeat(local[of[rows]], 3), own
    ).reshape(-1, 3, 2)
    box = bounds_of(corners, local[of[rows]], len(moved))
    lines = _rows_of(islands.edge_rows, moved)
    ends = apply_placements(
        islands.edges[lines].reshape(-1, 2),
        np.repeat(local[islands.edge_island[lines]], 2),
        own,
    ).reshape(-1, 2, 2)
    factor = determinants(own)
    turned = islands.turned[moved]
    placed = replace(
        was.placed,
        triangles=_with(was.placed.triangles, rows, corners),
        edges=_with(was.placed.edges, lines, ends),
        uv_area=_with(was.placed.uv_area, moved, islands.uv_area[moved] * np.abs(factor)),
        turned=_with(was.placed.turned, moved, np.where(factor < 0, 1.0 - turned, turned)),
        step=_with(was.placed.step, moved, islands.step[moved] * np.sqrt(np.abs(factor))),
    )
    fields = _where(islands, own, tiles, box, moved)
    merged = {name: _with(getattr(was, name), moved, new) for name, new in fields.items()}
    return PlacedIslands(placed=placed, **merged)


def _with(values: NDArray[Any], rows: IntArray, new: NDArray[Any]) -> NDArray[Any]:
    """A copy with other values in some rows."""
    out = values.copy()
    out[rows] = new
    return out


def _where(
    islands: IslandSet, placements: FloatArray, tiles: Sequence[TileSize], box: FloatArray, rows: Rows
) -> dict[str, NDArray[Any]]:  # fmt: skip
    """The fields of `PlacedIslands` but for the first, of some islands; placements and boxes are theirs."""
    home = tiles_of_boxes(box, tiles)
    at = np.maximum(home, 0)
    size = np.array([(t.width, t.height) for t in tiles], np.float64)[at]
    corners = np.array([t.corner for t in tiles], np.float64)
    low = (box[:, :2] - corners[at]) * size
    high = (box[:, 2:] - corners[at]) * size
    far = np.abs(box).max(axis=1, initial=0.0)
    far = np.where(np.isfinite(far), far, 0.0)
    step = islands.step[rows] * np.sqrt(np.abs(determinants(placements)))
    noise = ROUNDINGS * (step + FLOAT32 * far) * np.maximum(size[:, 0], size[:, 1])
    slack = np.maximum(EDGE_TOLERANCE_PX, noise)[:, None]
    past = ((low < -slack) | (high > size + slack)).any(axis=1)
    density = island_densities(islands, placements, size[:, 0], size[:, 1], rows)
    whole = np.isfinite(density)
    reach = (box[:, None, 2:] > corners).all(axis=2) & (box[:, None, :2] < corners + 1).all(axis=2)
    real = whole & np.isfinite(box).all(axis=1)
    return {
        "box": box,
        "home": home,
        "size": size,
        "density": density,
        "noise": noise,
        "outside": (home < 0) | past,
        "edge": np.minimum(low, size - high).min(axis=1),
        "whole": whole,
        "inside": reach & real[:, None],
    }


def _rows_of(rows: tuple[IntArray, IntArray], which: IntArray) -> IntArray:
    """Rows of some islands, ascending."""
    order, start = rows
    return np.sort(np.concatenate([order[start[m] : start[m + 1]] for m in which]))
