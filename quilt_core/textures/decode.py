"""Textures as arrays, and back into files.

References: IEC 61966-2-1 (sRGB); PNG specification (ISO/IEC 15948) for 8 and 16 bit.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import QuiltError
from quilt_core.textures.high_range import kind_of, read_high_range, size_of
from quilt_core.textures.pictures import check_pixels, opened

# What is wrong with a file is told in our own words.
cv2.utils.logging.setLogLevel(cv2.utils.logging.LOG_LEVEL_SILENT)

FloatArray = NDArray[np.float32]

LINEAR_8 = np.where(
    np.arange(256) / 255 <= 0.04045,
    np.arange(256) / 255 / 12.92,
    ((np.arange(256) / 255 + 0.055) / 1.055) ** 2.4,
).astype(np.float32)
"""Linear light of the 256 steps of an 8-bit sRGB channel."""


@dataclass(frozen=True, eq=False)
class DecodedImage:
    """A decoded texture.

    Parameters
    ----------
    name : str
    pixels : (H, W, 4) uint8 or uint16
        Red, green, blue, alpha; row 0 is the top.
    has_alpha : bool
    linear_light : bool
        Whether its numbers are linear light and not sRGB, whatever it shows.
    clipped : bool
        Whether something in it was brighter than 1 and was cut off.
    """

    name: str
    pixels: NDArray[Any]
    has_alpha: bool
    linear_light: bool = False
    clipped: bool = False

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in px."""
        return int(self.pixels.shape[1]), int(self.pixels.shape[0])

    @property
    def depth(self) -> int:
        """Bits of each channel."""
        return 16 if self.pixels.dtype == np.uint16 else 8

    @cached_property
    def digest(self) -> str:
        """Equal for textures with equal pixels."""
        head = f"{self.pixels.shape} {self.pixels.dtype} {self.linear_light}".encode()
        return hashlib.sha256(head + self.pixels.tobytes()).hexdigest()

    def linear(self, srgb: bool) -> FloatArray:
        """(H, W, 4) float32 from 0 to 1, in linear light where the colours are sRGB; alpha as it
        is."""
        srgb = srgb and not self.linear_light
        if self.depth == 8:
            table = np.repeat(
                np.arange(256, dtype=np.float32)[:, None] / np.float32(255), 4, axis=1
            )
            if srgb:
                table[:, :3] = LINEAR_8[:, None]
            return np.asarray(cv2.LUT(self.pixels, table[None]))
        out = self.pixels.astype(np.float32) / np.float32(65535)
        if srgb:
            out[..., :3] = to_linear(out[..., :3])
        return out


def to_linear(values: FloatArray) -> FloatArray:
    """sRGB to linear light.

    Examples
    --------
    >>> round(float(to_linear(np.float32(0.5))), 4)
    0.214
    """
    values = np.asarray(values, np.float32)
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(
        np.float32
    )


def to_srgb(values: FloatArray) -> FloatArray:
    """Linear light, 0 to 1, to sRGB.

    Examples
    --------
    >>> round(float(to_srgb(np.float32(0.214041))), 4)
    0.5
    """
    values = np.clip(values, 0.0, 1.0)
    return np.where(
        values <= 0.0031308, values * 12.92, 1.055 * values ** np.float32(1 / 2.4) - 0.055
    ).astype(np.float32)


def decode(name: str, data: bytes) -> DecodedImage:
    """Read a texture: PNG of 8 and 16 bit, JPEG, WebP, TIFF, TGA and what else the libraries know;
    OpenEXR and Radiance HDR as 16 bit from 0 to 1 in linear light.

    Raises
    ------
    QuiltError
        When it cannot be read, or is too large.
    """
    if kind_of(data):
        check_pixels(name, *size_of(name, data))
        return _of_high_range(name, read_high_range(name, data))
    with opened(name, data):
        try:
            raw = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        except cv2.error:
            raw = None
    if raw is None or raw.dtype not in (np.uint8, np.uint16):
        raw = _by_pillow(name, data)
        return DecodedImage(name, _as_rgba(raw), raw.ndim == 3 and raw.shape[2] in (2, 4))
    raw = raw if raw.ndim == 3 else raw[..., None]
    if raw.shape[2] >= 3:
        raw = raw[..., [2, 1, 0, *range(3, raw.shape[2])]]
    return DecodedImage(name, _as_rgba(raw), raw.shape[2] in (2, 4))


