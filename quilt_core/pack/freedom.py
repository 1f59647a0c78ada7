"""More freedom never packs worse: a quick pack also tries the turns of those that have less."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import replace

from quilt_core.errors import LayoutError
from quilt_core.pack.efforts import MANY
from quilt_core.pack.pieces import Pieces
from quilt_core.pack.problem import Attempt
from quilt_core.pack.settings import ROTATIONS, PackSettings

Tried = Callable[[PackSettings], Iterator[tuple[Attempt, Pieces]]]


def less_free(settings: PackSettings) -> list[PackSettings]:
    """Settings that allow less of turns and flips, the freest first; what they find is allowed by these too.

    Examples
    --------
    >>> [(s.rotate, s.mirror) for s in less_free(PackSettings(rotate="half", mirror=True))]
    [('none', True), ('half', False), ('none', False)]
    """
    turns = ROTATIONS[: ROTATIONS.index(settings.rotate) + 1][::-1]
    sides = (True, False) if settings.mirror else (False,)
    every = [replace(settings, rotate=turn, mirror=side) for side in sides for turn in turns]
    return every[1:]


def by_freedom(
    settings: PackSettings, count: int, tried: Tried, stop: Callable[[], bool]
) -> Iterator[tuple[Attempt, Pieces]]:
    """The search with some settings; after a quick one, those with less freedom where they find more.

    A quick search is greedy: what more turns it may make can lead it to a worse end. Searches of other efforts change their
    orders until such chances even out, and of many pieces a quick one takes its time as it is.
    """
    if settings.effort != "quick" or not settings.less_free or settings.fixed_scale or count > MANY:
        yield from tried(settings)
        return
    until = time.monotonic() + settings.seconds if settings.seconds else float("inf")
    best: tuple[Attempt, Pieces] | None = None
    for attempt, pieces in tried(settings):
        best = attempt, pieces
        yield replace(attempt, done=False), pieces
    for less in less_free(settings):
        left = until - time.monotonic()
        if best is None or not best[0].whole or stop() or left <= 0:
            break
        how = replace(less, seconds=left) if settings.seconds else less
        # What finds no place at all with less freedom has one already.
        with suppress(LayoutError):
            for attempt, pieces in tried(how):
                if attempt.whole and attempt.scale > best[0].scale:
                    best = replace(attempt, step=best[0].step, steps=best[0].steps), pieces
                    yield replace(best[0], done=False), pieces
    if best is not None:
        yield replace(best[0], done=True), best[1]
