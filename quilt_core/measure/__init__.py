"""Exact figures about a layout: density, coverage, overlap, gaps, faults."""

from typing import TYPE_CHECKING

import lazy_loader

from quilt_core.measure.density import equalize, island_densities, set_density

if TYPE_CHECKING:
    from quilt_core.measure.figures import Figures
    from quilt_core.measure.gap import ClosePairs, Gap, close_pairs, smallest_gap
    from quilt_core.measure.measured import (
        Measured,
        measure,
        measure_again,
        measure_layout,
        measure_tiles,
    )
    from quilt_core.measure.overlap import Overlaps, find_overlaps
else:
    # The web process needs some of it, without the compiled loops.
    __getattr__, __dir__, _ = lazy_loader.attach(
        __name__,
        submod_attrs={
            "figures": ["Figures"],
            "measured": ["Measured", "measure", "measure_again", "measure_layout", "measure_tiles"],
            "gap": ["ClosePairs", "Gap", "close_pairs", "smallest_gap"],
            "overlap": ["Overlaps", "find_overlaps"],
        },
    )

__all__ = [
    "ClosePairs",
    "Figures",
    "Gap",
    "Measured",
    "Overlaps",
    "close_pairs",
    "equalize",
    "find_overlaps",
    "island_densities",
    "measure",
    "measure_again",
    "measure_layout",
    "measure_tiles",
    "set_density",
    "smallest_gap",
]
