"""Fabric colours of objects: one lightness and chroma in OKLCH, a hue per object.

Reference: Ottosson 2020, A perceptual color space for image processing (the OKLab matrices,
memory).
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

import numpy as np

GOLDEN = 137.50776405003785
LIGHTNESS, CHROMA = 0.78, 0.085


def oklch_to_hex(lightness: float, chroma: float, hue: float) -> str:
    """sRGB hex of an OKLCH colour, hue in degrees; out-of-gamut values are clipped.

    Examples
    --------
    >>> oklch_to_hex(1.0, 0.0, 0.0)
    '#ffffff'
    """
    a, b = chroma * np.cos(np.radians(hue)), chroma * np.sin(np.radians(hue))
    long = (lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3
    medium = (lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3
    short = (lightness - 0.0894841775 * a - 1.2914855480 * b) ** 3
    linear = np.array(
        [
            4.0767416621 * long - 3.3077115913 * medium + 0.2309699292 * short,
            -1.2684380046 * long + 2.6097574011 * medium - 0.3413193965 * short,
            -0.0041960863 * long - 0.7034186147 * medium + 1.7076147010 * short,
        ]
    ).clip(0, 1)
    srgb = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    return "#" + "".join(f"{round(float(v) * 255):02x}" for v in srgb)


def object_colours(numbers: Iterable[int]) -> list[str]:
    """Colours of objects by their numbers, the same on the table, on sheets and in reports; neighbours are far apart in hue."""
    return [object_colour(number) for number in numbers]


@lru_cache(maxsize=4096)
def object_colour(number: int) -> str:
    """Colour of the object of a number, from 0: the same whatever others there are."""
    return oklch_to_hex(LIGHTNESS, CHROMA, (250 + number * GOLDEN) % 360)
