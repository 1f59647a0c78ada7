"""Textures: a blank, checker, id, layout or layered image for each tile, at its own resolution."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import ImageColor

from quilt_core.errors import LayoutError
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.types import IntArray
from quilt_core.sheet.checker import checker
from quilt_core.sheet.colours import object_colours
from quilt_core.sheet.layout_sheet import layout_png
from quilt_core.sheet.openraster import Layer, openraster
from quilt_core.textures.decode import as_shown, decode, encode_png

Pixels = NDArray[np.uint8]

CHECKER_CELL = 128
"""px of a checker's square, the same in every tile."""


@dataclass(frozen=True)
class TextureSheet:
    """What is drawn.

    Parameters
    ----------
    kind : str
        blank, checker, id, layout or layers.
    colour : str
        Of a blank image, as #rrggbb or #rrggbbaa (sRGB).
    channels : str
        Of a blank image, grey, rgb or rgba.
    bits : int
        Of a blank image: 8 or 16 for each channel.
    by : str
        What an id image and the layers tell apart, object, island or material.
    reach : float
        px that ids are spread beyond the border of their islands.
    """

    kind: str
    colour: str = "#808080"
    channels: str = "rgb"
    bits: int = 8
    by: str = "object"
    reach: float = 4.0

    def __post_init__(self) -> None:
        try:
            rgba(self.colour)
        except ValueError:
            raise LayoutError(
                f"A colour “{self.colour}”.", "colour", "Give it as #rrggbb or #rrggbbaa."
            ) from None


def rgba(colour: str) -> tuple[int, int, int, int]:
    """Steps of red, green, blue and alpha of a colour as text."""
    found = ImageColor.getcolor(colour, "RGBA")
    assert isinstance(found, tuple) and len(found) == 4
    return found


@dataclass(frozen=True, eq=False)
class Names:
    """What islands belong to.

    Parameters
    ----------
    group : (I,) int64
        Of each island, in the order of `of`.
    of : sequence of str
        Names of the groups.
    objects : sequence of int
        Numbers of the colours of the objects.
    """

    group: IntArray
    of: Sequence[str]
    objects: Sequence[int]


