"""Numbered sets of textures: one for each tile, as one texture.

Names carry the tile's number, 1001 + column + 10 x row (common practice), or “<UDIM>” for all of them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np

from quilt_core.errors import QuiltError
from quilt_core.scene.model import Siblings
from quilt_core.textures.decode import DecodedImage, as_shown, decode, encode_png
from quilt_core.textures.materials import CLAMP, TextureBinding
from quilt_core.textures.pictures import MOST_PIXELS
from quilt_core.textures.roles import guess_role

LAST = 1100
ALONE = (0, 0, 1, 1)
"""Tiles (column, row, columns, rows) of a texture by itself."""


@dataclass(frozen=True, eq=False)
class NumberedSet:
    """Textures of tiles side by side.

    Parameters
    ----------
    name : str
        With “<UDIM>” for the number.
    data : bytes
        PNG of all of them, tiles without one empty.
    column, row, columns, rows : int
        Which tiles it covers.
    """

    name: str
    data: bytes
    column: int
    row: int
    columns: int
    rows: int

    def binding(self, binding: TextureBinding) -> TextureBinding:
        """A use that reads the whole set at UVs that run through the tiles; both count down from the
        top."""
        x = np.array([1 / self.columns, 1 / self.rows])
        shift = np.array([-self.column / self.columns, (self.rows - 1 + self.row) / self.rows])
        matrix = binding.matrix * x[:, None]
        matrix[:, 2] += shift
        return replace(binding, matrix=matrix, wrap=(CLAMP, CLAMP))


def numbered_set(name: str, siblings: Siblings | None, colours: bool = True) -> NumberedSet | None:
    """The set that a texture's name stands for; None when it is a texture by itself.

    Parameters
    ----------
    name : str
    siblings : callable or None
        Reads a file beside it by its name.
    colours : bool
        Whether it shows colours: then textures in linear light are written as sRGB.

    Raises
    ------
    QuiltError
        When one of its textures cannot be read, or all of them together are too large.
    """
    if siblings is None:
        return None
    pattern = re.sub(r"<udim>", "<UDIM>", name, flags=re.IGNORECASE)
    if "<UDIM>" not in pattern:
        pattern = re.sub(r"(?<=[._-])1[01]\d\d(?=\.\w+$)", "<UDIM>", name)
    if "<UDIM>" not in pattern:
        return None
    found = {
        number: data
        for number in range(1001, LAST + 1)
        if (data := siblings(pattern.replace("<UDIM>", str(number)))) is not None
    }
    if not found or ("<UDIM>" not in name.upper() and len(found) < 2):
        return None
    images = {n: decode(pattern.replace("<UDIM>", str(n)), data) for n, data in found.items()}
    return _side_by_side(pattern, images, colours)


def grouped(files: Mapping[str, bytes]) -> list[tuple[str, bytes, tuple[int, int, int, int]]]:
    """Textures one by one, those of a numbered set as one: name, bytes, and which tiles it covers (column, row, columns,
    rows; one tile at the first place for a single texture)."""
    out: dict[str, tuple[str, bytes, tuple[int, int, int, int]]] = {}
    taken: set[str] = set()
    for name, data in files.items():
        stem = re.sub(r"(?<=[._-])1[01]\d\d(?=\.\w+$)", "<UDIM>", name)
        if stem in taken:
            continue
        role = guess_role(name)[0]
        many = numbered_set(name, files.get, role in ("", "baseColor", "emissive"))
        if many is None:
            out[name] = (name, data, ALONE)
        else:
            tiles = (many.column, many.row, many.columns, many.rows)
            out[many.name] = (many.name, many.data, tiles)
            taken.add(many.name)
    return list(out.values())


def over_tiles(binding: TextureBinding, tiles: tuple[int, int, int, int]) -> TextureBinding:
    """A use that reads a texture of many tiles; the same for one that is alone."""
    return binding if tiles == ALONE else NumberedSet("", b"", *tiles).binding(binding)


def _side_by_side(name: str, images: dict[int, DecodedImage], colours: bool) -> NumberedSet:
    places = {n: ((n - 1001) % 10, (n - 1001) // 10) for n in images}
    column, row = (min(place[k] for place in places.values()) for k in (0, 1))
    columns, rows = (
        1 + max(p[k] for p in places.values()) - low for k, low in ((0, column), (1, row))
    )
    wide = max(image.size[0] for image in images.values())
    high = max(image.size[1] for image in images.values())
    if columns * wide * rows * high > MOST_PIXELS:
        raise QuiltError(
            f"The set has {columns * wide:,} x {rows * high:,} px in all.",
            name,
            "Scale its textures.",
        )
    deep = max(image.depth for image in images.values())
    out = np.zeros((rows * high, columns * wide, 4), np.uint16 if deep == 16 else np.uint8)
    for number, image in images.items():
        pixels = as_shown(image) if colours else image.pixels
        if deep == 16 and image.depth == 8:
            pixels = pixels.astype(np.uint16) * 257
        if image.size != (wide, high):
            pixels = np.asarray(cv2.resize(pixels, (wide, high), interpolation=cv2.INTER_LINEAR))
        x = (places[number][0] - column) * wide
        y = (rows - 1 - places[number][1] + row) * high
        out[y : y + high, x : x + wide] = pixels
    alpha = any(image.has_alpha for image in images.values())
    data = encode_png(out if alpha else np.ascontiguousarray(out[..., :3]))
    return NumberedSet(name, data, column, row, columns, rows)
