"""How coarse a texture may become before one sees it: the levels of its mip chain, island by island.

A level is made as graphics hardware makes and shows it: means of squares of 2, 4, 8 … texels in linear light, enlarged
by linear interpolation (OpenGL 4.6 core profile, 8.14). An island's texels are averaged among themselves: what lies beside
it in the old texture does not lie beside it in a new one.

References
----------
Peak signal-to-noise ratio: ITU-T J.340. Colour difference: CIEDE2000, ISO/CIE 11664-6, by scikit-image. 45 dB, and a difference
of 1 that 99 % of the texels keep below, are common practice for “looks the same”.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import BoolArray, FloatArray
from quilt_core.textures.decode import to_srgb
from quilt_core.textures.materials import CLAMP, MIRRORED, Slot, TextureBinding
from quilt_core.textures.texels import find_texels, nearest_texels

Image = NDArray[np.float32]

MOST_COMPARED = 60_000
"""Texels of an island whose colours are compared, spread evenly over it."""


@dataclass(frozen=True)
class Alike:
    """When two textures look the same.

    Parameters
    ----------
    decibels : float
        Least peak signal-to-noise ratio of the values as they are stored, dB.
    colour : float
        Largest CIEDE2000 of a texel of a colour.
    share : float
        Part of the texels that must keep below that.
    """

    decibels: float = 45.0
    colour: float = 1.0
    share: float = 0.99


def read_texels(
    image: Image, at: FloatArray, binding: TextureBinding
) -> tuple[Image, BoolArray] | None:
    """The texels that triangles cover, with what lies round them.

    Parameters
    ----------
    image : (H, W, 4) float32
    at : (N, 3, 2) float64
        Where the corners read, in repeats of the texture, origin at the top left.
    binding : TextureBinding
        How it goes on beyond its edges.

    Returns
    -------
    tuple
        (h, w, 4) float32, and (h, w) bool which of them are covered. All of the texture where triangles cover more than
        one repeat; None where they cover nothing.
    """
    high, wide = image.shape[:2]
    px = at[np.isfinite(at).all(axis=(1, 2))] * (wide, high)
    if not len(px):
        return None
    low = np.floor(px.min(axis=(0, 1))).astype(np.int64)
    size = np.maximum(np.ceil(px.max(axis=(0, 1))).astype(np.int64) - low, 1)
    if size[0] > wide or size[1] > high:
        return image, np.ones((high, wide), bool)
    inside = find_texels(px - low, int(size[0]), int(size[1])).owner >= 0
    if not inside.any():
        return None
    columns = _wrapped(np.arange(low[0], low[0] + size[0]), wide, binding.wrap[0])
    rows = _wrapped(np.arange(low[1], low[1] + size[1]), high, binding.wrap[1])
    return image[np.ix_(rows, columns)], inside


def _wrapped(at: NDArray[np.int64], count: int, how: int) -> NDArray[np.int64]:
    if how == CLAMP:
        return np.clip(at, 0, count - 1)
    if how == MIRRORED:
        at = at % (2 * count)
        return np.minimum(at, 2 * count - 1 - at)
    return at % count


def coarsest(values: Image, inside: BoolArray, slot: Slot, alike: Alike) -> int:
    """The last level of the mip chain up to which all look like the texture.

    Parameters
    ----------
    values : (H, W, 4) float32
        In linear light where the slot has colours, else as they are stored.
    inside : (H, W) bool
        Texels that count.
    slot : Slot
    alike : Alike

    Returns
    -------
    int
        0 where the texture needs all its texels; each level more has half as many to the metre.
    """
    most = max(int(np.ceil(np.log2(max(inside.shape)))), 0)
    rows, columns = np.nonzero(inside)
    if len(rows) > MOST_COMPARED:
        chosen = np.linspace(0, len(rows) - 1, MOST_COMPARED).astype(np.int64)
        rows, columns = rows[chosen], columns[chosen]
    before = values[rows, columns]
    for level in range(1, most + 1):
        after = shown_from(values, inside, level, slot)[rows, columns]
        if not _same(before, after, slot, alike):
            return level - 1
    return most


def shown_from(values: Image, inside: BoolArray, level: int, slot: Slot) -> Image:
    """(H, W, 4) what is seen of the texture when it is read from a level of its mip chain."""
    high, wide = inside.shape
    step = 2**level
    small = (-(-wide // step), -(-high // step))
    padded = (small[1] * step - high, small[0] * step - wide)
    there = np.pad(inside.astype(np.float32), ((0, padded[0]), (0, padded[1])))
    kept = np.pad(values, ((0, padded[0]), (0, padded[1]), (0, 0))) * there[..., None]
    weight = cv2.resize(there, small, interpolation=cv2.INTER_AREA)
    mean: Image = np.asarray(cv2.resize(kept, small, interpolation=cv2.INTER_AREA), np.float32)
    mean = (mean / np.maximum(weight, 1e-9)[..., None]).astype(np.float32)
    if slot.kind == "normal":
        mean[..., :3] = _unit(mean[..., :3])
    # Squares without a texel of the island are filled as the gap round it is.
    source = nearest_texels(weight <= 0)
    mean = mean.reshape(-1, 4)[source.ravel()].reshape(mean.shape)
    full = (small[0] * step, small[1] * step)
    return np.asarray(cv2.resize(mean, full, interpolation=cv2.INTER_LINEAR)[:high, :wide])


def _unit(stored: Image) -> Image:
    """Stored normals, as long as one again."""
    vector = 2.0 * stored - 1.0
    length = np.linalg.norm(vector, axis=2, keepdims=True)
    return np.asarray(0.5 + 0.5 * vector / np.maximum(length, 1e-6), np.float32)


def _same(before: Image, after: Image, slot: Slot, alike: Alike) -> bool:
    channels = list(slot.channels)
    if slot.srgb:
        before, after = _stored(before), _stored(after)
    error = float(((before[:, channels] - after[:, channels]) ** 2).mean())
    if -10.0 * np.log10(max(error, 1e-12)) < alike.decibels:
        return False
    if not slot.srgb:
        return True
    from skimage.color import deltaE_ciede2000, rgb2lab

    seen: FloatArray = deltaE_ciede2000(  # type: ignore[no-untyped-call]
        rgb2lab(before[:, :3]), rgb2lab(after[:, :3])
    )
    return bool(np.quantile(seen, alike.share) <= alike.colour)


def _stored(values: Image) -> Image:
    return np.concatenate([to_srgb(values[:, :3]), values[:, 3:]], axis=1)
