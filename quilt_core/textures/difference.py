"""Where the carried colour differs from what was painted: a texture for the eye, and its figures."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.textures.bakings import Baking
from quilt_core.textures.carry import SurfaceTriangles
from quilt_core.textures.decode import DecodedImage, encode_png, to_srgb
from quilt_core.textures.materials import CLAMP, Slot, TexturedMaterial
from quilt_core.textures.merge_loops import read_points
from quilt_core.textures.texels import barycentric, find_texels

SIDE = 1024
"""Longest side of the texture, px."""
FULL = 16.0
"""Steps of 255 that have the darkest colour."""
STOPS = np.array([(236, 240, 232), (222, 200, 140), (190, 110, 60), (120, 30, 60)], np.float64)
"""Colours from no difference to `FULL`, sRGB."""


@dataclass(frozen=True, eq=False)
class Difference:
    """A texture of differences, clear where no island is.

    Parameters
    ----------
    png : bytes
    median, high, most : float
        Steps of 255: in the middle, at 99 % of the texels, and the largest.
    """

    png: bytes
    median: float
    high: float
    most: float


def difference(
    surface: SurfaceTriangles,
    slot: Slot,
    materials: Sequence[TexturedMaterial],
    bakings: Mapping[int, Baking],
    images: Callable[[int, int], DecodedImage | None],
    new: NDArray[np.float32],
) -> Difference | None:
    """Compare a colour that was carried over with what was painted, at the middles of texels of a texture of at most
    `SIDE` px; None where no object has a texture. For the parameters see `carry`; `new` is in linear light."""
    height, width = new.shape[:2]
    scale = min(1.0, SIDE / max(width, height))
    wide, high = max(1, round(width * scale)), max(1, round(height * scale))
    px = surface.px(wide, high)
    owner = find_texels(px, wide, high).owner
    rows, columns = np.nonzero(owner >= 0)
    triangle = owner[rows, columns]
    at = np.stack([columns + 0.5, rows + 0.5], axis=1)
    bary = np.clip(barycentric(px[triangle], at), 0.0, 1.0)
    bary /= np.maximum(bary.sum(axis=1, keepdims=True), 1e-12)
    found = np.zeros(len(triangle))
    known = np.zeros(len(triangle), bool)
    after = to_srgb(
        read_points(new, at / (wide, high), np.array((CLAMP, CLAMP)), 1)[:, :3].astype(np.float32)
    )
    for material in np.unique(surface.material[triangle]):
        binding = materials[int(material)].bindings.get(slot.name)
        baking = bakings.get(int(material))
        image = images(int(material), binding.image) if binding is not None else None
        if binding is None or image is None or baking is None:
            continue
        mine = np.flatnonzero(surface.material[triangle] == material)
        old = np.einsum("nk,nkc->nc", bary[mine], surface.read_at(binding)[triangle[mine]])
        fine = np.isfinite(old).all(axis=1)
        mine, old = mine[fine], old[fine]
        wrap = np.array(binding.wrap, np.int64)
        before = read_points(image.linear(slot.srgb), old, wrap, 0 if binding.nearest else 1)[:, :3]
        before = to_srgb((before * np.array(baking.factors[:3])).astype(np.float32))
        found[mine] = np.abs(before - after[mine]).max(axis=1) * 255
        known[mine] = True
    if not known.any():
        return None
    out = np.zeros((high, wide, 4), np.uint8)
    out[..., :3] = STOPS[
        0
    ]  # what has no texture cannot differ, nor what is seen of it between islands
    part = np.clip(found[known] / FULL, 0.0, 1.0) * (len(STOPS) - 1)
    stops = np.arange(len(STOPS))
    colour = np.stack([np.interp(part, stops, STOPS[:, c]) for c in range(3)], axis=1)
    out[rows[known], columns[known], :3] = np.rint(colour)
    out[rows[known], columns[known], 3] = 255
    told = found[known]
    return Difference(
        encode_png(out), float(np.median(told)), float(np.percentile(told, 99)), float(told.max())
    )
