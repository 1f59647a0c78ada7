"""Thousands of pieces: one order, placed at two scales at the same time, then again nearer to the largest."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack.bounds import scale_bound
from quilt_core.pack.placer import Placer
from quilt_core.pack.problem import Attempt, PackProblem, PackSettings

IntArray = NDArray[np.int64]

FILL = 0.75
"""First guess at the scale, over the scale at which the areas alone fill the tiles."""
FIRST, HIGHER, LOWER = (1.0, 0.94), (1.02, 1.045), (0.99, 0.97)
"""Scales that are tried at the same time: over the first guess; over the largest yet when all fitted; over what
the area left over tells when none did."""
BETWEEN = (0.35, 0.7)
"""Parts of the way from the largest that fitted to the smallest that did not."""


def grow_many(
    problem: PackProblem,
    settings: PackSettings,
    placers: tuple[Placer, Placer],
    pool: Executor,
    order: IntArray,
    rounds: int,
    check: Callable[[], None],
) -> Iterator[Attempt]:
    """Yield layouts with a larger and larger scale.

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
    done = 0
    while done < rounds or low == 0:
        done += 1
        for placer, guess in zip(placers, guesses, strict=True):
            placer.prepare(guess, check)
        tasks = [
            pool.submit(placer.place, order, guess, check)
            for placer, guess in zip(placers, guesses, strict=True)
        ]
        for task, guess in zip(tasks, guesses, strict=True):
            found, left = task.result()
            if left == 0 and guess > low:
                low = guess
                yield found
            elif left > 0 and guess < high:
                # What was left over tells which scale would about have fitted.
                high, likely = guess, guess * np.sqrt(1 - left / total)
        if low == 0:
            guesses = [min(likely, 0.97 * high) * step for step in LOWER]
        elif high == np.inf:
            guesses = [low * step for step in HIGHER]
        else:
            guesses = [low + (high - low) * part for part in BETWEEN]
