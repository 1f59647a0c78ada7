"""Maps of a test bake as files.

References: PNG specification (ISO/IEC 15948); OpenEXR; IEC 61966-2-1 for colours of eight bits.
"""

from __future__ import annotations

import numpy as np

from quilt_core.bake.bake import BakedTile
from quilt_core.bake.case import BakeCase
from quilt_core.scene.types import Float32
from quilt_core.textures.decode import encode_png, quantized
from quilt_core.textures.high_range import encode_exr

DEEP = ("height", "position")
"""Maps that eight bits are not enough for."""
VECTORS = ("normal", "objectNormal")


def as_image(case: BakeCase, one: BakedTile, name: str) -> Float32:
    """(H, W, C) float32 from 0 to 1 of a map; colours in linear light.

    Heights are 0.5 on the low poly surface, 1 at the longest way outward or inward.
    """
    values = one.maps[name]
    if name in VECTORS:
        return np.asarray(0.5 + 0.5 * values, np.float32)
    if name == "height":
        return np.asarray(np.clip(0.5 + 0.5 * values / height_range(case), 0.0, 1.0), np.float32)
    return np.clip(values, 0.0, 1.0)


def height_range(case: BakeCase) -> float:
    """Metres between the low poly surface and white, or black."""
    return max(float(case.outward.max()), float(case.inward.max()))


def encode_map(case: BakeCase, one: BakedTile, name: str) -> tuple[bytes, str, int]:
    """A map as a file: its bytes, ending and bits; 32 bits are OpenEXR, in which heights and positions are metres."""
    bits = case.settings.bits
    if bits == 32:
        values = one.maps[name] if name == "height" else as_image(case, one, name)
        if name == "position":
            flat = case.low.points.reshape(-1, 3)
            centre = 0.5 * (np.nanmin(flat, axis=0) + np.nanmax(flat, axis=0))
            values = ((values - 0.5) * case.low.size + centre).astype(np.float32)
        return encode_exr(np.ascontiguousarray(values)), "exr", 32
    bits = 16 if name in DEEP else bits
    return encode_png(quantized(as_image(case, one, name), name == "colour", bits)), "png", bits
