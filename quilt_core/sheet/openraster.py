"""Layered images as OpenRaster.

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

from quilt_core.textures.decode import encode_png

Pixels = NDArray[np.uint8]
THUMBNAIL = 256


@dataclass(frozen=True, eq=False)
class Layer:
    """A layer: its name, (H, W, 4) uint8, red first, and where its top left corner lies in the image, px."""

    name: str
    pixels: Pixels
    x: int = 0
    y: int = 0


def openraster(layers: Sequence[Layer], width: int, height: int) -> bytes:
    """A layered image of a size in px, the topmost layer first."""
    merged = Image.new("RGBA", (width, height), (0, 0, 0, 0))
    rows: list[str] = []
    data: list[tuple[str, bytes]] = []
    for number, layer in enumerate(layers):
        file = f"data/{number:03}.png"
        data.append((file, encode_png(layer.pixels)))
        rows.append(
            f'  <layer name={quoteattr(_printable(layer.name))} src="{file}" x="{layer.x}" y="{layer.y}" '
            'opacity="1.0" visibility="visible" composite-op="svg:src-over"/>'
        )
    for layer in reversed(layers):
        merged.alpha_composite(Image.fromarray(layer.pixels, "RGBA"), (layer.x, layer.y))
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


def _printable(name: str) -> str:
    """Without what XML does not allow."""
    return "".join(c if c.isprintable() else "�" for c in name)
