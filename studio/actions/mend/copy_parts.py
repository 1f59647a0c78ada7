"""Give the layout of picked faces to all parts that are alike: in other objects, and in their own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.actions.mend.new_bases import Remade, object_of, scene_of, with_bases
from studio.actions.mend.where_it_lies import lying_of, remade_of
from studio.arrays import load_layout
from studio.models import BaseLayout, Revision

Report = Callable[[float, str], None]


def copy_parts(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> Made | None:
    """What copying the layout of a part makes of a revision; None when the user wants nothing of it.

    `params`: object (id) and faces, whose layout is copied. Copies come to the side table; what is
    around them is cut from them.
    """
    from quilt_core.flatten.edits.laid import Edited
    from quilt_core.flatten.part_alike import find_part, part_corners

    layout = load_layout(revision)
    place = next((k for k, m in enumerate(layout.members) if m.object.pk == params["object"]), None)
    if place is None:
        raise Refused("This object is not in this atlas.", revision.name, "Pick its faces again.")
    source = layout.members[place]
    mesh = object_of(source.base, scene_of(source.object.source)).mesh
    faces = np.unique(np.array(params["faces"], np.int64))
    if not len(faces) or faces[-1] >= mesh.face_count:
        raise Refused("No face of it is picked.", source.object.name, "Pick the faces of the part.")
    corner = part_corners(mesh, faces)
    uv = lying_of(layout, place, mesh.corner_face).uv[corner]
    if not np.isfinite(uv).all():
        raise Refused(
            "Some of the picked faces have no UVs.", source.object.name, "Flatten them first."
        )
    aside = np.array([float(np.ptp(uv[:, 0])) + layout.state.padding + 1.0, 0.0])
    made: dict[int, BaseLayout] = {}
    kept: dict[int, Remade] = {}
    rows: list[dict[str, Any]] = []
    for k, member in enumerate(layout.members):
        if member.row.part is not None or member.object.faces < len(faces):
            continue
        report(k / len(layout.members), f"looking at {member.object.name}")
        if stop():
            return None
        scene = scene_of(member.object.source)
        other = mesh if k == place else object_of(member.base, scene).mesh
        found = find_part(mesh, faces, other)
        if not found:
            continue
        lying = lying_of(layout, k, other.corner_face)
        after, touched = lying.uv.copy(), np.zeros(len(lying.uv), bool)
        for number, one in enumerate(found):
            # Apart from one another, so that parts that meet stay islands of their own.
            after[one.corner] = uv + (number + 1) * aside
            touched[one.corner] = True
        area = _areas(other)
        made[k], kept[k] = remade_of(
            layout, k, scene, lying, Edited(after, ""), touched, area, "copied", member.base.weld
        )
        new = touched[other.face_offsets[:-1]]
        kept[k] = _beside(kept[k], made[k], new)
        rows.append({
            "object": member.object.pk, "name": member.object.name, "parts": len(found),
            "mirrored": sum(one.mirrored for one in found),
            "misfit": round(max(one.misfit for one in found), 6),
        })  # fmt: skip
    if not made:
        raise Refused(
            "No other part in this atlas is like these faces.",
            source.object.name,
            "Pick a part that occurs again, in the same shape.",
        )
    count = sum(row["parts"] for row in rows)
    what = f"a part of “{source.object.name}” to {count} {'other' if count == 1 else 'others'}"
    return Made(
        "copy part", with_bases(revision, layout.state, made, kept), what, {"objects": rows}
    )


def _areas(mesh: Any) -> Any:
    """(F,) areas of the faces."""
    points = mesh.positions[mesh.corner_vertex[mesh.triangles]]
    normal = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    return np.bincount(
        mesh.triangle_face, 0.5 * np.linalg.norm(normal, axis=1), minlength=mesh.face_count
    )


def _beside(kept: Remade, base: BaseLayout, copied: Any) -> Remade:
    """The same with islands of copied faces (F,) on the side table."""
    from studio.arrays import load_geometry

    island = load_geometry(base.geometry)["face_island"]
    aside = kept.aside.copy()
    aside[np.unique(island[copied & (island >= 0)])] = True
    return Remade(kept.rows, aside)
