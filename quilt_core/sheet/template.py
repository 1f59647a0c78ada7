"""UV templates: edges of faces on a clear ground, borders of islands stronger, to paint over; as PNG or as SVG."""

from __future__ import annotations

import io
import xml.etree.ElementTree as ET
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from PIL import Image, ImageColor, ImageDraw, ImageFont

from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.sheet.layout_sheet import INK

STRONGER = 2.0
"""How much wider borders are than edges of faces."""
LABEL = 1 / 80
"""Height of a label, as a part of the tile's smaller side."""
FINE = 4
"""Bits after the point of coordinates, for lines that are smooth."""


@dataclass(frozen=True, eq=False)
class Template:
    """What a template shows.

    Parameters
    ----------
    islands : IslandSet
        Placed, in the tile's own UVs.
    triangle_face : (N,) int64
        Face of each triangle of the islands.
    names : sequence of str
        Of the objects.
    colours : sequence of str
        Of the objects, #rrggbb.
    line : float
        Width of faces' edges, px.
    labels : bool
        Whether objects are named, on their largest island.
    """

    islands: IslandSet
    triangle_face: IntArray
    names: Sequence[str]
    colours: Sequence[str]
    line: float = 1.0
    labels: bool = False


def face_edges(triangles: FloatArray, face: IntArray) -> tuple[FloatArray, IntArray]:
    """Edges of faces, each once: sides of their triangles but for diagonals inside a face.

    Parameters
    ----------
    triangles : (N, 3, 2) float64
    face : (N,) int64

    Returns
    -------
    (E, 2, 2) float64
    (E,) int64
        A triangle that each edge is of.

    Examples
    --------
    >>> square = np.array([[[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 1], [0, 1]]], float)
    >>> len(face_edges(square, np.array([7, 7]))[0])
    4
    >>> len(face_edges(square, np.array([7, 8]))[0])
    5
    """
    ends = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2, 2)
    if not len(ends):
        return ends, np.empty(0, np.int64)
    point = np.unique(ends.reshape(-1, 2), axis=0, return_inverse=True)[1].reshape(-1, 2)
    low, high, owner = point.min(axis=1), point.max(axis=1), np.repeat(face, 3)
    # Twice in one face: a diagonal.
    _, which, many = np.unique(
        np.stack([low, high, owner], axis=1), axis=0, return_inverse=True, return_counts=True
    )
    side = np.flatnonzero(many[which.ravel()] == 1)
    _, first = np.unique(np.stack([low[side], high[side]], axis=1), axis=0, return_index=True)
    kept = side[np.sort(first)]
    return ends[kept], kept // 3


def template_png(what: Template, width: int, height: int) -> bytes:
    """A template as an image with alpha."""
    islands = what.islands
    out = np.zeros((height, width, 4), np.uint8)
    edges, triangle = face_edges(islands.triangles, what.triangle_face)
    owner = islands.object_index[islands.triangle_island[triangle]]
    for number in np.unique(owner).tolist():
        colour = ImageColor.getrgb(what.colours[number])[:3]
        _stroke(out, _px(edges[owner == number], width, height), colour, what.line)
    ink = ImageColor.getrgb(INK)[:3]
    _stroke(out, _px(islands.edges, width, height), ink, STRONGER * what.line)
    image = Image.fromarray(out)
    if what.labels:
        size = max(10.0, LABEL * min(width, height))
        draw = ImageDraw.Draw(image)
        for number, at in _label_places(islands).items():
            x, y = _px(at, width, height)
            draw.text(
                (x, y), what.names[number], fill=INK, font=ImageFont.load_default(size), anchor="mm",
                stroke_width=max(1, round(size / 8)), stroke_fill="white",
            )  # fmt: skip
    file = io.BytesIO()
    image.save(file, "PNG")
    return file.getvalue()


