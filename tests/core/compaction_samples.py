"""What tests of compaction are made of, for others too."""

from __future__ import annotations

import numpy as np

from quilt_core.pack.controls import no_controls
from quilt_core.pack.pieces import single_pieces
from quilt_core.pack.problem import Attempt, no_obstacles
from quilt_core.pack.turns import Turns
from tests.core.shapes import island_set_of


def problem_of(polygons, rules, obstacles=None):
    islands = island_set_of(polygons)
    linear = np.broadcast_to(np.eye(2), (islands.count, 2, 2))
    names = [str(i) for i in range(islands.count)]
    return single_pieces(
        islands, linear, no_controls(islands.count), rules, obstacles or no_obstacles(), names
    ).problem


def attempt_of(problem, scale, shifts):
    n = problem.count
    return Attempt(
        scale,
        Turns.plain(np.zeros(n)),
        np.array(shifts, float),
        np.zeros(n, np.int64),
        np.ones(n, bool),
        0.1,
        0,
        0,
    )
