"""Do the steps of a line one after another: the same way on files and in the application."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from quilt_core.errors import QuiltError
from quilt_core.operations.operation import Progress, Stopped
from quilt_core.operations.unwrap import NothingToDo

MOST_TOLD = 3


@dataclass(frozen=True)
class StepEnd:
    """How a step has ended.

    Parameters
    ----------
    ok : bool
        Whether it is good enough for the line to go on.
    said : sequence of str
        What it found, in words.
    cached : bool
        Whether its result was there already.
    """

    ok: bool = True
    said: Sequence[str] = ()
    cached: bool = False


@dataclass
class Walk:
    """What became of the steps of a line.

    Parameters
    ----------
    ends : list of (StepEnd, float)
        Of those that were done, with the seconds that each took; the one that failed last.
    error : QuiltError, optional
        Why the line ended before its last step; it names the step.
    """

    ends: list[tuple[StepEnd, float]] = field(default_factory=list)
    error: QuiltError | None = None


def do_steps(
    names: Sequence[str], do: Callable[[int, Progress], StepEnd], progress: Progress
) -> Walk:
    """Do steps until one fails; what it says then names the step.

    Parameters
    ----------
    names : sequence of str
        Operations in order.
    do : callable
        ``do(number, progress)``: does the step of that number, from 0.
    progress : Progress

    Raises
    ------
    Stopped
        When the user wants nothing more of it.
    """
    out = Walk()
    for k, name in enumerate(names):
        part = progress.part(k / len(names), 1 / len(names), name)
        where, began = f"step {k + 1}, {name}", time.monotonic()
        try:
            end = do(k, part)
        except Stopped:
            raise
        except NothingToDo as nothing:
            end = StepEnd(said=[str(nothing)])
        except QuiltError as error:
            out.error = QuiltError(
                error.what, ", ".join(filter(None, [where, error.where])), error.fix
            )
            end = StepEnd(False, [str(error)])
        out.ends.append((end, time.monotonic() - began))
        if not end.ok and out.error is None:
            said = "; ".join(end.said[:MOST_TOLD]) or "It was not good enough."
            out.error = QuiltError(said, where, "")
        if out.error is not None:
            return out
        progress.check()
    return out