def template_svg(what: Template, width: int, height: int) -> bytes:
    """A template as vectors: a group for each object, with a path of its faces' edges and one of its borders."""
    islands = what.islands
    root = ET.Element(
        "svg", xmlns="http://www.w3.org/2000/svg", width=str(width), height=str(height),
        viewBox=f"0 0 {width} {height}",
    )  # fmt: skip
    edges, triangle = face_edges(islands.triangles, what.triangle_face)
    owner = islands.object_index[islands.triangle_island[triangle]]
    border = islands.object_index[islands.edge_island]
    places = _label_places(islands) if what.labels else {}
    for number in np.unique(np.concatenate([owner, border])).tolist():
        group = ET.SubElement(root, "g", fill="none")
        group.set("stroke-linecap", "round")
        ET.SubElement(group, "title").text = what.names[number]
        for name, found, colour, wide in (
            ("faces", edges[owner == number], what.colours[number], what.line),
            ("borders", islands.edges[border == number], INK, STRONGER * what.line),
        ):
            way = " ".join(
                f"M{a:.3f} {b:.3f}L{c:.3f} {d:.3f}"
                for (a, b), (c, d) in _px(found, width, height).tolist()
            )
            path = ET.SubElement(group, "path", d=way, stroke=colour)
            path.set("class", name)
            path.set("stroke-width", f"{wide:g}")
        if number in places:
            x, y = _px(places[number], width, height)
            text = ET.SubElement(group, "text", x=f"{x:.3f}", y=f"{y:.3f}", fill=INK)
            text.set("text-anchor", "middle")
            text.set("font-size", f"{max(10.0, LABEL * min(width, height)):g}")
            text.text = what.names[number]
    file = io.BytesIO()
    ET.ElementTree(root).write(file, encoding="utf-8", xml_declaration=True)
    return file.getvalue()


def _px(points: FloatArray, width: int, height: int) -> FloatArray:
    return np.asarray(points * (width, -height) + (0.0, height))


def _label_places(islands: IslandSet) -> dict[int, FloatArray]:
    """For each object the middle of a triangle near the middle of its largest island."""
    out: dict[int, FloatArray] = {}
    for number in np.unique(islands.object_index).tolist():
        mine = np.flatnonzero(islands.object_index == number)
        largest = mine[np.argmax(islands.uv_area[mine])]
        middle = islands.triangles[islands.triangle_island == largest].mean(axis=1)
        if len(middle):
            away = np.linalg.norm(middle - middle.mean(axis=0), axis=1)
            out[number] = middle[np.argmin(away)]
    return out


def _stroke(out: np.ndarray, lines: FloatArray, colour: Sequence[int], wide: float) -> None:
    """Draw lines (E, 2, 2) of one colour over what there is; smooth at their sides, no darker where they cross."""
    if not len(lines):
        return
    low = np.maximum(np.floor(lines.min(axis=(0, 1)) - wide - 2), 0).astype(np.int64)
    high = np.ceil(lines.max(axis=(0, 1)) + wide + 2).astype(np.int64)
    high = np.minimum(high, (out.shape[1], out.shape[0]))
    if (high <= low).any():
        return
    cover = np.zeros((int(high[1] - low[1]), int(high[0] - low[0])), np.uint8)
    # Coordinates of the drawing library are those of texel centres.
    ends = np.rint((lines - low - 0.5) * (1 << FINE)).astype(np.int32)
    for a, b in ends.tolist():
        cv2.line(cover, a, b, 255, max(1, round(wide)), cv2.LINE_AA, FINE)
    part = out[low[1] : high[1], low[0] : high[0]]
    drawn = cover > 0
    new, old = cover[drawn].astype(np.float64) / 255, part[drawn].astype(np.float64)
    under = old[:, 3] / 255 * (1 - new)
    alpha = new + under
    mixed = (np.array(colour) * new[:, None] + old[:, :3] * under[:, None]) / alpha[:, None]
    part[drawn] = np.rint(np.c_[mixed, 255 * alpha]).astype(np.uint8)
