"""Layout sheets: the layout at texture size, as PNG and as SVG with a named group per object."""

from __future__ import annotations

import io
from collections.abc import Sequence
from xml.sax.saxutils import quoteattr

import numpy as np
from PIL import Image, ImageColor, ImageDraw

from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.types import FloatArray

INK = "#1f2a44"


def layout_png(islands: IslandSet, colours: Sequence[str], width: int, height: int) -> bytes:
    """Image of a placed layout: islands in their object's colour, outlines in ink, clear ground.

    Parameters
    ----------
    islands : IslandSet
        Placed.
    colours : sequence of str
        Of each object.
    width, height : int
        px.
    """
    image = Image.new("RGBA", (width, height), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    fills = [ImageColor.getrgb(c) for c in colours]
    owner = islands.object_index[islands.triangle_island]
    for corners, which in zip(_pixels(islands.triangles, width, height), owner, strict=True):
        draw.polygon([tuple(p) for p in corners], fill=(*fills[which], 255))
    for a, b in _pixels(islands.edges, width, height):
        draw.line([tuple(a), tuple(b)], fill=INK, width=max(1, width // 1024))
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()


def layout_svg(
    islands: IslandSet, names: Sequence[str], colours: Sequence[str], width: int, height: int
) -> str:
    """SVG of a placed layout, one group per object with the object's name as id and title.

    Parameters
    ----------
    islands : IslandSet
        Placed.
    names : sequence of str
        Object names.
    colours : sequence of str
        Of each object.
    width, height : int
        px.
    """
    pixels = _pixels(islands.edges, width, height)
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">'
    ]
    edge_owner = (
        islands.object_index[islands.edge_island] if islands.count else np.empty(0, np.int64)
    )
    used: dict[str, int] = {}
    for number, name in enumerate(names):
        used[name] = used.get(name, 0) + 1
        label = name if used[name] == 1 else f"{name} ({used[name]})"
        parts.append(
            f'<g id={quoteattr(label)} fill="{colours[number]}" stroke="{INK}" fill-rule="evenodd">'
        )
        parts.append(f"<title>{_text(label)}</title>")
        mine = edge_owner == number
        for island in np.unique(islands.edge_island[mine]):
            path = " ".join(_path(ring) for ring in rings(pixels[islands.edge_island == island]))
            parts.append(f'<path d="{path}"/>')
        parts.append("</g>")
    parts.append("</svg>\n")
    return "\n".join(parts)


def rings(edges: FloatArray) -> list[FloatArray]:
    """Join (E, 2, 2) directed edges end to start into rings or open chains of points."""
    starts: dict[tuple[float, float], list[int]] = {}
    for number, edge in enumerate(edges):
        starts.setdefault((float(edge[0, 0]), float(edge[0, 1])), []).append(number)
    left = set(range(len(edges)))
    out: list[FloatArray] = []
    for first in range(len(edges)):
        if first not in left:
            continue
        left.discard(first)
        chain = [edges[first, 0], edges[first, 1]]
        while True:
            key = (float(chain[-1][0]), float(chain[-1][1]))
            after = next((n for n in starts.get(key, ()) if n in left), None)
            if after is None:
                break
            left.discard(after)
            chain.append(edges[after, 1])
        out.append(np.array(chain))
    return out


def _pixels(points: FloatArray, width: int, height: int) -> FloatArray:
    """UVs to image coordinates: px, origin at the top left."""
    flipped = points * np.array([1.0, -1.0]) + np.array([0.0, 1.0])
    return np.asarray(flipped * np.array([width, height], np.float64))


def _path(ring: FloatArray) -> str:
    closed = np.array_equal(ring[0], ring[-1])
    points = ring[:-1] if closed else ring
    return "M" + " L".join(f"{x:.3f} {y:.3f}" for x, y in points) + ("Z" if closed else "")


def _text(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")
