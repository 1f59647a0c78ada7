"""Pack the islands of an atlas into its tile."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.pack.problem import Attempt, PackSettings
from studio.actions.measure_layout import figures_of
from studio.actions.revise import append_revision
from studio.arrays import Layout, load_layout
from studio.models import Revision

Report = Callable[[Attempt, np.ndarray[Any, np.dtype[np.float64]]], None]


def settings_from(params: dict[str, Any]) -> PackSettings:
    """Checked settings; raises `LayoutError` with the value that is wrong."""
    keys = ("width", "height", "padding", "margin", "rotate", "effort", "seconds", "seed", "fixed_scale")
    return PackSettings(**{key: params[key] for key in keys if params.get(key) is not None})


def pack_atlas(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> Revision | None:
    """Pack; returns the new revision, or None when the user dropped the result.

    `stop` is asked often and says "" to go on, "keep" or "drop" to end.
    """
    from quilt_core.pack import pack_islands

    settings = settings_from(params)
    layout = load_layout(revision)
    if layout.islands.count == 0:
        raise LayoutError(
            "No object of this atlas has UVs.", revision.atlas.name, "Bring in flattened meshes."
        )
    old_width, old_height = layout.size
    # Sizes are kept in px while the tile changes: only a common scale is solved for.
    placements = (
        layout.placements
        * (np.array([old_width, old_height]) / (settings.width, settings.height))[None, :, None]
    )
    best = placements
    placed = np.zeros(layout.islands.count, bool)
    for attempt, found, mask in pack_islands(layout.islands, placements, settings, lambda: bool(stop())):
        best, placed = found, mask
        report(attempt, found)
        if stop() == "drop":
            return None
    if stop() == "drop":
        return None
    tiles = [[revision.tiles[0][0], settings.width, settings.height], *revision.tiles[1:]]
    collapsed = np.abs(layout.islands.uv_area) == 0
    atlas = revision.atlas
    atlas.padding, atlas.margin = settings.padding, settings.margin
    atlas.save(update_fields=["padding", "margin"])
    draft = Revision(atlas=atlas, tiles=tiles, contents=revision.contents)
    unplaced = ~placed & ~collapsed
    figures = figures_of(Layout(draft, layout.objects, layout.islands, best, unplaced))
    return append_revision(atlas, revision, "pack", params, best, unplaced, tiles=tiles, figures=figures)
