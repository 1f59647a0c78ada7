"""Put carried textures together as a profile wants them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from quilt_core.textures.carry import FLAT_NORMAL, NEUTRAL
from quilt_core.textures.decode import decode, encode, to_linear, to_srgb
from quilt_core.textures.materials import PLAIN
from quilt_core.textures.merge import Group, Merged
from quilt_core.textures.profile import SOURCES, SRGB, TURNED, Profile, ProfileTexture

Image = NDArray[np.float32]
INSTEAD = {
    ("metallicRoughness", 1): ("roughness", 0, 1.0),
    ("metallicRoughness", 2): ("metal", 0, 0.0),
    ("baseColor", 3): ("opacity", 0, 1.0),
}
"""Slots that MTL has of its own, and what stands where it says nothing."""


def compose(
    profile: Profile, merged: Merged, name: Callable[[str], str]
) -> tuple[dict[str, bytes], dict[str, tuple[int, int, int, int]]]:
    """The textures of a profile, from those that were carried over.

    Colours are written as sRGB, everything else as it is. Factors that stay on the materials are worked in, as engines
    read the textures without them; the strength of an emission beyond 1 is not.

    Parameters
    ----------
    profile : Profile
    merged : Merged
    name : callable
        Name of the file of a role, without its ending.

    Returns
    -------
    files, sizes : dict
        Names to bytes, and to width, height, channels and bits.
    """
    files: dict[str, bytes] = {}
    sizes: dict[str, tuple[int, int, int, int]] = {}
    reader = _Reader(merged)
    for image in profile.images:
        pixels = _image(image, reader, profile.largest)
        ending = "jpg" if image.format == "jpeg" else image.format
        file = f"{name(image.role)}.{ending}"
        files[file] = encode(pixels, image.format)
        bits = 16 if pixels.dtype == np.uint16 else 8
        sizes[file] = (pixels.shape[1], pixels.shape[0], pixels.shape[2], bits)
    return files, sizes


class _Reader:
    """Channels of the carried textures, decoded when they are asked for."""

    def __init__(self, merged: Merged) -> None:
        self.merged = merged
        self._last: tuple[str, NDArray[Any]] = ("", np.zeros((1, 1, 4), np.uint8))

    def pixels(self, file: str) -> NDArray[Any]:
        if self._last[0] != file:
            self._last = file, decode(file, self.merged.files[file]).pixels
        return self._last[1]

    def slot_of(self, source: str) -> tuple[str, int, float]:
        """The slot and channel that a source is read from, and what stands where there is none."""
        slot, channel = SOURCES[source]
        groups = self.merged.groups
        other = INSTEAD.get((slot, channel))
        if other and any(other[0] in g.factors or other[0] in g.slots for g in groups):
            return other
        if other and not self.merged.physical and slot == "metallicRoughness":
            return slot, channel, other[2]
        plain, at = PLAIN.get(slot, (1.0,) * 4), _place(slot, channel)
        return slot, channel, plain[at] if at < len(plain) else 1.0

    def depth(self, source: str) -> int:
        """Bits of a source's texture, 8 without any."""
        slot = self.slot_of(source)[0]
        return max(
            (self.merged.sizes[f][3] for g in self.merged.groups if (f := g.slots.get(slot, ""))),
            default=8,
        )

    def size(self, source: str) -> tuple[int, int] | None:
        """Width and height of a source's texture."""
        slot = self.slot_of(source)[0]
        found = [self.merged.sizes[f] for g in self.merged.groups if (f := g.slots.get(slot, ""))]
        return max(((w, h) for w, h, _, _ in found), default=None)

    def channel(self, source: str, size: tuple[int, int], full: int) -> NDArray[Any]:
        """(H, W) a channel in steps up to `full`, or float32 up to that."""
        width, height = size
        if source in ("black", "white"):
            return np.full((height, width), full if source == "white" else 0, np.float32)
        slot, channel, nothing = self.slot_of(source)
        groups = self.merged.groups
        file = next((f for g in groups if (f := g.slots.get(slot, ""))), "")
        values = [_value(g, slot, channel, nothing) for g in groups]
        if file and all(
            g.slots.get(slot) == file and v == 1.0 for g, v in zip(groups, values, strict=True)
        ):
            pixels = self.pixels(file)
            if pixels.shape[:2] == (height, width) and np.iinfo(pixels.dtype).max == full:
                return np.asarray(pixels[..., channel])
        out = np.ones((height, width), np.float32)
        if slot == "normal":
            out[:] = FLAT_NORMAL[channel]
        if slot in NEUTRAL:
            out[:] = NEUTRAL[slot]
        if file:
            pixels = self.pixels(file)
            out = pixels[..., channel].astype(np.float32) / np.float32(np.iinfo(pixels.dtype).max)
        srgb = source in SRGB
        if file and srgb:
            out = to_linear(out)
        if out.shape != (height, width):
            way = cv2.INTER_AREA if out.shape[0] > height else cv2.INTER_LINEAR
            out = np.asarray(cv2.resize(out, (width, height), interpolation=way), np.float32)
        out = self._with_factors(out, slot, values, size)
        return (to_srgb(out) if srgb else out) * np.float32(full)

    def _with_factors(
        self, out: Image, slot: str, values: Sequence[float], size: tuple[int, int]
    ) -> Image:
        if all(v == 1.0 for v in values):
            return out
        factor: Any = values[0]
        if len(set(values)) > 1:
            factor = np.array(values, np.float32)[self.merged.group_at(*size)]
        if slot == "occlusion":
            return np.asarray(1.0 + factor * (out - 1.0), np.float32)
        if slot == "normal":
            return out  # the scale of normals is a matter of all three channels, see `_image`
        return np.asarray(out * factor, np.float32)


