"""Unwrap: cut objects into islands and flatten them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, Made, Member
from quilt_core.errors import LayoutError
from quilt_core.operations.bases import made_of, object_of, select_objects, with_bases
from quilt_core.operations.by_hand import counted
from quilt_core.operations.layouts import OBJECTS, Selector
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import option
from quilt_core.scene.island_set import IslandSet
from quilt_core.unwrap.options import UnwrapSettings

MISSING, USELESS, ALL = "missing", "useless", "all"


class NothingToDo(LayoutError):
    """Nothing is to be changed: wrong when it was asked for by hand, fine in a run sheet."""


@dataclass(frozen=True)
class Unwrap(UnwrapSettings):
    """Settings of unwrapping."""

    objects: tuple[Selector, ...] = option((), "objects that are meant; all without it", **OBJECTS)
    which: str | None = option(
        None,
        "of these, those without UVs (missing), those too whose UVs are of no use (useless), or all; "
        "without it useless, and all where objects are named by their number",
        choices=(MISSING, USELESS, ALL),
    )


@dataclass(frozen=True)
class UVFigures:
    """Figures of an object's UVs."""

    islands: int = figure("how many")
    seam: float = figure(
        "length of edges between two faces that are cut / root of the surface", "", 4
    )
    stretch_l2: float = figure("L2 stretch over its area; 1 is none (Sander et al. 2001)")
    stretch_p95: float = figure("stretch that 95 % of the area stay below")
    energy: float = figure(
        "mean symmetric Dirichlet energy; 4 is isometric (Smith and Schaefer 2015)"
    )
    flipped: int = figure("triangles turned over")


@dataclass(frozen=True)
class Unwrapped(UVFigures):
    """An object after unwrapping."""

    id: int = figure("its number in the document")
    object: str = figure("its name")
    symmetric: bool = figure("whether its two sides are mirror images, as was asked")
    self_overlap: float = figure("part of the area that lies on other parts of it", "", 9)
    seconds: float = figure("time it took", "s", 3)
    was: UVFigures | None = figure("figures of the UVs that it had; null for none")


@dataclass(frozen=True, eq=False)
class UnwrapResult:
    """What unwrapping made."""

    document: Document
    together: list[list[int]]
    objects: list[Unwrapped] = figure("objects that were unwrapped")
    left: list[str] = figure("names of those that were left as they are")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: Unwrap, progress: Progress) -> UnwrapResult:
    """Unwrap objects; their islands lie on the side table, at the house density. Work that is stopped keeps what is done
    so far, object by object, where the user wants that.

    Raises
    ------
    NothingToDo
        When no object is meant.
    LayoutError
    Stopped
    """
    chosen = [_chosen(layout, settings) for layout in document.layouts]
    total = sum(map(len, chosen))
    if not total:
        raise NothingToDo(
            "No object is to be unwrapped: every one has usable UVs.",
            ", ".join(layout.state.name for layout in document.layouts),
            "Name the objects that are meant, or ask for all.",
        )
    figures: list[Unwrapped] = []
    layouts: list[Layout] = []
    together: list[list[int]] = []
    left: list[str] = []
    done = 0
    for layout, places in zip(document.layouts, chosen, strict=True):
        names, made = layout.object_names(), {}
        for k in places:
            if progress.stop():
                break
            part = progress.part(done / total, 1 / total)
            found = _unwrap(document, layout.members[k], names[k], settings, part)
            done += 1
            if found is not None:
                made[k], row = found
                figures.append(row)
        progress.check()
        left += [name for k, name in enumerate(names) if k not in made]
        layouts.append(with_bases(document, layout, made))
        together.append(list(made))
    if not figures:
        raise LayoutError(
            "There is no face that could be unwrapped.",
            document.layout.state.name,
            "Look at the meshes.",
        )
    return UnwrapResult(replace(document, layouts=layouts), together, figures, left)


