"""Change the tile grid of an atlas: add, remove, resize, name, freeze."""

from __future__ import annotations

from typing import Any

from quilt_core.pack.problem import MAX_TILES
from quilt_core.scene.tiles import LAST_TILE
from studio.actions.errors import Refused
from studio.actions.revise import append_revision
from studio.arrays import TileRow, load_layout
from studio.models import Revision


def set_tiles(revision: Revision, rows: list[dict[str, Any]]) -> Revision:
    """Give the atlas these tiles; returns the new revision. Islands stay where they are."""
    if not rows:
        raise Refused("An atlas needs a tile.", "tiles", "Keep at least one.")
    if len(rows) > MAX_TILES:
        raise Refused(f"{len(rows)} tiles.", "tiles", f"Give at most {MAX_TILES}.")
    tiles = sorted(
        (
            TileRow(r["number"], r["width"], r["height"], r.get("label", "")[:120], r.get("frozen", False))
            for r in rows
        ),
        key=lambda tile: tile.number,
    )
    for tile in tiles:
        if not 1001 <= tile.number <= LAST_TILE:
            raise Refused(
                f"There is no tile {tile.number} in a grid of ten columns and ten rows.", "tile number",
                "Give 1001 + column (0–9) + 10 x row (0–9).",
            )  # fmt: skip
    if len({tile.number for tile in tiles}) < len(tiles):
        raise Refused("Two tiles have the same number.", "tiles", "Give each number once.")
    layout = load_layout(revision)
    numbers = {tile.number for tile in tiles}
    controls = layout.controls.copy()
    for number in set(controls["tile"].tolist()) - numbers - {0}:
        controls["tile"][controls["tile"] == number] = 0
    kept = [tile.row() for tile in tiles]
    return append_revision(
        revision.atlas, revision, "tiles", {"tiles": len(kept)}, layout.placements, layout.unplaced, tiles=kept,
        controls=controls,
    )  # fmt: skip
