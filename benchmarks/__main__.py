"""``make bench``: coverage and time of the packer beside general libraries, as ratios.

Usage: python -m benchmarks [--seconds S] [--nesting] [--set NAME]
"""

from __future__ import annotations

import argparse
import time

import numpy as np

from benchmarks.references import box_coverage, nesting_coverage
from benchmarks.sets import SETS
from quilt_core.measure import measure
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene.placement import identity
from quilt_core.warm import main as warm
from tests.core.shapes import island_set_of

SIZE, PADDING, MARGIN = 2048, 8.0, 4.0


def main() -> None:
    """Print a table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--seconds", type=float, default=10.0)
    parser.add_argument(
        "--nesting", action="store_true", help="also run the nesting solver, four rounds of the same time"
    )
    parser.add_argument("--set", action="append", help="only these sets")
    options = parser.parse_args()
    warm()
    print(
        f"tile {SIZE} px, padding {PADDING:g} px, margin {MARGIN:g} px, quarter turns, {options.seconds:g} s, warm"
    )
    print(
        f"{'set':18} {'islands':>7} {'first':>7} {'coverage':>9} {'/ boxes':>8} {'/ nesting':>9} {'gap px':>7}"
    )
    against_boxes, against_nesting = [], []
    for name, make in SETS.items():
        if options.set and name not in options.set:
            continue
        polygons = make()
        islands = island_set_of(polygons)
        settings = PackSettings(SIZE, SIZE, PADDING, MARGIN, effort="thorough", seconds=options.seconds)
        started = time.monotonic()
        first = None
        for attempt, found, _ in pack_islands(islands, identity(islands.count), settings):
            first = first or time.monotonic() - started
        figures = measure(islands, found, SIZE, SIZE, PADDING)
        if figures.gap.pixels < PADDING or figures.overlaps.pairs.size or figures.margin_px < MARGIN:
            raise SystemExit(f"{name}: the layout breaks its own rules")
        against_boxes.append(attempt.coverage / box_coverage(polygons, SIZE, PADDING, MARGIN))
        nesting = ""
        if options.nesting:
            against_nesting.append(
                attempt.coverage / nesting_coverage(polygons, SIZE, PADDING, MARGIN, int(options.seconds))
            )
            nesting = f"{against_nesting[-1]:9.3f}"
        print(
            f"{name:18} {islands.count:7} {first:6.2f}s {attempt.coverage:9.1%} {against_boxes[-1]:8.3f} {nesting:>9} {figures.gap.pixels:7.3f}",
            flush=True,
        )
    print(f"geometric mean: {np.exp(np.mean(np.log(against_boxes))):.3f} x boxes", end="")
    if against_nesting:
        print(
            f", {np.exp(np.mean(np.log(against_nesting))):.3f} x nesting, lowest {min(against_nesting):.3f}",
            end="",
        )
    print()


if __name__ == "__main__":
    main()
