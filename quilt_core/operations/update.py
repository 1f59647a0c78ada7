"""Update from newer files: objects that came again get the layout that they had, where it still fits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.islands import fresh_islands
from quilt_core.document.layout import Member
from quilt_core.errors import LayoutError
from quilt_core.operations.bases import Remade, made_of, object_of, with_bases
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option
from quilt_core.scene.model import SceneObject
from quilt_core.scene.types import FloatArray
from quilt_core.unwrap.again import FACE, SURFACE, TOPOLOGY
from quilt_core.unwrap.matching import Match, Older, carried_uv, match_objects

OLDER = "layout"
"""Setting that names the older files."""
ALL_OLDER = "the older objects"


@dataclass(frozen=True)
class Update:
    """Settings of updating."""

    layout: tuple[str, ...] = option(
        help="the older files, with their layout", shape="OLD", names="mesh"
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class UpdatedObject:
    """An object of a newer file."""

    file: str = figure("path of its file")
    object: str = figure("its name")
    came_from: str = figure("name of the older object; empty for a new one")
    faces: int = figure("how many")
    same: int = figure("faces of the same topology")
    by_face: int = figure("faces at their old places")
    by_surface: int = figure("faces that lie on one island of the older surface")
    new: int = figure("faces that are new; they keep the UVs that they came with")
    gone: int = figure("faces that are gone")
    moved: float = figure("largest move of a vertex / size of the object")
    grown: list[float] = figure("size / older size, along X, Y and Z")
    density: float = figure("texel density / older density")
    stretch: float = figure("stretch (L2) of its texels over the whole object")
    older_stretch: float = figure("the same before")
    changes: list[str] = figure("what has changed about size, density and stretch, in words")


@dataclass(frozen=True, eq=False)
class Updated:
    """What updating made."""

    document: Document
    objects: list[UpdatedObject] = figure("each object of the newer files")
    gone: list[str] = figure("older objects that are in none of them")

    @property
    def ok(self) -> bool:
        """Whether every face has a layout."""
        return not any(row.new for row in self.objects)


def run(document: Document, settings: Update, progress: Progress) -> Updated:
    """Give the objects of the document the layout of older files.

    Raises
    ------
    LayoutError
        When there is no older object.
    """
    channels = {member.channel for layout in document.layouts for member in layout.members}
    channel = min(channels, default=0)
    older = [
        Older(obj.name, obj, obj.mesh.channels[channel].per_corner)
        for source in document.beside.get(OLDER, ())
        for obj in source.scene().objects
        if channel < len(obj.mesh.channels)
    ]
    if not older:
        raise LayoutError(
            f"None of the older objects has UVs in channel {channel + 1}.",
            "layout",
            "Name the older files.",
        )
    rows: list[UpdatedObject] = []
    layouts = []
    for layout in document.layouts:
        members = layout.members
        objects = [object_of(document, member, 0.0) for member in members]

        def tick(k: int, members: Sequence[Member] = members) -> None:
            progress.report(k / max(len(members), 1), f"comparing {members[k].name}")
            progress.check()

        made, kept = {}, {}
        for k, match in enumerate(match_objects(objects, older, tick)):
            member = members[k]
            rows.append(updated_object(member.file, objects[k], older, match))
            if match.again is not None:
                uv = carried_uv(objects[k], match.again, member.channel)
                made[k] = made_of(document, member, uv, "updated")
                count = made[k].base.islands.count
                kept[k] = Remade(fresh_islands(count), np.zeros(count, bool))
        layouts.append(with_bases(document, layout, made, kept) if made else layout)
    names = {row.came_from for row in rows}
    gone = [] if ALL_OLDER in names else [one.name for one in older if one.name not in names]
    return Updated(replace(document, layouts=layouts), rows, gone)


def updated_object(
    file: str, obj: SceneObject, older: Sequence[Older], match: Match
) -> UpdatedObject:
    """What became of a newer object."""
    count, again = obj.mesh.face_count, match.again
    if again is None:
        return UpdatedObject(
            file, obj.name, "", count, 0, 0, 0, count, 0, 0.0, [1.0, 1.0, 1.0], 1.0, 1.0, 1.0, []
        )
    how = np.bincount(again.how, minlength=4)
    name = older[match.older[0]].name if len(match.older) == 1 else ALL_OLDER
    were = [older[k] for k in match.older]
    density, stretch = _texels([(obj, again.uv)])
    older_density, older_stretch = _texels([(one.obj, one.uv) for one in were])
    # Of one that was joined or split all older ones together say nothing about its own size.
    grown = _size(obj) / np.maximum(_size(were[0].obj), 1e-30) if len(were) == 1 else np.ones(3)
    row = UpdatedObject(
        file, obj.name, name, count, int(how[TOPOLOGY]), int(how[FACE]), int(how[SURFACE]),
        again.new, again.gone, again.moved, np.where(_size(obj) > 0, grown, 1.0).tolist(),
        density / older_density if older_density else 1.0, stretch, older_stretch, [],
    )  # fmt: skip
    return replace(row, changes=_changes(row))


def _size(obj: SceneObject) -> FloatArray:
    """(3,) extents in its own space."""
    points = obj.mesh.positions[np.unique(obj.mesh.corner_vertex)]
    return np.asarray(np.ptp(points, axis=0) if len(points) else np.zeros(3))


def _texels(parts: Sequence[tuple[SceneObject, FloatArray]]) -> tuple[float, float]:
    """Texel density in tiles per unit, and stretch, of objects with UVs as a whole; 0 and 1 where nothing can be measured."""
    from quilt_core.measure.stretch import measure_triangles, stretch_of

    uv, points = [], []
    for obj, corners in parts:
        triangles = obj.mesh.triangles
        there = np.isfinite(corners[triangles]).all(axis=(1, 2))
        uv.append(corners[triangles][there])
        points.append(obj.mesh.positions[obj.mesh.corner_vertex[triangles]][there])
    figures = measure_triangles(np.concatenate(uv), np.concatenate(points))
    there = np.isfinite(figures.high) & (figures.area > 0)
    if not there.any():
        return 0.0, 1.0
    stretch = stretch_of(figures, np.zeros(len(there), np.int64), 1).l2[0]
    return float(np.sqrt(np.abs(figures.uv_area[there]).sum() / figures.area[there].sum())), float(
        stretch
    )


SEEN = 0.01
"""Part by which a size, a density or a stretch has to change to be told."""


def _changes(row: UpdatedObject) -> list[str]:
    """What has changed about its size, density and stretch."""
    sizes = [
        f"{factor:.2f} × as {word}"
        for word, factor in zip(("wide (X)", "high (Y)", "deep (Z)"), row.grown, strict=True)
        if abs(factor - 1) > SEEN
    ]
    density = f"texel density {row.density - 1:+.0%}" if abs(row.density - 1) > SEEN else ""
    stretch = (
        f"stretch {row.older_stretch:.2f} → {row.stretch:.2f}"
        if abs(row.stretch / row.older_stretch - 1) > SEEN
        else ""
    )
    return [*sizes, *(part for part in (density, stretch) if part)]


def tell(result: Updated) -> list[str]:
    """The result in words."""
    return [*map(_line, result.objects), *(f"{name}: is gone" for name in result.gone)]


def _line(row: UpdatedObject) -> str:
    if not row.came_from:
        return f"{row.object}: is new, {row.faces:,} faces keep the UVs that they have"
    parts = [
        f"{row.same:,} faces of the same topology" if row.same else "",
        f"{row.by_face:,} faces at their old places" if row.by_face else "",
        f"{row.by_surface:,} faces by the surface" if row.by_surface else "",
        f"{row.new:,} faces are new" if row.new else "",
        f"{row.gone:,} are gone" if row.gone else "",
        f"moved by up to {row.moved:.2%} of its size" if row.moved else "",
        *row.changes,
    ]
    return f"{row.object}: {', '.join(p for p in parts if p)}"


def what(settings: Update, result: Updated) -> str:
    """What was done, in a few words."""
    count = len(result.objects)
    return f"{count} {'object' if count == 1 else 'objects'}"
