"""Packing islands into tiles: an anytime search that reports its best so far."""

from quilt_core.pack.controls import (
    LEFT_OUT,
    LOCK_PLACE,
    LOCK_SIZE,
    LOCK_TURN,
    MAY_MIRROR,
    Controls,
    no_controls,
)
from quilt_core.pack.layout import home_tiles, pack_islands, packable, pixel_sizes
from quilt_core.pack.problem import Attempt, PackProblem, PackSettings, TileSize, turns_for
from quilt_core.pack.search import search
from quilt_core.pack.stacks import Candidate, find_stacks

__all__ = [
    "LEFT_OUT",
    "LOCK_PLACE",
    "LOCK_SIZE",
    "LOCK_TURN",
    "MAY_MIRROR",
    "Attempt",
    "Candidate",
    "Controls",
    "PackProblem",
    "PackSettings",
    "TileSize",
    "find_stacks",
    "home_tiles",
    "no_controls",
    "pack_islands",
    "packable",
    "pixel_sizes",
    "search",
    "turns_for",
]
