"""Copy layout: give an object's layout to its look-alikes, objects of equal topology."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, Made, Member
from quilt_core.document.state import State, spans
from quilt_core.errors import LayoutError
from quilt_core.operations.bases import Remade, made_of, object_of, select_objects, with_bases
from quilt_core.operations.layouts import OBJECTS, Selector
from quilt_core.operations.lying import lying_of, remade_of
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import IntArray


@dataclass(frozen=True)
class CopyLayout:
    """Settings of copying a layout."""

    source: Selector = option(help="object whose layout is copied", **OBJECTS)
    to: tuple[Selector, ...] = option(
        (), "objects that get it; all look-alikes without it", **OBJECTS
    )
    stack: bool = option(False, "copies lie on the islands of the source and share their texels")
    faces: tuple[int, ...] = option(
        (),
        "only the layout of these faces of it, for all parts that are alike, in other objects and its own",
        low=0,
        high=2**31 - 1,
    )
    number: int = option(
        0, "which match of a symmetric mesh, the closest in shape first", low=0, high=100_000
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class Copied:
    """An object that got the layout."""

    id: int = figure("its number in the document")
    object: str = figure("its name")
    mirrored: bool = figure("whether it is a mirror image")
    misfit: float = figure(
        "root of the mean square distance of its vertices / its size; 0 for a copy"
    )
    number: int = figure("which match was taken")
    matches: int = figure("ways in which it matches")
    stacked: bool = figure("whether it lies on the source's islands")
    parts: int = figure("parts of it that got it; 0 for all of it")
    stretch_l2: float = figure("L2 stretch of the layout on this shape", "", 4)


@dataclass(frozen=True, eq=False)
class CopyResult:
    """What copying made."""

    document: Document
    together: list[list[int]]
    source: str = figure("whose layout it is")
    objects: list[Copied] = figure("objects that got it")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: CopyLayout, progress: Progress) -> CopyResult:
    """Copy a layout; copies come to the side table, at the house density, or onto the islands of the source.

    Raises
    ------
    LayoutError
        When the source has no layout, or nothing has its topology.
    Stopped
    """
    where, place = _source(document, settings.source)
    layout = document.layouts[where]
    source, name = layout.members[place], layout.object_names()[place]
    if not source.base_layout().islands.count:
        raise LayoutError(
            f"“{name}” has no UVs in channel {source.channel + 1}.",
            "source",
            "Unwrap it first, or name another one.",
        )
    if settings.stack and source.row.part is not None:
        raise LayoutError(
            f"“{name}” lies in several atlases, by parts.", "stack",
            "Put all its islands into one atlas first, or copy its layout without stacks.",
        )  # fmt: skip
    if settings.faces:
        return _copy_part(document, where, place, settings, progress)
    mesh = object_of(document, source).mesh
    rows: list[Copied] = []
    layouts: list[Layout] = []
    together: list[list[int]] = []
    for number, one in enumerate(document.layouts):
        state = _stacked(one.state, place) if settings.stack and number == where else one.state
        made, kept = {}, {}
        places = select_objects(one, settings.to, "to") if settings.to else range(len(one.members))
        for k in places:
            member = one.members[k]
            if member is source or member.row.part is not None:
                continue
            progress.report(k / max(len(one.members), 1), f"comparing {member.name}")
            progress.check()
            found = _copy(document, source, mesh, member, one.object_names()[k], settings)
            if found is None:
                if settings.to:
                    raise LayoutError(
                        f"“{one.object_names()[k]}” has another topology than “{name}”.", "to",
                        "Name look-alikes only, or nothing to find them.",
                    )  # fmt: skip
                continue
            made[k], row, corner = found
            if settings.stack and number == where:
                kept[k] = _on_top(state, place, source, mesh, made[k], corner)
            rows.append(row)
        layouts.append(with_bases(document, one.having(state), made, kept))
        together.append([*made, place] if number == where else list(made))
    if not rows:
        raise LayoutError(
            f"Nothing has the topology of “{name}”.", "source", "Name another object."
        )
    return CopyResult(replace(document, layouts=layouts), together, name, rows)


def _source(document: Document, given: Selector) -> tuple[int, int]:
    """Atlas and place of the object whose layout is copied."""
    found = []
    error: LayoutError | None = None
    for number, layout in enumerate(document.layouts):
        try:
            found += [(number, k) for k in select_objects(layout, (given,), "source")]
        except LayoutError as fault:
            error = fault
    if not found and error:
        raise error
    if len(found) != 1:
        raise LayoutError(f"“{given}” names {len(found)} objects.", "source", "Name one.")
    return found[0]


def _copy(
    document: Document, source: Member, mesh: Mesh, member: Member, name: str, settings: CopyLayout
) -> tuple[Made, Copied, IntArray] | None:
    from quilt_core.unwrap.alike import find_match
    from quilt_core.unwrap.object_flat import world_points
    from quilt_core.unwrap.result import flat_stretch

    other = object_of(document, member, source.weld)
    # The number of faces tells most of them apart.
    if other.mesh.face_count != mesh.face_count:
        return None
    match = find_match(mesh, other.mesh, settings.number)
    if match is None:
        return None
    uv = source.base_layout().uv[match.corner]
    made = made_of(document, member, uv, "copied", source.weld)
    row = Copied(
        member.row.object, name, match.mirrored, match.misfit, match.number, match.matches, settings.stack, 0,
        flat_stretch(other.mesh, world_points(other), uv),
    )  # fmt: skip
    return made, row, match.corner


def _stacked(state: State, place: int) -> State:
    """The state with each island of a member in a stack."""
    first, last = spans(state.members)[place]
    controls = state.controls
    stack = controls["stack"][first:last]
    alone = stack < 0
    stack[alone] = int(controls["stack"].max(initial=-1)) + 1 + np.arange(int(alone.sum()))
    controls["stack"][first:last] = stack
    return state.having(controls=controls)


def _on_top(
    state: State,
    place: int,
    source: Member,
    mesh: Mesh,
    made: Made,
    corner: Sequence[int] | IntArray,
) -> Remade:
    """Islands of a copy on those that they were copied from."""
    count, face_island = made.base.islands.count, made.base.face_island
    faces = np.unique(face_island, return_index=True)[1][-count:]
    at = np.asarray(corner)[made.obj.mesh.face_offsets[faces]]
    came_from = source.base_layout().face_island[mesh.corner_face[at]]
    first, last = spans(state.members)[place]
    return Remade(state.islands[first:last][came_from].copy(), np.zeros(count, bool))


def _copy_part(
    document: Document, where: int, place: int, settings: CopyLayout, progress: Progress
) -> CopyResult:
    """Copies of a part come to the side table; what is around them is cut from them."""
    from quilt_core.unwrap.part_alike import find_part, part_corners

    layout = document.layouts[where]
    source = layout.members[place]
    mesh = object_of(document, source).mesh
    faces = np.unique(np.array(settings.faces, np.int64))
    if faces[-1] >= mesh.face_count:
        raise LayoutError(
            f"There is no face {faces[-1]}.", "faces", "Select the faces of the part again."
        )
    uv = lying_of(layout, place, mesh.corner_face).uv[part_corners(mesh, faces)]
    if not np.isfinite(uv).all():
        raise LayoutError("Some of these faces have no UVs.", "faces", "Unwrap them first.")
    aside = np.array([float(np.ptp(uv[:, 0])) + layout.state.padding + 1.0, 0.0])
    names = layout.object_names()
    made, kept, rows = {}, {}, []
    for k, member in enumerate(layout.members):
        if member.row.part is not None or len(member.base_layout().face_island) < len(faces):
            continue
        progress.report(k / len(layout.members), f"looking at {member.name}")
        progress.check()
        other = mesh if k == place else object_of(document, member).mesh
        found = find_part(mesh, faces, other)
        if not found:
            continue
        lying = lying_of(layout, k, other.corner_face)
        after, touched = lying.uv.copy(), np.zeros(len(lying.uv), bool)
        for number, one in enumerate(found):
            # Apart from one another, so that parts that meet stay islands of their own.
            after[one.corner] = uv + (number + 1) * aside
            touched[one.corner] = True
        made[k], remade = remade_of(
            document,
            layout,
            k,
            lying,
            after,
            False,
            touched,
            _face_areas(other),
            "copied",
            member.weld,
        )
        kept[k] = _beside(remade, made[k], touched[other.face_offsets[:-1]])
        mirrored = any(one.mirrored for one in found)
        misfit = max(one.misfit for one in found)
        rows.append(
            Copied(member.row.object, names[k], mirrored, misfit, 0, 1, False, len(found), 1.0)
        )
    if not made:
        raise LayoutError(
            "No other part in this atlas is like these faces.", source.name,
            "Select a part that occurs again, in the same shape.",
        )  # fmt: skip
    layouts = list(document.layouts)
    layouts[where] = with_bases(document, layout, made, kept)
    together = [list(made) if k == where else [] for k in range(len(layouts))]
    return CopyResult(replace(document, layouts=layouts), together, names[place], rows)


def _face_areas(mesh: Mesh) -> NDArray[np.float64]:
    """(F,) areas of the faces."""
    points = mesh.positions[mesh.corner_vertex[mesh.triangles]]
    normal = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    lengths = 0.5 * np.linalg.norm(normal, axis=1)
    return np.asarray(
        np.bincount(mesh.triangle_face, lengths, minlength=mesh.face_count), np.float64
    )


def _beside(kept: Remade, made: Made, copied: NDArray[np.bool_]) -> Remade:
    """The same with islands of copied faces (F,) on the side table."""
    island = made.base.face_island
    aside = kept.aside.copy()
    aside[np.unique(island[copied & (island >= 0)])] = True
    return Remade(kept.rows, aside)


def tell(result: CopyResult) -> list[str]:
    """The result in words."""
    out = []
    for one in result.objects:
        side = ", mirrored" if one.mirrored else ""
        shape = "" if one.misfit < 1e-4 else f", its shape differs by {one.misfit:.2%} of its size"
        out.append(f"{one.object}: copied{side}{shape}, stretch L2 {one.stretch_l2:.3f}")
    return out


def what(settings: CopyLayout, result: CopyResult) -> str:
    """What was done, in a few words."""
    parts = sum(one.parts for one in result.objects)
    if parts:
        return f"a part of “{result.source}” to {parts} {'other' if parts == 1 else 'others'}"
    count = len(result.objects)
    return f"“{result.source}” to {count} {'look-alike' if count == 1 else 'look-alikes'}"
