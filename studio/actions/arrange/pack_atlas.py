"""Pack the islands of an atlas into its tiles."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.pack.controls import Controls
from quilt_core.pack.problem import PACK_OPTIONS, Attempt, PackSettings
from quilt_core.scene.tiles import TileSize, home_tiles, more_tiles
from studio.actions.arrange.sheets import thumbnail
from studio.actions.even_out.even_out import evened
from studio.actions.history.change import Made, finish_job
from studio.actions.prove.measure_layout import measure_revision
from studio.arrays import Layout, controls_of, load_layout
from studio.models import Revision
from studio.state import TileRow, tiles_of

Report = Callable[[Attempt, np.ndarray[Any, np.dtype[np.float64]]], None]

KEYS = tuple(option.name for option in PACK_OPTIONS)


def settings_from(params: dict[str, Any]) -> PackSettings:
    """Checked settings without the tiles; raises `LayoutError` with the value that is wrong."""
    given = {key: params[key] for key in KEYS if params.get(key) is not None}
    return PackSettings(
        width=params.get("width") or 2048, height=params.get("height") or 2048, **given
    )


def _materials(layout: Layout, params: dict[str, Any]) -> np.ndarray[Any, np.dtype[np.int64]]:
    """(I,) material of each island, where they are kept apart."""
    if params.get("apart", "no") == "no":
        return np.zeros(layout.islands.count, np.int64)
    return layout.surface.island_material


def tiles_for(revision: Revision, params: dict[str, Any], materials: int = 1) -> list[TileRow]:
    """Tiles of the layout to be made: those there are, one of them resized when a size is given.

    With `more_tiles` and a fixed density as many are added as may be needed, in the order of their
    numbers and with the resolution of the last; so are as many as there are materials that want sheets of their own.
    """
    tiles = tiles_of(revision)
    if params.get("width") and len(tiles) == 1:
        tiles = [replace(tiles[0], width=params["width"], height=params["height"])]
    if params.get("more_tiles") and params.get("fixed_scale"):
        tiles += [TileRow(t.number, t.width, t.height) for t in more_tiles([t.size for t in tiles])]
    if params.get("apart") == "sheets":
        missing = materials - sum(not tile.frozen for tile in tiles)
        more = more_tiles([t.size for t in tiles])[: max(missing, 0)]
        tiles += [TileRow(t.number, t.width, t.height) for t in more]
    return tiles


def rules_for(
    params: dict[str, Any], tiles: list[TileRow], layout: Layout
) -> tuple[PackSettings, list[TileSize], Controls]:
    """Settings with the tiles to fill, the tiles that stay, and the controls of the islands."""
    only = params.get("tile")
    open_tiles = [t for t in tiles if not t.frozen and (not only or t.number == only)]
    if not open_tiles:
        raise LayoutError("Every tile is frozen.", "tiles", "Thaw one.")
    settings = replace(settings_from(params), tiles=tuple(t.size for t in open_tiles))
    return (
        settings,
        [t.size for t in tiles if t not in open_tiles],
        controls_of(layout, params.get("islands") or []),
    )


def pack_atlas(
    revision: Revision,
    params: dict[str, Any],
    report: Report,
    stop: Callable[[], str],
) -> Revision | None:
    """Pack; returns the new revision, or None when the user dropped the result or stopped before
    there was one.

    `stop` is asked often and says "" to go on, "keep" or "drop" to end.
    """
    from quilt_core.pack import pack_apart
    from quilt_core.pack.layout import packable

    started = time.monotonic()
    layout = load_layout(revision)
    if layout.islands.count == 0:
        raise LayoutError(
            "No object of this atlas has UVs.", revision.atlas.name, "Bring in flattened meshes."
        )
    groups = _materials(layout, params)
    tiles = tiles_for(revision, params, len(np.unique(groups)))
    settings, frozen, controls = rules_for(params, tiles, layout)
    placements = layout.placements
    if params.get("even"):
        house = revision.atlas.project.house_density if settings.fixed_scale else None
        placements = evened(layout, house, params.get("islands") or [])
    best, tidy_cost, placed = None, None, np.zeros(layout.islands.count, bool)
    for attempt, found, mask in pack_apart(
        layout.islands, placements, settings, groups, lambda: bool(stop()), controls, frozen,
        layout.pixels, layout.names(),
    ):  # fmt: skip
        if attempt.whole:
            best, tidy_cost, placed = found, attempt.tidy_cost, mask
        report(attempt, found)
        if stop() == "drop":
            return None
    if best is None or stop() == "drop":
        return None
    if params.get("more_tiles") or params.get("apart") == "sheets":
        tiles = _used(layout, best, placed, tiles, len(tiles_of(revision)))
    nowhere = ~packable(layout.islands)
    # Islands that were not to be packed keep the place they had, in a tile or not.
    unplaced = np.where(controls.chosen, ~placed & ~nowhere, layout.unplaced)
    state = layout.state.having(
        placements=best,
        unplaced=unplaced,
        tiles=tuple(tiles),
        padding=settings.padding,
        margin=settings.margin,
    )
    facts = {"seconds": round(time.monotonic() - started, 2), "tidy_cost": tidy_cost}
    what = f"{settings.effort}, padding {settings.padding:g} px"
    made = finish_job(
        revision.atlas_id,
        revision,
        Made("pack", state, what, params, facts=facts),
        bool(params.get("as_draft")),
    )
    measure_revision(made)
    if made.draft:
        # Its picture is drawn here, not while a browser waits for the contact sheet.
        thumbnail(made)
    return made


def _used(
    layout: Layout,
    placements: np.ndarray[Any, Any],
    placed: np.ndarray[Any, Any],
    tiles: list[TileRow],
    keep: int,
) -> list[TileRow]:
    """The tiles up to the last one that holds something."""
    home = home_tiles(layout.islands, placements, [tile.size for tile in tiles])
    last = int(home[placed].max(initial=keep - 1))
    return tiles[: max(keep, last + 1)]
