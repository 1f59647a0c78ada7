"""Thousands of pieces: one order, placed at two scales at the same time, then again nearer to the
largest."""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, ThreadPoolExecutor
from typing import NamedTuple

import numpy as np

from quilt_core.pack.bounds import scale_bound
from quilt_core.pack.pace import while_at_work
from quilt_core.pack.placer import CHUNK, Placer
from quilt_core.pack.problem import Attempt, PackProblem
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.types import IntArray

SHOW_EVERY = 2e-5
"""Seconds for each piece between two images of a pass at work."""
FILL = 0.75
"""First guess at the scale, over the scale at which the areas alone fill the tiles."""
FIRST, HIGHER, LOWER = (1.0, 0.94), (1.02, 1.045), (0.99, 0.97)
"""Scales that are tried at the same time: over the first guess; over the largest yet when all
fitted; over what the area left over tells when none did."""
BETWEEN = (0.35, 0.7)
"""Parts of the way from the largest that fitted to the smallest that did not."""


class News(NamedTuple):
    """How a search among thousands stands.

    Parameters
    ----------
    share : float
        Part of the planned rounds that is done, 0 to 1; it stays below 1 when more rounds are
        needed.
    found : Attempt, optional
        A new layout; one that is not whole is a pass at work.
    """

    share: float
    found: Attempt | None


def grow_many(
    problem: PackProblem,
    settings: PackSettings,
    placers: tuple[Placer, Placer],
    pool: Executor,
    order: IntArray,
    rounds: int,
    check: Callable[[], None],
) -> Iterator[News]:
    """Yield layouts with a larger and larger scale, and now and then how far a pass is.

    Parameters
    ----------
    problem : PackProblem
    settings : PackSettings
    placers : tuple of Placer
        Each works on one of two scales.
    pool : Executor
    order : (P,) int64
    rounds : int
        Pairs of scales to try; more until something fits.
    check : callable
        Asked often; raises to stop.
    """
    total = problem.areas.sum()
    low, high, likely = 0.0, np.inf, 0.0
    guesses = [FILL * scale_bound(problem, settings) * step for step in FIRST]
    asked, shown_at = itertools.count(), 0.0
    # Making the masks and placing the pieces ask about once per chunk, for each of two scales.
    expected = rounds * 4 * -(-problem.count // CHUNK)
    seen = 0

    def counted() -> None:
        nonlocal seen
        seen = next(asked)
        check()

    def share() -> float:
        return min(0.99, seen / expected)

    def prepare(scales: list[float]) -> None:
        for placer, scale in zip(placers, scales, strict=True):
            placer.prepare(scale, counted)

    done = 0
    with ThreadPoolExecutor(1) as aside:
        while done < rounds or low == 0:
            done += 1
            masks = aside.submit(prepare, guesses)
            for _ in while_at_work([masks]):
                yield News(share(), None)
            masks.result()
            tasks = [
                pool.submit(placer.place, order, guess, counted)
                for placer, guess in zip(placers, guesses, strict=True)
            ]
            for _ in while_at_work(tasks):
                # An image of very many takes time that the passes need.
                due = time.monotonic() - shown_at > problem.count * SHOW_EVERY
                if due and low == 0:
                    shown_at = time.monotonic()
                    yield News(share(), placers[0].so_far())
                else:
                    yield News(share(), None)
            for task, guess in zip(tasks, guesses, strict=True):
                found, left = task.result()
                if left == 0 and guess > low:
                    low = guess
                    yield News(share(), found)
                elif left > 0 and guess < high:
                    # What was left over tells which scale would about have fitted.
                    high, likely = guess, guess * np.sqrt(1 - left / total)
            if low == 0:
                for placer in placers:
                    placer.loosen()
                guesses = [min(likely, 0.97 * high) * step for step in LOWER]
            elif high == np.inf:
                guesses = [low * step for step in HIGHER]
            else:
                guesses = [low + (high - low) * part for part in BETWEEN]
