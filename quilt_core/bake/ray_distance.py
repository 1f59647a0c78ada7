"""Distances of rays as painted weights: images over the tiles, white for the whole distance, black for none."""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np

from quilt_core.bake.case import Reach
from quilt_core.errors import LayoutError
from quilt_core.scene.types import Float32, FloatArray
from quilt_core.textures.decode import decode


def painted_reach(images: Mapping[int, Float32]) -> Reach:
    """Read weights between the texels of images of tiles; 1 where a tile has none.

    Parameters
    ----------
    images : mapping
        Tile number to (H, W) float32 from 0 to 1, first row on top.

    Raises
    ------
    LayoutError
        When an image is no grey one.
    """
    for number, image in images.items():
        if image.ndim != 2 or not image.size:
            raise LayoutError(
                "Painted distances are no grey image.", f"tile {number}", "Give one channel."
            )

    def reach(uv: FloatArray) -> FloatArray:
        out = np.ones(len(uv))
        place = np.floor(uv)
        number = 1001 + place[:, 0] + 10 * place[:, 1]
        for tile, image in images.items():
            rows = np.flatnonzero(number == tile)
            if not len(rows):
                continue
            height, width = image.shape
            at = uv[rows] - place[rows]
            x = (at[:, 0] * width - 0.5).astype(np.float32)
            y = ((1.0 - at[:, 1]) * height - 0.5).astype(np.float32)
            # One remap takes no more than 32,767 points in a row.
            for k in range(0, len(rows), 30_000):
                part = slice(k, k + 30_000)
                found = cv2.remap(
                    image, x[None, part], y[None, part], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
                )  # fmt: skip
                out[rows[part]] = found[0]
        return out

    return reach


def grey_of(data: bytes, name: str) -> Float32:
    """(H, W) float32 from 0 to 1 of an image file: the mean of red, green and blue.

    Raises
    ------
    QuiltError
        When it cannot be read.
    """
    return np.ascontiguousarray(decode(name, data).linear(False)[..., :3].mean(axis=2))
