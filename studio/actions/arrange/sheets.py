"""Images of a revision: one tile at its size, or all of them as a thumbnail."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
from PIL import Image

from quilt_core.document.state import TileRow
from studio.arrays import load_layout
from studio.models import Revision

THUMBNAIL = 240
MOST_DRAWN = 4096
"""Longest edge in px of an image that is asked for by its address."""
FINER = 3
"""Thumbnails are drawn so many times larger and then made smaller, so that thin lines stay thin."""


def drawn_size(tile: TileRow) -> tuple[int, int]:
    """px of the image of a tile that is drawn while a browser waits; the hand-off draws it in
    full."""
    part = min(1.0, MOST_DRAWN / max(tile.width, tile.height))
    return max(1, round(part * tile.width)), max(1, round(part * tile.height))


def thumbnail(revision: Revision) -> bytes:
    """PNG of all tiles side by side, at most 240 px; drawn once."""
    from quilt_core.sheet import layout_png, object_colours
    from studio.geometry import cached, content_digest, keep_cached

    key = f"thumbnail-{THUMBNAIL}-{content_digest(revision)}"
    found = cached(key)
    if found is not None:
        return found
    layout = load_layout(revision)
    corners = np.array([tile.size.corner for tile in layout.tiles], np.float64)
    span = corners.max(axis=0) + 1 - corners.min(axis=0)
    placed = layout.islands.placed(layout.placements).select(~layout.unplaced)
    low = corners.min(axis=0)
    small = replace(
        placed, triangles=(placed.triangles - low) / span, edges=(placed.edges - low) / span
    )
    size = [int(n) for n in np.maximum(1, THUMBNAIL * span / span.max())]
    drawn = Image.open(
        io.BytesIO(
            layout_png(small, object_colours(layout.colours), FINER * size[0], FINER * size[1])
        )
    )
    out = io.BytesIO()
    drawn.resize((size[0], size[1]), Image.Resampling.LANCZOS).save(out, "PNG")
    keep_cached(key, out.getvalue())
    return out.getvalue()
