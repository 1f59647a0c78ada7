"""Numbered sets of pictures: one for each tile, as one picture.

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
from quilt_core.textures.decode import MOST_PIXELS, Picture, as_shown, decode, encode_png
from quilt_core.textures.looks import CLAMP, Use
from quilt_core.textures.roles import guess_role

LAST = 1100
ALONE = (0, 0, 1, 1)
"""Tiles (column, row, columns, rows) of a picture by itself."""


@dataclass(frozen=True, eq=False)
class NumberedSet:
    """Pictures of tiles side by side.

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

    def use(self, use: Use) -> Use:
        """A use that reads the whole set at UVs that run through the tiles; both count down from the
        top."""
        x = np.array([1 / self.columns, 1 / self.rows])
        shift = np.array([-self.column / self.columns, (self.rows - 1 + self.row) / self.rows])
        matrix = use.matrix * x[:, None]
        matrix[:, 2] += shift
        return replace(use, matrix=matrix, wrap=(CLAMP, CLAMP))


def numbered_set(name: str, siblings: Siblings | None, colours: bool = True) -> NumberedSet | None:
    """The set that a picture's name stands for; None when it is a picture by itself.

    Parameters
    ----------
    name : str
    siblings : callable or None
        Reads a file beside it by its name.
    colours : bool
        Whether it shows colours: then pictures in linear light are written as sRGB.

    Raises
    ------
    QuiltError
        When one of its pictures cannot be read, or all of them together are too large.
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
    pictures = {n: decode(pattern.replace("<UDIM>", str(n)), data) for n, data in found.items()}
    return _side_by_side(pattern, pictures, colours)


def grouped(files: Mapping[str, bytes]) -> list[tuple[str, bytes, tuple[int, int, int, int]]]:
    """Pictures one by one, those of a numbered set as one: name, bytes, and which tiles it covers (column, row, columns,
    rows; one tile at the first place for a single picture)."""
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


def over_tiles(use: Use, tiles: tuple[int, int, int, int]) -> Use:
    """A use that reads a picture of many tiles; the same for one that is alone."""
    return use if tiles == ALONE else NumberedSet("", b"", *tiles).use(use)


def _side_by_side(name: str, pictures: dict[int, Picture], colours: bool) -> NumberedSet:
    places = {n: ((n - 1001) % 10, (n - 1001) // 10) for n in pictures}
    column, row = (min(place[k] for place in places.values()) for k in (0, 1))
    columns, rows = (
        1 + max(p[k] for p in places.values()) - low for k, low in ((0, column), (1, row))
    )
    wide = max(picture.size[0] for picture in pictures.values())
    high = max(picture.size[1] for picture in pictures.values())
    if columns * wide * rows * high > MOST_PIXELS:
        raise QuiltError(
            f"The set has {columns * wide:,} x {rows * high:,} px in all.",
            name,
            "Scale its textures.",
        )
    deep = max(picture.depth for picture in pictures.values())
    out = np.zeros((rows * high, columns * wide, 4), np.uint16 if deep == 16 else np.uint8)
    for number, picture in pictures.items():
        pixels = as_shown(picture) if colours else picture.pixels
        if deep == 16 and picture.depth == 8:
            pixels = pixels.astype(np.uint16) * 257
        if picture.size != (wide, high):
            pixels = np.asarray(cv2.resize(pixels, (wide, high), interpolation=cv2.INTER_LINEAR))
        x = (places[number][0] - column) * wide
        y = (rows - 1 - places[number][1] + row) * high
        out[y : y + high, x : x + wide] = pixels
    alpha = any(picture.has_alpha for picture in pictures.values())
    data = encode_png(out if alpha else np.ascontiguousarray(out[..., :3]))
    return NumberedSet(name, data, column, row, columns, rows)
