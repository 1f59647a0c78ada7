"""Two layouts laid over one another, as a page that stands by itself."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from markupsafe import Markup

from quilt_core.check.report import pages
from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.scene.tiles import TileSize

OLDER, NEWER = "#b07a1e", "#1f2a44"
SIDE = 1000


def diff_page(older: Document, newer: Document, lines: Sequence[str]) -> str:
    """What differs, as one HTML page: no script, nothing to load.

    Parameters
    ----------
    older, newer : Document
    lines : sequence of str
        What differs, in words.
    """
    before = {layout.state.name: layout for layout in older.layouts}
    figures = []
    for layout in newer.layouts:
        was = before.get(layout.state.name)
        if was is None and len(older.layouts) == len(newer.layouts) == 1:
            was = older.layout
        for tile in layout.tiles:
            caption = f"Tile {tile.number}, {tile.width} x {tile.height} px"
            if len(newer.layouts) > 1:
                caption = f"{layout.state.name}. {caption}"
            figures.append((Markup(_picture(was, layout, tile.size)), caption))
    title = newer.name or ", ".join(source.name for source in newer.sources.values())
    return str(
        pages().get_template("diff.html").render(title=title, lines=lines, figures=figures, older=OLDER, newer=NEWER)
    )  # fmt: skip


def _picture(older: Layout | None, newer: Layout, tile: TileSize) -> str:
    high = SIDE * tile.height / tile.width
    parts = [
        f'<svg viewBox="-2 -2 {SIDE + 4} {high + 4:g}" role="img" aria-label="Both layouts of tile {tile.number}" '
        'fill="none" stroke-width="1.2">',
        f'<rect width="{SIDE}" height="{high:g}" stroke="#9a9382" fill="#fbf9f3"/>',
    ]
    for layout, colour, more in (
        (older, OLDER, ' stroke-dasharray="5 3"'),
        (newer, NEWER, ""),
    ):
        if layout is not None:
            parts.append(f'<path stroke="{colour}"{more} d="{_outlines(layout, tile, high)}"/>')
    return "".join([*parts, "</svg>"])


def _outlines(layout: Layout, tile: TileSize, high: float) -> str:
    edges = layout.islands.placed(layout.placements).edges[
        ~layout.unplaced[layout.islands.edge_island]
    ]
    place = (edges - np.array(tile.corner)) * [SIDE, -high] + [0, high]
    seen = np.isfinite(place).all(axis=(1, 2))
    seen &= (place.min(axis=1) <= [SIDE, high]).all(axis=1)
    seen &= (place.max(axis=1) >= 0).all(axis=1)
    return "".join(
        f"M{a:.1f} {b:.1f}L{c:.1f} {d:.1f}" for a, b, c, d in place[seen].reshape(-1, 4).tolist()
    )