def _value(group: Group, slot: str, channel: int, nothing: float) -> float:
    """What a group multiplies a channel with."""
    factors = group.factors.get(slot)
    if slot in ("normal", "occlusion"):
        return factors[0] if factors else 1.0
    at = _place(slot, channel)
    if not factors or at >= len(factors):
        return nothing
    if slot == "emissive":
        return factors[at] / max(1.0, *factors)
    return factors[at]


def _place(slot: str, channel: int) -> int:
    """Place of a channel's factor: green and blue are the first two of roughness and metal."""
    return channel - 1 if slot == "metallicRoughness" else channel


def _image(image: ProfileTexture, reader: _Reader, largest: int) -> NDArray[Any]:
    known = [size for source in image.channels if (size := reader.size(source))]
    width, height = max(known, default=reader.merged.plain_size)
    scale = min(1.0, largest / max(width, height))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    bits = image.bits or max(reader.depth(source) for source in image.channels)
    if image.format != "png":
        bits = 8
    full = 255 if bits == 8 else 65535
    channels = []
    for source in image.channels:
        own = reader.channel(source, size, full)
        if source in TURNED:
            # The byte nearest to nothing at all, 128, is meant as flat, and stays so.
            flat = (
                own == 128
                if full == 255 and source == "normal.y down"
                else np.zeros_like(own, bool)
            )
            own = np.where(flat, own, full - own)
        channels.append(own)
    channels = _scaled_normals(image, reader, channels, size, full)
    kind = np.uint8 if bits == 8 else np.uint16
    return np.stack([np.rint(np.clip(own, 0, full)).astype(kind) for own in channels], axis=2)


def _scaled_normals(
    image: ProfileTexture,
    reader: _Reader,
    channels: list[NDArray[Any]],
    size: tuple[int, int],
    full: int,
) -> list[NDArray[Any]]:
    """Work the scale of normals that stays on the materials into their vectors."""
    groups = reader.merged.groups
    values = [_value(g, "normal", 0, 1.0) for g in groups]
    at = {source[7]: k for k, source in enumerate(image.channels) if source.startswith("normal")}
    if all(v == 1.0 for v in values) or set(at) != {"x", "y", "z"}:
        return channels
    scale: Any = values[0]
    if len(set(values)) > 1:
        scale = np.array(values, np.float32)[reader.merged.group_at(*size)]
    x, y, z = (channels[at[axis]].astype(np.float32) / full * 2 - 1 for axis in "xyz")
    if full == 255:
        # The byte nearest to nothing, 128, is meant as flat.
        x, y = (np.where(np.abs(v - 1 / 255) < 1e-4, 0.0, v) for v in (x, y))
    x, y = x * scale, y * scale
    length = np.sqrt(x * x + y * y + z * z)
    length[length == 0] = 1.0
    out = list(channels)
    for axis, value in zip("xyz", (x, y, z), strict=True):
        stored = (value / length * 0.5 + 0.5) * full
        if axis != "z" and full == 255:
            stored = np.where(value == 0.0, 128.0, stored)
        out[at[axis]] = stored
    return out
