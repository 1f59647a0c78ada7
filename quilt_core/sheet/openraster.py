"""Layered pictures as OpenRaster.

Reference: OpenRaster specification 0.0.5 (freedesktop.org): a zip whose first entry, stored, is the type; stack.xml with
the topmost layer first; a PNG for each layer, the merged image, a thumbnail of at most 256 px.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import quoteattr

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from quilt_core.pictures.decode import encode_png

Pixels = NDArray[np.uint8]
THUMBNAIL = 256


@dataclass(frozen=True, eq=False)
class Layer:
    """A layer: its name, and (H, W, 4) uint8 as large as the picture, red first."""

    name: str
    pixels: Pixels


def openraster(layers: Sequence[Layer], width: int, height: int) -> bytes:
    """A layered picture of a size in px, the topmost layer first; each is kept as small as what it shows."""
    merged = Image.new("RGBA", (width, height), (0, 0, 0, 0))
    rows: list[str] = []
    data: list[tuple[str, bytes]] = []
    for number, layer in enumerate(layers):
        box = _box(layer.pixels)
        x0, y0, x1, y1 = box
        file = f"data/{number:03}.png"
        data.append((file, encode_png(layer.pixels[y0:y1, x0:x1])))
        rows.append(
            f'  <layer name={quoteattr(_printable(layer.name))} src="{file}" x="{x0}" y="{y0}" '
            'opacity="1.0" visibility="visible" composite-op="svg:src-over"/>'
        )
    for layer in reversed(layers):
        merged.alpha_composite(Image.fromarray(layer.pixels, "RGBA"))
    text = "\n".join(
        [
            "<?xml version='1.0' encoding='UTF-8'?>",
            f'<image version="0.0.5" w="{width}" h="{height}">',
            " <stack>",
            *rows,
            " </stack>",
            "</image>",
        ]
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "image/openraster", zipfile.ZIP_STORED)
        archive.writestr("stack.xml", text)
        for file, body in data:
            archive.writestr(file, body, zipfile.ZIP_STORED)
        archive.writestr("mergedimage.png", encode_png(np.asarray(merged)), zipfile.ZIP_STORED)
        merged.thumbnail((THUMBNAIL, THUMBNAIL))
        archive.writestr(
            "Thumbnails/thumbnail.png", encode_png(np.asarray(merged)), zipfile.ZIP_STORED
        )
    return out.getvalue()


def _box(pixels: Pixels) -> tuple[int, int, int, int]:
    """What a layer shows: left, top, right, bottom; one pixel where that is nothing."""
    rows = np.flatnonzero(pixels[..., 3].any(axis=1))
    columns = np.flatnonzero(pixels[..., 3].any(axis=0))
    if not len(rows):
        return 0, 0, 1, 1
    return int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1


def _printable(name: str) -> str:
    """Without what XML does not allow."""
    return "".join(c if c.isprintable() else "�" for c in name)
