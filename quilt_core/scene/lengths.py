"""Lengths in words."""

from __future__ import annotations

from collections.abc import Sequence

UNITS = (("km", 1e3), ("m", 1.0), ("cm", 1e-2), ("mm", 1e-3))


def _unit(metres: float) -> tuple[str, float]:
    """The largest unit that a length has one of; mm for the smallest."""
    return next(((name, size) for name, size in UNITS if metres >= size), UNITS[-1])


def length_words(metres: float) -> str:
    """A length with three digits, in a unit that suits it.

    Examples
    --------
    >>> length_words(0.0125)
    '1.25 cm'
    """
    name, size = _unit(metres)
    return f"{metres / size:.3g} {name}"


def size_words(metres: Sequence[float]) -> str:
    """Length x width x height, in the unit that suits the longest.

    Examples
    --------
    >>> size_words([0.4, 1.25, 0.03])
    '0.4 x 1.25 x 0.03 m'
    """
    name, size = _unit(max(metres))
    return f"{' x '.join(f'{one / size:.3g}' for one in metres)} {name}"
