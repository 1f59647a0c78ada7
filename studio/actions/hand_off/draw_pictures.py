"""Picture sets of an atlas: blank, checker, id, layout and layered pictures of each tile, in one zip."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np

from quilt_core.formats.merge_settings import named
from studio import storage
from studio.actions.arrange.sheets import in_tile
from studio.actions.errors import Refused
from studio.arrays import Layout, load_layout
from studio.models import Job, Revision
from studio.state import TileRow


def draw_pictures(
    revision: Revision, params: dict[str, Any], report: Callable[[float, str], None]
) -> dict[str, Any]:
    """Draw the sets that `params` name (kinds, by, colour, channels, bits, name, naming) and keep their zip.

    The picture that was carried over last lies below the layers, if it is of this layout.
    """
    from quilt_core.errors import LayoutError
    from quilt_core.sheet.picture_sets import Names, PictureSet, draw_picture

    layout = load_layout(revision)
    if not layout.members:
        raise Refused("There is no object in this atlas.", revision.name, "Bring files in first.")
    names, group = _groups(layout, params["by"])
    rows: list[dict[str, Any]] = []
    out = io.BytesIO()
    steps = len(layout.tiles) * len(params["kinds"])
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for tile in layout.tiles:
            here, own = _in_tile(layout, tile, group)
            for kind in params["kinds"]:
                report(len(rows) / steps, f"drawing {kind} of tile {tile.number}")
                try:
                    what = PictureSet(
                        kind, params["colour"], params["channels"], params["bits"], params["by"],
                        layout.state.padding / 2,
                    )  # fmt: skip
                except LayoutError as error:
                    raise Refused(error.what, error.where, error.cure) from None
                data = draw_picture(
                    what, here, Names(own, names), (tile.width, tile.height),
                    _carried(revision, tile.number) if kind == "layers" else None,
                )  # fmt: skip
                number = tile.number if len(layout.tiles) > 1 or params["numbered"] else 0
                ending = "ora" if kind == "layers" else "png"
                file = f"{named(params['naming'], params['name'], kind, number)}.{ending}"
                archive.writestr(file, data)
                rows.append({"name": file, "width": tile.width, "height": tile.height})
    return {"file": storage.put(out.getvalue()), "pictures": rows}


def _groups(layout: Layout, by: str) -> tuple[list[str], np.ndarray[Any, Any]]:
    if by == "object":
        return layout.object_names(), layout.islands.object_index
    if by == "material":
        surface = layout.surface
        known = [name or "none" for name in surface.materials]
        group = np.where(surface.island_material < 0, len(known), surface.island_material)
        return [*known, "none"], group
    return layout.names(), np.arange(layout.islands.count)


def _in_tile(layout: Layout, tile: TileRow, group: np.ndarray[Any, Any]) -> tuple[Any, Any]:
    """Islands in a tile's own UVs, and their groups."""
    box = layout.islands.placed(layout.placements).bounds()
    corner = np.array(tile.size.corner, np.float64)
    near = (box[:, :2] < corner + 1).all(axis=1) & (box[:, 2:] > corner).all(axis=1)
    return in_tile(layout, tile), group[near]


def _carried(revision: Revision, tile: int) -> bytes | None:
    """The colour that was carried over to a tile of this layout last."""
    jobs = Job.objects.filter(atlas=revision.atlas, kind="carry over", state=Job.DONE)
    for job in jobs.order_by("-pk")[:5]:
        if job.result.get("preview") or job.result.get("revision") != revision.pk:
            continue
        for picture in job.result["report"]["pictures"]:
            mine = picture.get("revision") == revision.pk and picture["tile"] in (0, tile)
            if mine and picture["role"] == "baseColor":
                return storage.get(job.result[f"picture {picture['name']}"])
    return None
