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
from quilt_core.pack.layout import pack_islands, packable
from quilt_core.pack.problem import Attempt, PackProblem, PackSettings, turns_for
from quilt_core.pack.search import search
from quilt_core.pack.stacks import Candidate, find_stacks
from quilt_core.scene.tiles import TileSize, home_tiles, pixel_sizes

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
