"""Gaps against mip levels.

A gap of g px at level 0 is g / 2^k at level k; it has closed where less than one texel is left.
Source: arithmetic; 16 px at 2048 keeps one texel down to level 4 (128 px).
"""

from __future__ import annotations

import math


def last_open_level(pixels: float) -> int:
    """Last mip level at which a gap still has a texel; -1 when it has none at full size.

    Examples
    --------
    >>> last_open_level(16.0), last_open_level(5.0), last_open_level(0.5)
    (4, 2, -1)
    """
    if pixels < 1:
        return -1
    return math.frexp(min(pixels, 2.0**40))[1] - 1


def closing(pixels: float, size: int) -> str:
    """A few words: where a gap closes in a texture of `size` px.

    Examples
    --------
    >>> closing(16.0, 2048)
    'closes at mip level 5 (64 px)'
    >>> closing(0.3, 2048)
    'closed at full size'
    """
    level = last_open_level(pixels) + 1
    if level == 0:
        return "closed at full size"
    if level > int(math.log2(max(size, 1))):
        return "never closes"
    return f"closes at mip level {level} ({max(size >> level, 1)} px)"