def _of_high_range(name: str, values: FloatArray) -> DecodedImage:
    values = np.nan_to_num(values, posinf=1.0, neginf=0.0)
    pixels = np.rint(np.clip(values, 0.0, 1.0) * np.float32(65535)).astype(np.uint16)
    beyond = bool((values > 1.0).any())
    return DecodedImage(name, _as_rgba(pixels), values.shape[2] in (2, 4), True, beyond)


def as_shown(image: DecodedImage) -> NDArray[Any]:
    """(H, W, 4) pixels whose colours are sRGB, with the texture's own depth."""
    if not image.linear_light:
        return image.pixels
    return quantized(image.linear(False), True, image.depth)


def _by_pillow(name: str, data: bytes) -> NDArray[np.uint8]:
    with opened(name, data) as image:
        return np.asarray(image.convert("RGBA"))


def _as_rgba(raw: NDArray[Any]) -> NDArray[Any]:
    full = np.iinfo(raw.dtype).max
    out = np.full((*raw.shape[:2], 4), full, raw.dtype)
    channels = raw.shape[2]
    out[..., :3] = raw[..., :1] if channels < 3 else raw[..., :3]
    if channels in (2, 4):
        out[..., 3] = raw[..., -1]
    return out


def quantized(values: FloatArray, srgb: bool, depth: int) -> NDArray[Any]:
    """(H, W, C) float32 in linear light to whole steps; alpha (a fourth channel) as it is."""
    full = 255 if depth == 8 else 65535
    out = np.empty(values.shape, np.uint8 if depth == 8 else np.uint16)
    for row in range(0, len(values), 256):
        band = np.clip(values[row : row + 256], 0.0, 1.0)
        if srgb:
            band = np.concatenate([to_srgb(band[..., :3]), band[..., 3:]], axis=2)
        out[row : row + 256] = np.rint(band.astype(np.float64) * full)
    return out


def encode_png(pixels: NDArray[Any]) -> bytes:
    """A PNG of (H, W, C) uint8 or uint16 with 1, 3 or 4 channels, red first."""
    order = {1: [0], 3: [2, 1, 0], 4: [2, 1, 0, 3]}[pixels.shape[2]]
    fine, data = cv2.imencode(
        ".png", np.ascontiguousarray(pixels[..., order]), [cv2.IMWRITE_PNG_COMPRESSION, 4]
    )
    if not fine:
        raise QuiltError("The image cannot be written.", "PNG", "Choose a smaller size.")
    return data.tobytes()


def encode(pixels: NDArray[Any], form: str) -> bytes:
    """(H, W, C) uint8 or uint16, red first, as png, jpeg (8 bit, no alpha, quality 92, all colours kept) or webp (8 bit,
    nothing lost)."""
    if form == "png":
        return encode_png(pixels)
    order = {1: [0], 3: [2, 1, 0], 4: [2, 1, 0, 3]}[pixels.shape[2]]
    how = (
        [cv2.IMWRITE_JPEG_QUALITY, 92, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, 0x111111]
        if form == "jpeg"
        else [cv2.IMWRITE_WEBP_QUALITY, 101]
    )
    if form == "webp" and max(pixels.shape[:2]) > 16383:
        raise QuiltError(
            "A WebP image cannot have more than 16,383 px along a side.",
            "WebP",
            "Write it as PNG.",
        )
    fine, data = cv2.imencode(f".{form}", np.ascontiguousarray(pixels[..., order]), how)
    if not fine:
        raise QuiltError("The image cannot be written.", form, "Choose a smaller size, or PNG.")
    return data.tobytes()
