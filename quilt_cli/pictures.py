"""``untold-quilt pictures``."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from quilt_cli.gather import Gathered, gather
from quilt_cli.pack_write import write_all
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats.merge_settings import check_naming, named
from quilt_core.scene import IslandSet
from quilt_core.scene.tiles import LAST_TILE, TileSize
from quilt_core.sheet.picture_sets import Names, PictureSet, draw_picture


def pictures(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Make a picture set for the tiles that the files' islands lie in."""
    check_naming(options.naming)
    gathered = gather(options, surfaces=True)
    sets = [
        PictureSet(
            kind, options.colour, options.channels, options.bits, options.by, options.padding / 2
        )
        for kind in dict.fromkeys(options.kind)
    ]
    tiles = _tiles(options, gathered.islands)
    names = _names(gathered, options.by)
    ready: list[tuple[Path, bytes]] = []
    rows: list[dict[str, Any]] = []
    for tile in tiles:
        here = _meeting(gathered.islands, tile)
        own = replace(
            gathered.islands.select(here),
            triangles=gathered.islands.select(here).triangles - np.array(tile.corner),
            edges=gathered.islands.select(here).edges - np.array(tile.corner),
        )
        for what in sets:
            ending = "ora" if what.kind == "layers" else "png"
            number = tile.number if len(tiles) > 1 or options.numbered else 0
            file = f"{named(options.naming, options.name, what.kind, number)}.{ending}"
            data = draw_picture(
                what, own, Names(names.group[here], names.of), (tile.width, tile.height),
                _background(options.background, tile.number),
            )  # fmt: skip
            ready.append((options.out / file, data))
            rows.append(
                {
                    "file": str(options.out / file),
                    "kind": what.kind,
                    "tile": tile.number,
                    "width": tile.width,
                    "height": tile.height,
                }
            )
    write_all(ready)
    text = "\n".join(f"{r['file']}: {r['width']} x {r['height']} px" for r in rows)
    return {"json": {"pictures": rows, "groups": list(names.of)}, "text": text}, 0


def _tiles(options: argparse.Namespace, islands: IslandSet) -> list[TileSize]:
    """Those that were asked for, else all that islands lie in."""
    if options.tiles:
        return sorted(options.tiles, key=lambda tile: tile.number)
    width, height = options.size
    box = islands.bounds()
    if not len(box):
        raise LayoutError(
            "There are no UVs in this channel.", "--channel", "Give another, or --tiles."
        )
    middle = np.floor(0.5 * (box[:, :2] + box[:, 2:]))
    inside = (middle >= 0).all(axis=1) & (middle[:, 0] < 10)
    numbers = np.unique(1001 + middle[inside, 0] + 10 * middle[inside, 1]).astype(np.int64)
    known = [int(number) for number in numbers if number <= LAST_TILE]
    return [TileSize(number, width, height) for number in known or [1001]]


def _meeting(islands: IslandSet, tile: TileSize) -> np.ndarray:
    """(I,) islands whose box meets a tile."""
    corner, box = np.array(tile.corner, np.float64), islands.bounds()
    return np.asarray((box[:, :2] < corner + 1).all(axis=1) & (box[:, 2:] > corner).all(axis=1))


def _names(gathered: Gathered, by: str) -> Names:
    islands, names = gathered.islands, gathered.names
    if by == "object":
        return Names(islands.object_index, names)
    if by == "material" and gathered.surface is not None:
        surface = gathered.surface
        known = [name or "none" for name in surface.materials]
        group = np.where(surface.island_material < 0, len(known), surface.island_material)
        return Names(group, [*known, "none"])
    first: dict[int, int] = {}
    of = []
    for number, owner in enumerate(islands.object_index.tolist()):
        of.append(f"{names[owner]} island {number - first.setdefault(owner, number) + 1}")
    return Names(np.arange(islands.count), of)


def _background(pattern: str | None, tile: int) -> bytes | None:
    if pattern is None:
        return None
    path = Path(pattern.replace("{tile}", str(tile)))
    try:
        return path.read_bytes()
    except OSError as error:
        raise QuiltError(
            f"It cannot be read ({error.strerror}).", str(path), "Check --background."
        ) from None
