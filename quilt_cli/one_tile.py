"""Pack islands into one tile, as the commands do that make layouts."""

from __future__ import annotations

import argparse

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene import IslandSet

FloatArray = NDArray[np.float64]

PACK_SECONDS = 15.0
MANY = 300
"""Islands from which a quick pack must do."""


def in_one_tile(
    islands: IslandSet, placements: FloatArray, options: argparse.Namespace
) -> FloatArray:
    """New placements in the unit tile, with the size, padding and margin of the options; sizes keep
    their proportions."""
    width, height = options.size
    settings = PackSettings(
        width=width,
        height=height,
        padding=options.padding,
        margin=options.margin,
        effort="quick" if islands.count > MANY else "standard",
        seconds=PACK_SECONDS,
    )
    for attempt, found, _ in pack_islands(islands, placements, settings):
        if attempt.done:
            return found
    return placements
