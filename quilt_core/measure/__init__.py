"""Exact figures about a layout: density, coverage, overlap, gaps, faults."""

from quilt_core.measure.density import equalize, island_densities, set_density
from quilt_core.measure.figures import Figures, measure, measure_tiles
from quilt_core.measure.findings import Finding, find_faults
from quilt_core.measure.gap import Gap, smallest_gap
from quilt_core.measure.overlap import Overlaps, find_overlaps

__all__ = [
    "Figures",
    "Finding",
    "Gap",
    "Overlaps",
    "equalize",
    "find_faults",
    "find_overlaps",
    "island_densities",
    "measure",
    "measure_tiles",
    "set_density",
    "smallest_gap",
]
