"""Search with bundles, which are laid out for a scale, packed, and laid out again; and what
tidiness costs."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import replace

from quilt_core.errors import LayoutError
from quilt_core.pack.bounds import scale_bound
from quilt_core.pack.controls import Controls
from quilt_core.pack.pieces import Pieces, clustered, in_regions
from quilt_core.pack.problem import Attempt
from quilt_core.pack.search import search
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.island_set import IslandSet

FIRST_CLUSTERS, LATER_CLUSTERS = 0.55, 0.98
"""Scale that clusters are laid out for: of the area bound at first, of the best scale
afterwards."""
FIRST_SHARE, LEAST_SECONDS = 0.3, 0.02
"""Part of a time limit that finding the scale for clusters may take."""
QUICK_SHARE, MOST_COMPARED = 0.15, 2000
"""Part of a time limit for a quick pack to compare with, and the most pieces of which one is
made."""


def attempts(
    islands: IslandSet,
    single: Pieces,
    controls: Controls,
    settings: PackSettings,
    names: list[str],
    stop: Callable[[], bool],
) -> Iterator[tuple[Attempt, Pieces]]:
    """Search; with tidiness a quick pack without it is made as well, and attempts tell what it
    cost.

    Quick packs are compared, with tidiness and without; that of quick effort is the result itself.
    """
    if settings.tidy == 0:
        yield from _laid_out(islands, single, controls, settings, names, stop)
        return
    tidy = in_regions(islands, single, controls)
    if settings.fixed_scale or single.problem.count > MOST_COMPARED:
        yield from _laid_out(islands, tidy, controls, settings, names, stop)
        return
    started = time.monotonic()
    seconds = settings.seconds and max(settings.seconds * QUICK_SHARE, LEAST_SECONDS)
    quick = replace(settings, effort="quick", seconds=seconds)
    tight, best = 0.0, None
    for attempt, _ in _laid_out(islands, single, controls, replace(quick, tidy=0.0), names, stop):
        tight = attempt.coverage if attempt.whole else tight
    if settings.effort != "quick":
        for attempt, pieces in _laid_out(islands, tidy, controls, quick, names, stop):
            best = attempt, pieces
            yield replace(attempt, step=0, done=False), pieces
    cost = None if best is None else max(0.0, tight - best[0].coverage)
    if settings.seconds:
        left = max(settings.seconds - (time.monotonic() - started), LEAST_SECONDS)
        settings = replace(settings, seconds=left)
    for attempt, pieces in _laid_out(islands, tidy, controls, settings, names, stop):
        told = max(0.0, tight - attempt.coverage) if cost is None else cost
        if best is not None and best[0].whole and best[0].scale > attempt.scale:
            found, pieces = best
            attempt = replace(found, step=attempt.step, steps=attempt.steps, done=attempt.done)
        yield replace(attempt, tidy_cost=told if attempt.whole else None), pieces


def _laid_out(
    islands: IslandSet,
    single: Pieces,
    controls: Controls,
    settings: PackSettings,
    names: list[str],
    stop: Callable[[], bool],
) -> Iterator[tuple[Attempt, Pieces]]:
    """Search; with bundles twice, as the gaps inside them depend on the scale that is reached."""
    if not (controls.bundle >= 0).any():
        for attempt in search(single.problem, settings, stop):
            yield attempt, single
        return
    if settings.fixed_scale:
        pieces = clustered(islands, single, controls, settings, names, 1.0)
        for attempt in search(pieces.problem, settings, stop):
            yield attempt, pieces
        return
    started = time.monotonic()
    scale = FIRST_CLUSTERS * scale_bound(single.problem, settings)
    best: tuple[Attempt, Pieces] | None = None
    for first in (True, False):
        rules = replace(settings, effort="quick") if first else settings
        for _ in range(12):
            pieces = clustered(islands, single, controls, settings, names, scale)
            if settings.seconds:
                left = settings.seconds * (FIRST_SHARE if first else 1.0) - (
                    time.monotonic() - started
                )
                rules = replace(rules, seconds=max(left, LEAST_SECONDS))
            last = None
            for attempt in search(pieces.problem, rules, stop):
                if not attempt.whole:
                    if best is None:
                        yield attempt, pieces
                    continue
                last = attempt
                # At a smaller scale the gaps inside the bundles would be too small.
                if attempt.scale >= scale and (best is None or attempt.scale > best[0].scale):
                    best = attempt, pieces
                if best is not None:
                    yield (
                        replace(best[0], step=attempt.step, steps=attempt.steps, done=False),
                        best[1],
                    )
            if last is None:  # stopped before there was anything
                return
            if last.scale >= scale or best is not None:
                break
            scale = last.scale * LATER_CLUSTERS
        if best is not None:
            scale = best[0].scale * LATER_CLUSTERS
            if stop():
                break
    if best is None:
        raise LayoutError(
            "The bundles do not fit.", "pack", "Take some apart, or make the padding smaller."
        )
    yield replace(best[0], step=best[0].steps, done=True), best[1]
