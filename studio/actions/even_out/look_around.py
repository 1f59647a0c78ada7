"""Look at an atlas's islands from around: what is never seen, and the weights that follow from it. Nothing is changed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from quilt_core.measure.density import island_densities
from quilt_core.pack.stacks import find_stacks
from studio.actions.errors import Refused
from studio.actions.gather.share_out import present_objects
from studio.actions.mend.new_bases import scene_of
from studio.actions.prove.rehearse import islands_of_faces
from studio.arrays import Layout, load_layout
from studio.models import Revision

AWAY, SCREEN = 2.0, 1080
"""Distance of views from afar, as a multiple of the set's size; height of the screen, px."""
Report = Callable[[float, str], None]


def look_around(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> dict[str, Any] | None:
    """How much of each island is seen; None when the user wants nothing of it.

    `params`: views (around, above, cameras or band), cameras (places, metres), near and far (metres), screen (height in
    px), alone, both_sides.
    """
    from quilt_core.bake.make_ready import fine_names
    from quilt_core.bake.seen import Views, freed, look_at, proposals, screen_px
    from quilt_core.bake.settings import BakeSettings
    from quilt_core.bake.surface import surface_of
    from quilt_core.errors import LayoutError

    layout = load_layout(revision)
    if not layout.members:
        raise Refused("There is no object in this atlas.", revision.name, "Bring files in first.")
    report(0.0, "reading the meshes")
    rows = list(present_objects(layout.revision.atlas.project).select_related("source"))
    sources = {obj.source.pk: obj.source for obj in rows}
    place = {pk: k for k, pk in enumerate(sources)}
    # The fine mesh of a pair lies where the coarse one does: it would hide it, and is not looked at.
    fine = fine_names([obj.name for obj in rows], BakeSettings())
    there = {(place[obj.source_id], obj.number) for obj in rows if obj.name not in fine}
    faces = {(place[pk], n): own for (pk, n), own in islands_of_faces(layout).items()}
    surface = surface_of(
        [scene_of(source) for source in sources.values()],
        islands=lambda scene, obj: faces.get((scene, obj)),
        wanted_at=lambda scene, obj: (scene, obj) in there,
    )
    views = Views(
        params.get("views", "around"),
        tuple(tuple(place) for place in params.get("cameras") or ()),
        near=params.get("near", 0.0),
        far=params.get("far", 0.0),
        alone=params.get("alone", False),
        both_sides=params.get("both_sides", False),
    )

    def tell(done: float) -> bool:
        report(0.05 + 0.9 * done, "looking from all sides")
        return not stop()

    try:
        seen = look_at(surface, views, tell=tell)
    except LayoutError:
        if stop():
            return None
        raise
    count = layout.islands.count
    weights = np.asarray(layout.weights, np.float64)

    def whole(values: np.ndarray) -> list[float]:
        out = np.ones(count)
        known = np.flatnonzero(seen.points)
        out[known] = values[known]
        return [round(float(value), 4) for value in out]

    weights = weights[: len(seen.area)]
    told = proposals(seen, weights)
    px = screen_px(
        seen, _density(layout, len(seen.area)), AWAY * surface.size, params.get("screen", SCREEN)
    )
    return {
        "revision": revision.pk,
        "objects": [[m.object.pk, m.row.islands] for m in layout.members],
        "views": views.kind,
        "share": whole(seen.share),
        "above": whole(seen.above),
        "facing": whole(seen.facing),
        "screen": whole(px),
        "stacks": _to_stack(layout, [one.island for one in told if one.kind == "never"]),
        "points": int(seen.points.sum()),
        "proposals": [one.__dict__ for one in told],
        "freed": round(freed(seen, told, weights), 4),
    }


def _density(layout: Layout, count: int) -> np.ndarray:
    """(count,) px per metre of islands as they lie, 0 where there is none."""
    found = island_densities(layout.islands, layout.placements, *layout.pixels.T)
    return np.nan_to_num(found[:count])


def _to_stack(layout: Layout, never: list[int]) -> list[list[int]]:
    """Islands that are never seen with others of their shape: they may share texels with these. The first of each is one
    that is seen, where there is any."""
    if not never:
        return []
    hidden = set(never)
    out = []
    stacked = layout.controls["stack"]
    for found in find_stacks(layout.islands):
        mine = [int(i) for i in found.islands if int(i) in hidden]
        seen = [int(i) for i in found.islands if int(i) not in hidden]
        rows = seen[:1] + mine
        own = stacked[rows]
        if mine and len(rows) > 1 and not ((own >= 0).all() and (own == own[0]).all()):
            out.append(rows)
    return out
