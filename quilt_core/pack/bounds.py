"""What is known of a set before it is packed: how large it can get, and how fine a grid it
needs."""

from __future__ import annotations

import numpy as np

from quilt_core.pack.efforts import FEWER_TURNS
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.types import FloatArray

CELLS_PER_PIECE, CELLS_OF_MANY = 20, 24
CELLS_ACROSS = 16
FINEST, FINEST_OF_MANY = 4096, 5120


def longest_edges(problem: PackProblem) -> FloatArray:
    """(P,) longer edge of the bounding box of each piece in px at scale 1."""
    box = [
        extreme.reduceat(problem.edges[:, k::2].ravel(), 2 * problem.starts[:-1])
        for k in (0, 1)
        for extreme in (np.maximum, np.minimum)
    ]
    return np.asarray(np.maximum(box[0] - box[1], box[2] - box[3]))


def bare_band(problem: PackProblem, settings: PackSettings, found: Attempt) -> float:
    """Widest band along a border of the only tile that no piece reaches into, as a part of that
    side.

    Beside the margin; 0 where there are several tiles, or pieces without a place.
    """
    if len(settings.bins) != 1 or not found.placed.all():
        return 0.0
    owner = np.repeat(np.arange(problem.count), np.diff(problem.starts))
    linear = found.turn.matrices() * problem.scales(found.scale)[:, None, None]
    ends = np.einsum("eij,ekj->eki", linear[owner], problem.edges.reshape(-1, 2, 2))
    ends = (ends + found.shift[owner][:, None]).reshape(-1, 2)
    sides = np.array([settings.bins[0].width, settings.bins[0].height], np.float64)
    below, above = ends.min(axis=0), sides - ends.max(axis=0)
    return float(((np.maximum(below, above) - settings.margin) / sides).max())


def scale_bound(problem: PackProblem, settings: PackSettings) -> float:
    """Scale at which the areas alone, without padding, fill the tiles; 1 when nothing grows."""
    grows = problem.grows
    area, longest = float(problem.areas[grows].sum()), longest_edges(problem)
    if not grows.any() or area <= 0:
        return 1.0
    inner = np.array(
        [(t.width - 2 * settings.margin, t.height - 2 * settings.margin) for t in settings.bins]
    ).clip(1e-9)
    room = max(
        float(inner.prod(axis=1).sum() - problem.areas[~grows].sum()),
        1e-3 * float(inner.prod(axis=1).sum()),
    )
    by_length = float(np.hypot(*inner.T).max()) / max(float(longest[grows].max()), 1e-300)
    return float(min(np.sqrt(room / area), by_length))


def fineness(problem: PackProblem, settings: PackSettings, cells: int) -> int:
    """Cells for a grid on which a middling piece still has some cells along its edge, at least
    `cells`."""
    # A long and narrow tile must still have some cells across.
    across = CELLS_ACROSS * max(max(t.width / t.height, t.height / t.width) for t in settings.bins)
    if problem.count > FEWER_TURNS:
        wanted = max(CELLS_OF_MANY * np.sqrt(problem.count), across)
        return int(np.clip(wanted, 2 * cells, FINEST_OF_MANY))
    wanted = max(CELLS_PER_PIECE * np.sqrt(problem.count), across)
    while cells < wanted and cells < FINEST:
        cells *= 2
    return cells
