"""Flatten objects: cut them into charts and lay these on the side table, at the house density."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np

from quilt_core.scene import Scene
from studio.actions.errors import NothingToDo, Refused
from studio.actions.history.change import Made
from studio.actions.mend.new_bases import figure_row, keep_base, object_of, scene_of, with_bases
from studio.arrays import Member, load_geometry, members_with_rows
from studio.models import BaseLayout, Revision
from studio.state import read_state

Report = Callable[[float, str], None]


def flatten_objects(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> Made | None:
    """What flattening makes of a revision; None when the user wants nothing of it.

    `params`: objects (ids; none for all without usable UVs), charts, angle, stretch, balance, weld. A run that is
    stopped keeps what is flat so far, object by object, when the user wants that.
    """
    from quilt_core.flatten import FlattenSettings

    settings = FlattenSettings(
        charts=params["charts"],
        angle=params["angle"],
        stretch=params["stretch"],
        balance=params["balance"],
        weld=params.get("weld", 0.0),
        symmetric=params.get("symmetric", False),
    )
    state = read_state(revision)
    members = members_with_rows(state.members)
    wanted = set(params.get("objects") or [])
    chosen = [
        k
        for k, member in enumerate(members)
        if (member.object.pk in wanted if wanted else lacks_layout(member.base))
    ]
    if not chosen:
        raise (Refused if wanted else NothingToDo)(
            "None of these objects is in this atlas." if wanted else "Every object has usable UVs.",
            revision.name,
            "Pick the objects that are to be flattened.",
        )
    scenes: dict[int, Scene] = {}
    made: dict[int, BaseLayout] = {}
    figures: list[dict[str, Any]] = []
    for done, k in enumerate(chosen):
        member = members[k]
        if member.row.part is not None:
            raise Refused(
                f"“{member.object.name}” lies in several atlases, by parts.",
                "objects",
                "Put all its islands into one atlas first.",
            )
        source = member.object.source
        if source.pk not in scenes:
            scenes[source.pk] = scene_of(source)
        tell = partial(_tell, report, done / len(chosen), 1 / len(chosen), member.object.name)
        base, row = _flat(member.base, scenes[source.pk], settings, tell, stop)
        if params.get("draft") and base is not None and member.base.islands:
            row["was"] = _before(member, scenes[source.pk])
        if stop() == "drop":
            return None
        if base is not None:
            made[k] = base
            figures.append(row)
        if stop():
            break
    if not made:
        raise Refused(
            "There is no face that could be flattened.", revision.name, "Look at the meshes."
        )
    what = f"{len(made)} {'object' if len(made) == 1 else 'objects'}, {_way(params)}"
    return Made(
        "flatten",
        with_bases(revision, state, made),
        what,
        {"way": _way(params), "objects": figures},
    )


def lacks_layout(base: BaseLayout) -> bool:
    """Whether an object needs to be flattened: it has no UVs, or they are of no use."""
    return base.useless or (base.islands == 0 and base.unflattened > 0)


def _way(params: dict[str, Any]) -> str:
    ways = {
        "shape": f"few seams, stretch up to {params['stretch']:g}",
        "angle": f"seams from {params['angle']:g}°",
        "hard": "seams at hard edges",
        "material": "seams between materials",
        "group": "seams between groups",
        "one": "one piece each",
    }
    return ways[params["charts"]]


def _tell(report: Report, start: float, share: float, name: str, progress: float) -> None:
    report(start + share * progress, f"flattening {name}")


def _before(member: Member, scene: Scene) -> dict[str, Any]:
    """Figures of an object's present layout, to compare a try with."""
    from quilt_core.flatten.edits.laid import lay_out
    from quilt_core.flatten.object_flat import world_points
    from quilt_core.flatten.result import figures_of

    obj, data = object_of(member.base, scene), load_geometry(member.base.geometry)
    root = float(np.sqrt(member.proportion))
    uv = data["uv"] * np.array([root, 1.0 / root])
    laid = lay_out(obj.mesh, uv, world_points(obj), face_island=data["face_island"])
    return figure_row(figures_of(laid.work, laid.known))


def _flat(
    old: BaseLayout,
    scene: Scene,
    settings: Any,
    tell: Callable[[float], None],
    stop: Callable[[], str],
) -> tuple[BaseLayout | None, dict[str, Any]]:
    """A new base layout of an object, and its figures."""
    from quilt_core.flatten import Stage, flatten_mesh
    from quilt_core.flatten.object_flat import world_points

    def on_stage(stage: Stage) -> bool:
        tell(stage.progress)
        return not stop()

    mesh_object = object_of(old, scene, settings.weld)
    found = flatten_mesh(mesh_object.mesh, settings, world_points(mesh_object), on_stage)
    if not found.charts:
        return None, {}
    row = keep_base(old, scene, found.uv, "flattened", settings.weld)
    return row, {
        "object": old.object.pk,
        "name": old.object.name,
        "charts": found.charts,
        "seam": round(found.seam_length, 4),
        "l2": round(found.stretch_l2, 5),
        "p95": round(found.stretch_p95, 4),
        "energy": round(found.energy, 4),
        "flipped": found.flipped,
        "symmetric": found.symmetric,
        "seconds": round(found.seconds, 2),
    }
