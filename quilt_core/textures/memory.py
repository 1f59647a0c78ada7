"""Memory of textures with their mip levels."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any


def memory_of(width: int, height: int, channels: int, bits: int) -> dict[str, int]:
    """Bytes of a texture with all its mip levels.

    Parameters
    ----------
    width, height, channels, bits : int

    Returns
    -------
    dict
        raw (as a graphics card stores it: three channels take four), bc1, bc5, bc7 and astc4x4.

    References
    ----------
    Khronos Data Format Specification 1.3, chapters 18 to 23: blocks of 4 x 4 texels, BC1 with 8 bytes
    each, BC5, BC7 and ASTC 4x4 with 16.

    Examples
    --------
    >>> memory_of(4, 4, 3, 8)["bc7"]
    48
    """
    raw = blocks = 0
    stored = 4 if channels == 3 else channels
    while True:
        raw += width * height * stored * bits // 8
        blocks += math.ceil(width / 4) * math.ceil(height / 4)
        if width == height == 1:
            break
        width, height = max(1, width // 2), max(1, height // 2)
    return {
        "raw": raw,
        "bc1": blocks * 8,
        "bc5": blocks * 16,
        "bc7": blocks * 16,
        "astc4x4": blocks * 16,
    }


def memory_total(sizes: Sequence[tuple[int, int, int, int]]) -> dict[str, Any]:
    """Sums of `memory_of` over textures."""
    out = {"raw": 0, "bc1": 0, "bc5": 0, "bc7": 0, "astc4x4": 0}
    for size in sizes:
        for name, value in memory_of(*size).items():
            out[name] += value
    return out
