"""Update from newer files: objects that came again get the layout that they had, where it still fits."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.document import Document
from quilt_core.document.islands import fresh_islands
from quilt_core.document.layout import Member
from quilt_core.errors import LayoutError
from quilt_core.operations.bases import Remade, made_of, with_bases
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject

if TYPE_CHECKING:
    from quilt_core.flatten.again import Again

FloatArray = NDArray[np.float64]
OLDER = "layout"
"""Setting that names the older files."""
TRIED = 4
"""Older objects that are compared with a newer one."""
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


@dataclass(frozen=True, eq=False)
class Older:
    """An older object with its layout.

    Parameters
    ----------
    name : str
    obj : SceneObject
    uv : (C, 2) float64
    """

    name: str
    obj: SceneObject
    uv: FloatArray


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
    whole = cache(lambda: joined(older))
    rows: list[UpdatedObject] = []
    layouts = []
    for layout in document.layouts:
        made, kept = {}, {}
        for k, member in enumerate(layout.members):
            progress.report(k / max(len(layout.members), 1), f"comparing {member.name}")
            progress.check()
            uv, row = updated(document, member, older, whole)
            rows.append(row)
            if uv is not None:
                made[k] = made_of(document, member, uv, "updated")
                count = made[k].base.islands.count
                kept[k] = Remade(fresh_islands(count), np.zeros(count, bool))
        layouts.append(with_bases(document, layout, made, kept) if made else layout)
    names = {row.came_from for row in rows}
    gone = [] if ALL_OLDER in names else [one.name for one in older if one.name not in names]
    return Updated(replace(document, layouts=layouts), rows, gone)


def updated(
    document: Document, member: Member, older: Sequence[Older], whole: Callable[[], Older]
) -> tuple[FloatArray | None, UpdatedObject]:
    """(C, 2) UVs of a newer object from the older one that suits it best, and how it got them; None where nothing suits."""
    from quilt_core.flatten.again import FACE, SURFACE, TOPOLOGY, layout_again

    obj = document.sources[member.source].scene().objects[member.number]
    count = obj.mesh.face_count
    best: tuple[str, Again] | None = None
    for old in by_likeness(obj, older)[:TRIED]:
        found = layout_again(old.obj.mesh, old.uv, obj.mesh)
        if best is None or found.new < best[1].new:
            best = old.name, found
        if found.new == 0 or old.name == obj.name:
            break
    if best is None or best[1].new:
        # Objects may have been joined, split or called otherwise: all of the older ones together, in the world.
        every = whole()
        found = layout_again(every.obj.mesh, every.uv, in_the_world(obj))
        if best is None or found.new < best[1].new:
            best = every.name, found
    if best is None or best[1].new == count:
        return None, UpdatedObject(member.file, obj.name, "", count, 0, 0, 0, count, 0, 0.0)
    name, found = best
    how = np.bincount(found.how, minlength=4)
    row = UpdatedObject(
        member.file, obj.name, name, count, int(how[TOPOLOGY]), int(how[FACE]), int(how[SURFACE]),
        found.new, found.gone, found.moved,
    )  # fmt: skip
    uv, mesh = found.uv, obj.mesh
    bare = np.asarray(~np.isfinite(uv).all(axis=1))
    if bare.any() and member.channel < len(mesh.channels):
        # What is new keeps the UVs that it came with.
        uv = np.where(bare[:, None], mesh.channels[member.channel].per_corner, uv)
    return uv, row


def by_likeness(obj: SceneObject, older: Sequence[Older]) -> list[Older]:
    """Older objects: those of the same name first, then those near in number of faces."""
    count = obj.mesh.face_count

    def unlike(row: Older) -> tuple[bool, float]:
        other = row.obj.mesh.face_count
        return row.name != obj.name, abs(float(np.log((other + 1) / (count + 1))))

    return sorted(older, key=unlike)


def in_the_world(obj: SceneObject) -> Mesh:
    """The mesh where its first instance stands."""
    if not obj.instances:
        return obj.mesh
    matrix = obj.instances[0].matrix
    return replace(obj.mesh, positions=obj.mesh.positions @ matrix[:3, :3].T + matrix[:3, 3])


def joined(older: Sequence[Older]) -> Older:
    """Objects as one mesh in the world, and its UVs."""
    meshes = [in_the_world(one.obj) for one in older]
    first = np.cumsum([0, *(len(mesh.positions) for mesh in meshes)])
    sizes = [np.diff(mesh.face_offsets) for mesh in meshes]
    none = np.zeros(0, np.int64)
    mesh = Mesh(
        positions=np.concatenate([np.zeros((0, 3)), *(mesh.positions for mesh in meshes)]),
        face_offsets=np.concatenate([[0], np.cumsum(np.concatenate([none, *sizes]))]).astype(
            np.int64
        ),
        corner_vertex=np.concatenate(
            [none, *(mesh.corner_vertex + k for mesh, k in zip(meshes, first, strict=False))]
        ),
        channels=(),
        face_material=np.zeros(sum(map(len, sizes)), np.int64),
    )
    uv = np.concatenate([np.zeros((0, 2)), *(one.uv for one in older)])
    return Older(ALL_OLDER, SceneObject(ALL_OLDER, mesh, ()), uv)


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
    ]
    return f"{row.object}: {', '.join(p for p in parts if p)}"


def what(settings: Update, result: Updated) -> str:
    """What was done, in a few words."""
    count = len(result.objects)
    return f"{count} {'object' if count == 1 else 'objects'}"
