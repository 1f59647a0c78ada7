"""What tests of fitting are made of, for others too."""

from __future__ import annotations

import numpy as np

from quilt_core.pack.controls import no_controls
from quilt_core.pack.pieces import single_pieces
from quilt_core.pack.problem import no_obstacles
from tests.core.shapes import island_set_of


def problem_of(polygons, rules, controls=None, obstacles=None):
    islands = island_set_of(polygons)
    n = islands.count
    linear = np.broadcast_to(np.eye(2), (n, 2, 2))
    names = [str(i) for i in range(n)]
    chosen = controls or no_controls(n)
    return single_pieces(islands, linear, chosen, rules, obstacles or no_obstacles(), names).problem
