"""Textures with numbers beyond 0 to 1: OpenEXR and Radiance HDR, both in linear light.

References: OpenEXR file layout (magic number 0x01312f76); Radiance texture format (“#?RADIANCE”).
"""

from __future__ import annotations

import io
from typing import Any

import cv2
import numpy as np
import OpenEXR
from numpy.typing import NDArray

from quilt_core.errors import QuiltError

EXR = b"\x76\x2f\x31\x01"
RADIANCE = (b"#?RADIANCE", b"#?RGBE")
GREY = ("Y", "Z", "V")
"""Names of channels that are one value."""


def kind_of(data: bytes) -> str:
    """EXR, HDR, or nothing for a texture that is neither."""
    if data[:4] == EXR:
        return "EXR"
    return "HDR" if data.startswith(RADIANCE) else ""


def size_of(name: str, data: bytes) -> tuple[int, int]:
    """Width and height in px, read from the head alone.

    Raises
    ------
    QuiltError
        When the head cannot be read.
    """
    try:
        if kind_of(data) == "EXR":
            window = OpenEXR.File(io.BytesIO(data), header_only=True).header()["dataWindow"]
            wide, high = (np.asarray(window[1], np.int64) - window[0] + 1).tolist()
            return wide, high
        words = data[:4096].split(b"\n\n", 1)[1].split(b"\n", 1)[0].split()
        return int(words[3]), int(words[1])
    except Exception:  # whatever is wrong with the file
        raise _unreadable(name) from None


def read_high_range(name: str, data: bytes) -> NDArray[np.float32]:
    """(H, W, C) float32 with 1 to 4 channels, in linear light, as they stand in the file.

    Raises
    ------
    QuiltError
        When it cannot be read.
    """
    try:
        raw = _exr(data) if kind_of(data) == "EXR" else _radiance(data)
    except Exception:  # whatever is wrong with the file
        raise _unreadable(name) from None
    return np.ascontiguousarray(raw, np.float32)


def _radiance(data: bytes) -> NDArray[Any]:
    raw = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if raw is None:
        raise ValueError("no Radiance image")
    return np.asarray(raw[..., ::-1])


def _exr(data: bytes) -> NDArray[Any]:
    channels = OpenEXR.File(io.BytesIO(data), separate_channels=True).channels()
    named = {key.rsplit(".", 1)[-1].upper(): channel.pixels for key, channel in channels.items()}
    if not all(key in named for key in "RGB"):
        one = next((named[key] for key in (*GREY, "R") if key in named), None)
        return np.stack([next(iter(named.values())) if one is None else one], axis=2)
    return np.stack([named[key] for key in "RGBA" if key in named], axis=2)


def encode_exr(values: NDArray[np.float32]) -> bytes:
    """A 32-bit OpenEXR, compressed without loss, of (H, W, C) float32 with 1 (named Y), 3 or 4 channels."""
    names = {1: "Y", 3: "RGB", 4: "RGBA"}[values.shape[2]]
    planes = {key: np.ascontiguousarray(values[..., k], np.float32) for k, key in enumerate(names)}
    head = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    out = io.BytesIO()
    OpenEXR.File(head, planes).write(out)
    return out.getvalue()


def _unreadable(name: str) -> QuiltError:
    return QuiltError(
        "The image cannot be read.",
        name,
        "Save it again as OpenEXR with red, green and blue, or as PNG.",
    )
