"""Plain colours in textures of eight bits: four texels around a point are set so that what is read
between them is nearer to the colour than any one of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import FloatArray
from quilt_core.textures.bakings import Baking
from quilt_core.textures.carry import SurfaceTriangles
from quilt_core.textures.decode import LINEAR_8
from quilt_core.textures.materials import Slot, TexturedMaterial

FRACTION = (1 / 3, 1 / 5)
"""Where between four texels a point is best: their weights are 8, 4, 2 and 1 of 15, so that their sums
are spread evenly."""
CHOICES = ((np.arange(16)[:, None] >> np.arange(4)) & 1).astype(np.float64)
"""(16, 4) which of the four texels have the higher step."""


def best_place(px: FloatArray) -> FloatArray:
    """(N, 2) the nearest places, px from the top left, at which plain colours are kept best."""
    return np.asarray(np.floor(px) + 0.5 + FRACTION)


def settle_constants(
    surface: SurfaceTriangles,
    slot: Slot,
    materials: Sequence[TexturedMaterial],
    bakings: Mapping[int, Baking],
    out: NDArray[np.float32],
) -> None:
    """Set the texels around points of plain colour, in a texture that is going to have eight bits.

    Parameters
    ----------
    surface : SurfaceTriangles
    slot : Slot
    materials : sequence of TexturedMaterial
    bakings : mapping
        As for `carry`.
    out : (H, W, 4) float32
        What `carry` gave; changed in place.
    """
    height, width = out.shape[:2]
    plain = [k for k in bakings if slot.name not in materials[k].bindings]
    mine = np.isin(surface.material, plain)
    if not mine.any() or slot.kind == "normal":
        return
    px = surface.px(width, height)[mine]
    point = np.ptp(px, axis=1).max(axis=1) < 1e-3
    rows = np.column_stack([px[point][:, 0], surface.material[mine][point]])
    steps = LINEAR_8.astype(np.float64) if slot.srgb else np.arange(256) / 255
    for x, y, material in np.unique(rows.round(6), axis=0):
        i, j = int(np.floor(x - 0.5)), int(np.floor(y - 0.5))
        if not (0 <= i < width - 1 and 0 <= j < height - 1):
            continue
        fx, fy = x - 0.5 - i, y - 0.5 - j
        weights = np.array([(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy])
        share = CHOICES @ weights
        for place, value in enumerate(bakings[int(material)].factors):
            channel = slot.channels[place]
            if channel > 2:
                continue
            value = min(max(float(value), 0.0), 1.0)
            high = int(np.clip(np.searchsorted(steps, value), 1, 255))
            low = high - 1
            wanted = (value - steps[low]) / (steps[high] - steps[low])
            best = CHOICES[int(np.argmin(np.abs(share - wanted)))].reshape(2, 2) > 0
            out[j : j + 2, i : i + 2, channel] = np.where(best, steps[high], steps[low])
