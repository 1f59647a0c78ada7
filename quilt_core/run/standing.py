"""How a line stands: whether it is current, and why not. The same rule for lines on files and in the application."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from quilt_core.run.reasons import shortened

CURRENT, STALE, FAILED, HELD, DONE = "current", "out of date", "failed", "held", "done"


@dataclass(frozen=True)
class Kept:
    """What is known of a line from the times it was done.

    Parameters
    ----------
    done : collection of str
        Digests of what its kept results were made from.
    tried : str
        Digest of what it was done from last; "" where it never was.
    error : str
        Why it failed then; "" where it did not.
    """

    done: Collection[str] = ()
    tried: str = ""
    error: str = ""


@dataclass(frozen=True)
class Standing:
    """A state, and the reasons for it in words."""

    state: str
    because: list[str]


def standing(
    kept: Kept,
    digest: str,
    why: Callable[[], list[str]],
    also: Sequence[str] = (),
    *,
    hold: bool = False,
    asked: bool = False,
) -> Standing:
    """How a line stands.

    Parameters
    ----------
    kept : Kept
    digest : str
        Of all that it depends on now.
    why : callable
        What has changed since it was done, in words; asked where the digest is another one.
    also : sequence of str
        What speaks against its result though it was made from the same.
    hold : bool
        Whether it is left as it is.
    asked : bool
        Whether it is wanted again though it is current.

    Examples
    --------
    >>> standing(Kept(["a"], "a"), "b", lambda: ["padding 8 → 4"])
    Standing(state='out of date', because=['padding 8 → 4'])
    >>> standing(Kept(["a"], "b", "No room."), "b", list).state
    'failed'
    """
    if asked and not hold:
        return Standing(STALE, ["it is asked for"])
    if not kept.tried:
        because = [*also, "it has not run yet"]
    elif digest == kept.tried and kept.error:
        return Standing(HELD if hold else FAILED, [kept.error])
    elif digest in kept.done:
        because = list(also)
    else:
        because = shortened([*also, *why()]) or ["something it depends on has changed"]
    state = HELD if hold else STALE if because else CURRENT
    return Standing(state, because)
