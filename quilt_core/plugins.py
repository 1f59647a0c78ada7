"""What packages that are installed beside the program add to it, by entry points.

An entry point of the group ``untold_quilt.operations``, ``.formats``, ``.checks`` or ``.profiles`` names
an object that has a `name`; it appears at every door. docs/plugins.md shows one of each.
"""

from __future__ import annotations

import warnings
from collections.abc import Callable, Iterable
from importlib.metadata import entry_points
from typing import Protocol, TypeVar

GROUP = "untold_quilt"


class Named(Protocol):
    """Something that is listed by its name."""

    @property
    def name(self) -> str:
        """As it is called everywhere."""


T = TypeVar("T", bound=Named)


def installed(
    kind: str,
    what: type[T],
    taken: Iterable[str] = (),
    claims: Callable[[T], Iterable[str]] = lambda one: (),
) -> dict[str, T]:
    """Objects that other packages add; one that is broken is told by name and left out.

    Parameters
    ----------
    kind : str
        operations, formats, checks or profiles.
    what : type
        What they have to be.
    taken : iterable of str
        Names that are there already.
    claims : callable
        What else of an object must not be there already.

    Returns
    -------
    dict
        By name.
    """
    out: dict[str, T] = {}
    names = set(taken)
    for point in entry_points(group=f"{GROUP}.{kind}"):
        told = f"“{point.name}”, {kind} of the package {point.dist.name if point.dist else '?'},"
        try:
            found = point.load()
        except Exception as error:  # somebody else's code: the program works without it
            warnings.warn(f"{told} cannot be loaded and is left out: {error!r}.", stacklevel=2)
            continue
        if not isinstance(found, what):
            warnings.warn(f"{told} is no {what.__name__} and is left out.", stacklevel=2)
        elif twice := names.intersection({found.name, *claims(found)}):
            warnings.warn(
                f"{told} is left out: there is “{', '.join(sorted(twice))}” already.", stacklevel=2
            )
        else:
            names |= {found.name, *claims(found)}
            out[found.name] = found
    return out
