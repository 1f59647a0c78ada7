"""Search with clusters: bundles and tidy regions are laid out for a scale, packed, and laid out again."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import replace

from quilt_core.errors import LayoutError
from quilt_core.pack.bounds import scale_bound
from quilt_core.pack.controls import Controls
from quilt_core.pack.pieces import Pieces, clustered
from quilt_core.pack.problem import Attempt, PackSettings
from quilt_core.pack.search import search
from quilt_core.scene.island_set import IslandSet

FIRST_CLUSTERS, LATER_CLUSTERS = 0.55, 0.98
"""Scale that clusters are laid out for: of the area bound at first, of the best scale afterwards."""
FIRST_SHARE, LEAST_SECONDS = 0.3, 0.02
"""Part of a time limit that finding the scale for clusters may take."""
TIGHT_SHARE, MOST_COMPARED = 0.15, 2000
"""Part of a time limit for a pack without tidiness, and the most pieces of which one is made."""


def attempts(
    islands: IslandSet,
    single: Pieces,
    controls: Controls,
    settings: PackSettings,
    names: list[str],
    stop: Callable[[], bool],
) -> Iterator[tuple[Attempt, Pieces]]:
    """Search; with clusters twice, as the gaps inside them depend on the scale that is reached.

    With tidiness a quick pack without it is made as well; attempts then tell what it cost.
    """
    if not (controls.bundle >= 0).any() and settings.tidy == 0:
        for attempt in search(single.problem, settings, stop):
            yield attempt, single
        return
    if settings.fixed_scale:
        pieces = clustered(islands, single, controls, settings, names, 1.0)
        for attempt in search(pieces.problem, settings, stop):
            yield attempt, pieces
        return
    started = time.monotonic()
    tight = _tight_coverage(islands, single, controls, settings, names, stop)
    cost: float | None = None
    scale = FIRST_CLUSTERS * scale_bound(single.problem, settings)
    best: tuple[Attempt, Pieces] | None = None
    for first in (True, False):
        rules = replace(settings, effort="quick") if first else settings
        for _ in range(12):
            pieces = clustered(islands, single, controls, settings, names, scale)
            if settings.seconds:
                left = settings.seconds * (FIRST_SHARE if first else 1.0) - (time.monotonic() - started)
                rules = replace(rules, seconds=max(left, LEAST_SECONDS))
            last = None
            for attempt in search(pieces.problem, rules, stop):
                if not attempt.whole:
                    if best is None:
                        yield attempt, pieces
                    continue
                last = attempt
                # At a smaller scale the gaps inside the clusters would be too small.
                if attempt.scale >= scale and (best is None or attempt.scale > best[0].scale):
                    best = attempt, pieces
                if best is not None:
                    yield (
                        replace(best[0], step=attempt.step, steps=attempt.steps, done=False, tidy_cost=cost),
                        best[1],
                    )
            if last is None:  # stopped before there was anything
                return
            if last.scale >= scale or best is not None:
                break
            scale = last.scale * LATER_CLUSTERS
        if first and best is not None and tight is not None:
            cost = max(0.0, tight - best[0].coverage)
        if best is not None:
            scale = best[0].scale * LATER_CLUSTERS
            if stop():
                break
    if best is None:
        raise LayoutError("The bundles do not fit.", "pack", "Take some apart, or make the padding smaller.")
    yield replace(best[0], step=best[0].steps, done=True, tidy_cost=cost), best[1]


def _tight_coverage(
    islands: IslandSet,
    single: Pieces,
    controls: Controls,
    settings: PackSettings,
    names: list[str],
    stop: Callable[[], bool],
) -> float | None:
    """Coverage of a quick pack without tidiness; None when it is not asked for or would take long."""
    if settings.tidy == 0 or single.problem.count > MOST_COMPARED:
        return None
    seconds = settings.seconds and max(settings.seconds * TIGHT_SHARE, LEAST_SECONDS)
    rules = replace(settings, tidy=0.0, effort="quick", seconds=seconds)
    last = None
    for last, _ in attempts(islands, single, controls, rules, names, stop):
        pass
    return None if last is None or not last.whole else last.coverage
