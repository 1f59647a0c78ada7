"""Lengths and densities in words."""

from __future__ import annotations

from collections.abc import Sequence

DENSITY_UNITS = {"px/m": 1.0, "px/cm": 0.01, "px/in": 0.0254}
"""Units that densities are shown in: lengths in metres (an inch is 0.0254 m since 1959)."""
PER_METRE = "px/m"


def density_words(density: float, unit: str = PER_METRE, digits: int = 4) -> str:
    """A density in px per metre, in the unit that it is shown in.

    Examples
    --------
    >>> density_words(512.0), density_words(512.0, "px/cm"), density_words(512.0, "px/in")
    ('512 px/m', '5.12 px/cm', '13 px/in')
    """
    value = density * DENSITY_UNITS[unit]
    return f"{value:,.{digits}g} {unit}"


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
