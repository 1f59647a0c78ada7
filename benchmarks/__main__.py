"""``make bench``: coverage and time of the packer beside general libraries, as ratios.

Usage: python -m benchmarks [--seconds S] [--nesting [whole|share]] [--set NAME] [--packing]
[--proving]
"""

from __future__ import annotations

import argparse
import time

import numpy as np

from benchmarks import by_hand, carrying, history, many, proving, rehearsing
from benchmarks.references import ROUNDS, box_coverage, nesting_coverage
from benchmarks.sets import SETS, jigsaw
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
        "--nesting",
        nargs="?",
        const="share",
        choices=("share", "whole"),
        help="also run the nesting solver: its four rounds share the time, or each has the whole of it",
    )
    parser.add_argument("--padding", type=float, default=PADDING)
    parser.add_argument("--margin", type=float, default=MARGIN)
    parser.add_argument("--packing", action="store_true", help="only packing")
    parser.add_argument("--proving", action="store_true", help="only proving")
    parser.add_argument("--set", action="append", help="only these sets")
    options = parser.parse_args()
    warm()
    if not options.proving:
        _packing(options)
    if not (options.packing or options.set):
        proving.main()
        history.main()
        by_hand.main()
        carrying.main()
        rehearsing.main()


def _packing(options: argparse.Namespace) -> None:
    padding, margin = options.padding, options.margin
    print(
        f"tile {SIZE} px, padding {padding:g} px, margin {margin:g} px, quarter turns, {options.seconds:g} s, warm"
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
        settings = PackSettings(
            SIZE, SIZE, padding, margin, effort="thorough", seconds=options.seconds
        )
        started = time.monotonic()
        first = None
        for attempt, found, _ in pack_islands(islands, identity(islands.count), settings):
            first = first or time.monotonic() - started
        figures = measure(islands, found, SIZE, SIZE, padding)
        if (
            figures.gap.pixels < padding
            or figures.overlaps.pairs.size
            or figures.margin_px < margin
        ):
            raise SystemExit(f"{name}: the layout breaks its own rules")
        against_boxes.append(attempt.coverage / box_coverage(polygons, SIZE, padding, margin))
        nesting = ""
        if options.nesting:
            against_nesting.append(
                attempt.coverage
                / nesting_coverage(
                    polygons,
                    SIZE,
                    padding,
                    margin,
                    int(options.seconds / (ROUNDS if options.nesting == "share" else 1)),
                )
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
    if not options.set:
        _jigsaws(options.seconds)
        many.main()


def _jigsaws(seconds: float) -> None:
    """Jigsaws without padding, whose optimum is known: the whole tile."""
    for per_edge in (4, 5, 6, 8):
        islands = island_set_of(jigsaw(per_edge))
        settings = PackSettings(SIZE, SIZE, 0.0, 0.0, effort="thorough", seconds=seconds)
        started = time.monotonic()
        for attempt, found, _ in pack_islands(islands, identity(islands.count), settings):
            if attempt.coverage > 0.93:
                break
        seen = time.monotonic() - started
        figures = measure(islands, found, SIZE, SIZE, 0.0)
        if figures.overlaps.pairs.size:
            raise SystemExit(f"jigsaw of {islands.count}: pieces lie on one another")
        print(
            f"jigsaw of {islands.count} pieces without padding: {attempt.coverage:.2%} of the optimum after {seen:.1f} s"
        )


if __name__ == "__main__":
    main()
