"""Change the tile grid of an atlas: add, remove, resize, name, freeze."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from quilt_core.document.state import TileRow
from quilt_core.pack.settings import MAX_TILES
from quilt_core.scene.tiles import LAST_TILE
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.models import Revision
from studio.state import read_state


def set_tiles(revision: Revision, rows: list[dict[str, Any]]) -> Made:
    """Give the atlas these tiles. Islands stay where they are."""
    if not rows:
        raise Refused("An atlas needs a tile.", "tiles", "Keep at least one.")
    if len(rows) > MAX_TILES:
        raise Refused(f"{len(rows)} tiles.", "tiles", f"Give at most {MAX_TILES}.")
    tiles = sorted(
        (
            TileRow(
                r["number"],
                r["width"],
                r["height"],
                r.get("label", "")[:120],
                r.get("frozen", False),
            )
            for r in rows
        ),
        key=lambda tile: tile.number,
    )
    for tile in tiles:
        if not 1001 <= tile.number <= LAST_TILE:
            raise Refused(
                f"There is no tile {tile.number} in a grid of ten columns and ten rows.",
                "tile number",
                "Give 1001 + column (0–9) + 10 x row (0–9).",
            )
    if len({tile.number for tile in tiles}) < len(tiles):
        raise Refused("Two tiles have the same number.", "tiles", "Give each number once.")
    before = read_state(revision)
    numbers = {tile.number for tile in tiles}
    controls = before.controls
    for number in set(controls["tile"].tolist()) - numbers - {0}:
        controls["tile"][controls["tile"] == number] = 0
    return Made(
        "tiles", before.having(controls=controls, tiles=tuple(tiles)), _said(before.tiles, tiles)
    )


def _said(before: Sequence[TileRow], after: Sequence[TileRow]) -> str:
    """What is different, in words."""
    old, new = {t.number: t for t in before}, {t.number: t for t in after}
    added = [f"{t.number} added" for t in after if t.number not in old]
    gone = [f"{t.number} removed" for t in before if t.number not in new]
    sizes = [
        f"{n} {t.width} × {t.height} px"
        for n, t in new.items()
        if n in old and (t.width, t.height) != (old[n].width, old[n].height)
    ]
    frozen = [
        f"{n} {'frozen' if t.frozen else 'thawed'}"
        for n, t in new.items()
        if n in old and t.frozen != old[n].frozen
    ]
    named = [f"{n} “{t.label}”" for n, t in new.items() if n in old and t.label != old[n].label]
    return ", ".join([*added, *gone, *sizes, *frozen, *named])
