"""From islands with placements to pieces in px, and back."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack.problem import Attempt, PackProblem, PackSettings, turns_for
from quilt_core.pack.search import search
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import compose

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]


def packable(islands: IslandSet) -> BoolArray:
    """(I,) islands that can be packed: those with an area and finite coordinates."""
    finite = np.isfinite(islands.bounds()).all(axis=1)
    return np.asarray(finite & (np.abs(islands.uv_area) > 0))


def pieces_of(
    islands: IslandSet, placements: FloatArray, settings: PackSettings
) -> tuple[PackProblem, FloatArray]:
    """Pieces in px at the size of their placements.

    Parameters
    ----------
    islands : IslandSet
        All packable.
    placements : (I, 2, 3) float64
        Give each island its size and mirroring. An island that they bring out of proportion (as a
        layout on a tile that is not square does) is packed in the proportions of its base UVs.
    settings : PackSettings

    Returns
    -------
    problem : PackProblem
    upright : (I, 2, 3) float64
        From base UVs to pieces in px.
    """
    size = np.array([settings.width, settings.height], np.float64)
    linear = placements[:, :, :2] * size[None, :, None]
    linear = nearest_similarities(linear)
    upright = np.concatenate([linear, np.zeros((islands.count, 2, 1))], axis=2)
    moved = islands.placed(upright)
    order = np.argsort(moved.edge_island, kind="stable")
    edges = moved.edges.reshape(-1, 4)[order]
    starts = np.searchsorted(moved.edge_island[order], np.arange(islands.count + 1))
    turns = turns_for(settings.rotate)
    problem = PackProblem(
        np.ascontiguousarray(edges), starts, islands.folded, np.abs(moved.uv_area), (turns,) * islands.count
    )
    return problem, upright


def nearest_similarities(linear: FloatArray) -> FloatArray:
    """(I, 2, 2) nearest maps that turn, mirror and scale evenly, with the same area factor."""
    left, values, right = np.linalg.svd(linear)
    mean = np.sqrt(np.abs(values[:, 0] * values[:, 1]))
    out = left @ right * mean[:, None, None]
    even = np.abs(values[:, 0] - values[:, 1]) <= 1e-12 * values[:, 0]
    out[even] = linear[even]
    return np.asarray(out)


def pack_islands(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    stop: Callable[[], bool] = lambda: False,
) -> Iterator[tuple[Attempt, FloatArray, BoolArray]]:
    """Pack islands into one tile.

    Parameters
    ----------
    islands : IslandSet
        All islands; collapsed ones are left where they are.
    placements : (I, 2, 3) float64
        Their sizes relative to one another are kept.
    settings : PackSettings
    stop : callable
        Asked often; True ends the search with its best so far.

    Yields
    ------
    attempt : Attempt
    placements : (I, 2, 3) float64
        Base UVs to tile UVs. What is left over lies beside the tile, none of it over an edge.
    placed : (I,) bool
        False for collapsed and left-over islands.
    """
    use = packable(islands)
    chosen = islands.select(use)
    problem, upright = pieces_of(chosen, placements[use], settings)
    size = np.array([settings.width, settings.height], np.float64)
    for attempt in search(problem, settings, stop):
        c, s = np.cos(attempt.turn) * attempt.scale, np.sin(attempt.turn) * attempt.scale
        move = np.stack(
            [np.stack([c, -s, attempt.shift[:, 0]], 1), np.stack([s, c, attempt.shift[:, 1]], 1)], axis=1
        )
        done = compose(move, upright)
        done[~attempt.placed] = _beside(chosen, upright, ~attempt.placed, settings)
        out = placements.copy()
        out[use] = done / size[None, :, None]
        placed = np.zeros(islands.count, bool)
        placed[use] = attempt.placed
        yield attempt, out, placed


def _beside(islands: IslandSet, upright: FloatArray, which: BoolArray, settings: PackSettings) -> FloatArray:
    """Placements in px of left-over islands on the side table: rows to the right of the tile."""
    if not which.any():
        return np.empty((0, 2, 3))
    box = islands.select(which).placed(upright[which]).bounds()
    out = upright[which].copy()
    gap = max(settings.padding, 0.01 * settings.width)
    left = 1.1 * settings.width
    x, y, row = left, 0.0, 0.0
    for i in np.argsort(-(box[:, 3] - box[:, 1]), kind="stable"):
        width, height = box[i, 2] - box[i, 0], box[i, 3] - box[i, 1]
        if x > left and x + width > left + 0.6 * settings.width:
            x, y, row = left, y + row + gap, 0.0
        out[i, :, 2] = (x - box[i, 0], y - box[i, 1])
        x, row = x + width + gap, max(row, height)
    return out
