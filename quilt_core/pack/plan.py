"""Before packing: what density tiles of a size and number will reach, and what they cost."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

SIZES = (512, 1024, 2048, 4096, 8192)
COUNTS = (1, 2, 4)
USUAL_COVERAGE = 0.81
"""Share of a tile that islands fill when there is no padding: the middle of the sets below, packed with the usual
settings at 2048 px and a padding of 8 px and reckoned back (`python -m benchmarks.usual_coverage`).

    demo, all 0.872 · lighthouse 0.861 · yard 0.819 · handhelds 0.809 · rectangles 0.927 · slivers 0.572
    rings 0.472 · stars 0.810; spider.obj 0.994 and ClearCoatTest.gltf 0.960 of open test models for comparison
"""

MIPS = 4 / 3
"""A full mip chain costs 4/3 of level 0 (arithmetic)."""
RAW_BYTES, BC1_BYTES, BC7_BYTES = 4.0, 0.5, 1.0
"""Bytes per texel: 8-bit RGBA; 8 and 16 bytes per 4 x 4 block (Khronos Data Format
Specification)."""


@dataclass(frozen=True)
class PlanRow:
    """One choice of tiles.

    Parameters
    ----------
    size : int
        px of the edge of a square tile.
    count : int
        Number of tiles.
    coverage : float
        Expected, 0–1.
    density : float
        Expected, px per metre.
    reaches : bool
        Whether that is at least the house density.
    raw, bc1, bc7 : float
        Bytes of one map with its mips, over all tiles.
    """

    size: int
    count: int
    coverage: float
    density: float
    reaches: bool
    raw: float
    bc1: float
    bc7: float


def expected_coverage(
    islands: int, padding: float, size: int, count: int, full: float = USUAL_COVERAGE
) -> float:
    """Share of the tiles that islands fill when padding takes a border around each of them.

    With `n` islands of mean side `a` a tile holds ``n (a + padding)^2 = full x texels``.

    Examples
    --------
    >>> round(expected_coverage(100, 0, 1024, 1), 3)
    0.81
    >>> expected_coverage(100, 16, 1024, 1) < expected_coverage(100, 16, 2048, 1)
    True
    """
    texels = size * size * count
    side = np.sqrt(full * texels / max(islands, 1)) - padding
    return float(max(side, 0.0) ** 2 * max(islands, 1) / texels)


def full_coverage(islands: int, padding: float, size: int, count: int, reached: float) -> float:
    """What islands would fill without padding, from what a pack with padding has reached: the other way round of
    `expected_coverage`.

    Examples
    --------
    >>> round(full_coverage(100, 8, 2048, 2, expected_coverage(100, 8, 2048, 2, 0.8)), 6)
    0.8
    """
    texels = size * size * count
    side = np.sqrt(reached * texels / max(islands, 1)) + padding
    return float(side**2 * max(islands, 1) / texels)


def plan_tiles(
    world_area: float, islands: int, padding: float, house: float, reached: float | None = None,
    sizes: tuple[int, ...] = SIZES, counts: tuple[int, ...] = COUNTS, full: Mapping[int, float] | None = None,
) -> list[PlanRow]:  # fmt: skip
    """Expected density and memory for tiles of each size and count.

    Parameters
    ----------
    world_area : float
        Square metres to be covered at the house density; weighted parts with their weight squared.
    islands : int
    padding : float
        px.
    house : float
        px per metre.
    reached : float, optional
        Coverage of a layout that was packed; it stands in for the usual one.
    full : mapping, optional
        By number of tiles, what islands fill without padding (`full_coverage` of a pack); more tiles fill as the most of them
        that were tried.
    """
    rows = []
    for size in sizes:
        for count in counts:
            known = [n for n in full or {} if n <= count]
            usual = (full or {}).get(max(known, default=0), USUAL_COVERAGE)
            coverage = reached or expected_coverage(islands, padding, size, count, usual)
            texels = float(size * size * count)
            density = float(np.sqrt(coverage * texels / world_area)) if world_area > 0 else 0.0
            rows.append(
                PlanRow(
                    size,
                    count,
                    coverage,
                    density,
                    density >= house,
                    texels * RAW_BYTES * MIPS,
                    texels * BC1_BYTES * MIPS,
                    texels * BC7_BYTES * MIPS,
                )
            )
    return rows