def _chosen(layout: Layout, settings: Unwrap) -> Sequence[int]:
    """Places of the members that are meant."""
    places: Sequence[int] = range(len(layout.members))
    which = settings.which or USELESS
    if settings.objects:
        places = select_objects(layout, settings.objects, "objects")
        if settings.which is None and all(isinstance(one, int) for one in settings.objects):
            which = ALL
    out = [k for k in places if which == ALL or _lacks(layout.members[k], which)]
    for k in out:
        if layout.members[k].row.part is not None:
            raise LayoutError(
                f"“{layout.members[k].name}” lies in several atlases, by parts.",
                "objects",
                "Put all its islands into one atlas first.",
            )
    return out


def _lacks(member: Member, which: str) -> bool:
    if not member.row.islands:
        base = member.base_layout().islands
        return any(base.unflattened)
    return which == USELESS and member.useless


def _unwrap(
    document: Document, member: Member, name: str, settings: Unwrap, progress: Progress
) -> tuple[Made, Unwrapped] | None:
    """A new base layout of an object, and its figures; None when it has no face to unwrap."""
    from quilt_core.unwrap.object_flat import world_points
    from quilt_core.unwrap.unwrap import Stage, unwrap_mesh

    def on_stage(stage: Stage) -> bool:
        seams = f", seams {stage.seam:.2f}" if np.isfinite(stage.seam) else ""
        progress.report(stage.progress, f"unwrapping {name}{seams}")
        return not progress.stop()

    progress.report(0.0, f"unwrapping {name}")
    obj = object_of(document, member, settings.weld)
    found = unwrap_mesh(obj.mesh, settings, world_points(obj), on_stage)
    if not found.islands or progress.stop() == "drop":
        return None
    made = made_of(document, member, found.uv, "unwrapped", settings.weld)
    row = Unwrapped(
        found.islands, found.seam_length, found.stretch_l2, found.stretch_p95, found.energy, found.flipped,
        member.row.object, name, found.symmetric, _self_overlap(made.base.islands), found.seconds,
        uv_figures(document, member),
    )  # fmt: skip
    return made, row


def uv_figures(document: Document, member: Member) -> UVFigures | None:
    """Figures of the UVs that a member has; None where it has none."""
    from quilt_core.unwrap.edits.laid import lay_out
    from quilt_core.unwrap.object_flat import world_points
    from quilt_core.unwrap.result import flat_figures

    base = member.base_layout()
    if not base.islands.count:
        return None
    obj = object_of(document, member)
    root = float(np.sqrt(np.median(base.islands.proportion)))
    uv = base.uv * np.array([root, 1.0 / root])
    laid = lay_out(obj.mesh, uv, world_points(obj), face_island=base.face_island)
    found = flat_figures(laid.work, laid.known)
    return UVFigures(
        found.islands, found.seam_length, found.stretch_l2, found.stretch_p95, found.energy, found.flipped
    )  # fmt: skip


def _self_overlap(islands: IslandSet) -> float:
    """Part of the area of islands, each by itself, that lies on other parts of it."""
    from quilt_core.measure import measure
    from quilt_core.scene.placement import identity

    side = 1024
    overlaps = measure(islands, identity(islands.count), side, side).overlaps
    own = overlaps.pairs[:, 0] == overlaps.pairs[:, 1]
    area = float(islands.uv_area.sum()) * side**2
    return float(overlaps.texels[own].sum()) / max(area, 1e-300)


def tell(result: UnwrapResult) -> list[str]:
    """The result in words."""
    return [
        f"{one.object}: {counted(one.islands)}, seams {one.seam:.2f}, stretch L2 {one.stretch_l2:.4f}, "
        f"95 % below {one.stretch_p95:.3f}, energy {one.energy:.4f}, {one.flipped} flipped, {one.seconds:.1f} s"
        for one in result.objects
    ]


def what(settings: Unwrap, result: UnwrapResult) -> str:
    """What was done, in a few words."""
    ways = {
        "natural": f"natural, stretch up to {settings.stretch:g}",
        "shape": f"few seams, stretch up to {settings.stretch:g}",
        "angle": f"seams from {settings.angle:g}°",
        "hard": "seams at hard edges",
        "material": "seams between materials",
        "group": "seams between groups",
        "one": "one piece each",
    }
    count = len(result.objects)
    return f"{count} {'object' if count == 1 else 'objects'}, {ways[settings.seams]}"
