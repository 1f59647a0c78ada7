"""Exact figures about a layout: density, coverage, overlap, gaps, faults."""

from typing import TYPE_CHECKING

from quilt_core.lazy import lazily
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
    __getattr__ = lazily(
        __name__,
        {
            "Figures": "figures",
            **dict.fromkeys(
                ("Measured", "measure", "measure_again", "measure_layout", "measure_tiles"),
                "measured",
            ),
            **dict.fromkeys(("ClosePairs", "Gap", "close_pairs", "smallest_gap"), "gap"),
            **dict.fromkeys(("Overlaps", "find_overlaps"), "overlap"),
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
