"""Packing islands into tiles: an anytime search that reports its best so far."""

from typing import TYPE_CHECKING

import lazy_loader

from quilt_core.pack.controls import (
    Controls,
    no_controls,
)
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.side_table import packable
from quilt_core.pack.turns import Turns, turns_for
from quilt_core.scene.tiles import TileSize, home_tiles, pixel_sizes

if TYPE_CHECKING:
    from quilt_core.pack.apart import pack_apart
    from quilt_core.pack.layout import pack_islands
    from quilt_core.pack.limit import Fix, Limit, explain
    from quilt_core.pack.stacks import Candidate, find_stacks
else:
    __getattr__, __dir__, _ = lazy_loader.attach(
        __name__,
        submod_attrs={
            "limit": ["Limit", "Fix", "explain"],
            "apart": ["pack_apart"],
            "layout": ["pack_islands"],
            "stacks": ["Candidate", "find_stacks"],
        },
    )

__all__ = [
    "Attempt",
    "Candidate",
    "Controls",
    "Fix",
    "Limit",
    "PackProblem",
    "PackSettings",
    "TileSize",
    "Turns",
    "explain",
    "find_stacks",
    "home_tiles",
    "no_controls",
    "pack_apart",
    "pack_islands",
    "packable",
    "pixel_sizes",
    "turns_for",
]