def id_colours(count: int) -> Pixels:
    """(N, 3) colours that are all different: no two share a step of eight bits in all channels.

    The first ones are those of objects on layout sheets.
    """
    out: list[tuple[int, int, int]] = []
    taken: set[tuple[int, int, int]] = set()
    for text in object_colours(range(count)):
        red, green, blue, _ = rgba(text)
        colour = (red, green, blue)
        number = 0
        while colour in taken or colour == (0, 0, 0):
            number += 1
            step = number * 7919  # a prime walks through all colours
            colour = ((red + step) % 256, (green + step // 256) % 256, (blue + step // 65536) % 256)
        taken.add(colour)
        out.append(colour)
    return np.array(out, np.uint8).reshape(-1, 3)


def draw_image(
    what: TextureSheet,
    islands: IslandSet,
    names: Names,
    size: tuple[int, int],
    background: bytes | None = None,
) -> bytes:
    """The image of a tile: PNG, or OpenRaster for layers.

    Parameters
    ----------
    what : TextureSheet
    islands : IslandSet
        Placed, in the tile's own UVs.
    names : Names
        What `what.by` tells apart.
    size : (2,) int
        Width and height in px.
    background : bytes, optional
        An image that becomes the lowest layer, scaled to the size.
    """
    if what.kind == "blank":
        return _blank(what, size)
    if what.kind == "checker":
        return _checker(size)
    if what.kind == "layout":
        return layout_png(islands, object_colours(names.objects), *size)
    if what.kind == "id":
        return encode_png(_ids(islands, names, size, what.reach))
    return _layers(islands, names, what.by, size, background)


def _blank(what: TextureSheet, size: tuple[int, int]) -> bytes:
    steps = np.array(rgba(what.colour), np.uint16)
    if what.bits == 16:
        steps *= 257
    if what.channels == "grey":
        # Luma of sRGB values (ITU-R BT.709), rounded.
        steps = np.rint([steps[:3] @ np.array([0.2126, 0.7152, 0.0722])]).astype(np.uint16)
    count = {"grey": 1, "rgb": 3, "rgba": 4}[what.channels]
    kind = np.uint8 if what.bits == 8 else np.uint16
    return encode_png(np.broadcast_to(steps[:count].astype(kind), (size[1], size[0], count)))


def _checker(size: tuple[int, int]) -> bytes:
    """Squares of the same size in px whatever the tile's."""
    side = max(size)
    squares = max(1, min(26, round(side / CHECKER_CELL)))
    drawn = decode("checker", checker(side, squares)).pixels[: size[1], : size[0], :3]
    return encode_png(np.ascontiguousarray(drawn))


def _ids(islands: IslandSet, names: Names, size: tuple[int, int], reach: float) -> Pixels:
    """(H, W, 4) one colour for each group, none of them mixed; clear beyond their reach."""
    from quilt_core.textures.texels import find_texels

    width, height = size
    px = islands.triangles * np.array([width, -height]) + np.array([0.0, height])
    texels = find_texels(px, width, height)
    source = texels.source
    rows, columns = np.divmod(source, width)
    far = np.hypot(rows - np.arange(height)[:, None], columns - np.arange(width)[None, :])
    owner = texels.owner.ravel()[source.ravel()].reshape(height, width)
    out = np.zeros((height, width, 4), np.uint8)
    has = (owner >= 0) & (far <= reach)
    group = names.group[islands.triangle_island[owner[has]]]
    out[has, :3] = id_colours(len(names.of))[group]
    out[has, 3] = 255
    return out


def _layers(
    islands: IslandSet, names: Names, by: str, size: tuple[int, int], background: bytes | None
) -> bytes:
    width, height = size
    layers: list[Layer] = []
    present = np.unique(names.group)
    colours = object_colours(names.objects if by == "object" else range(len(names.of)))
    for number in present.tolist():
        own = islands.select(names.group == number)
        layers.append(_drawn(own, names.of[number], colours[number], size))
    if background is not None:
        pixels = as_shown(decode("background", background))
        if pixels.dtype == np.uint16:
            pixels = (pixels >> 8).astype(np.uint8)
        if pixels.shape[:2] != (height, width):
            way = cv2.INTER_AREA if pixels.shape[0] > height else cv2.INTER_LINEAR
            pixels = cv2.resize(pixels, size, interpolation=way)
        layers.append(Layer("carried image", np.asarray(pixels, np.uint8)))
    return openraster(layers, width, height)


def _drawn(islands: IslandSet, name: str, colour: str, size: tuple[int, int]) -> Layer:
    """Islands of one group, thin, with their outlines; no larger than they are."""
    width, height = size
    thick = max(1, width // 1024)
    scale = np.array([width, -height], np.float64)
    points = islands.triangles * scale + (0, height)
    low = np.floor(points.min(axis=(0, 1))).astype(np.int64) - thick - 1
    high = np.ceil(points.max(axis=(0, 1))).astype(np.int64) + thick + 1
    low, high = np.clip(low, 0, np.array(size) - 1), np.clip(high, 1, size)
    high = np.maximum(high, low + 1)
    out = np.zeros((int(high[1] - low[1]), int(high[0] - low[0]), 4), np.uint8)
    # Sixteenths of a pixel; coordinates of the drawing library are those of texel centres.
    corners = np.rint((points - low - 0.5) * 16).astype(np.int32)
    red, green, blue, _ = rgba(colour)
    for triangle in corners:
        cv2.fillConvexPoly(out, triangle, (red, green, blue, 150), shift=4)
    lines = np.rint((islands.edges * scale + (0, height) - low - 0.5) * 16).astype(np.int32)
    for a, b in lines.tolist():
        cv2.line(out, a, b, (31, 42, 68, 255), thick, cv2.LINE_8, 4)
    return Layer(name, out, int(low[0]), int(low[1]))
