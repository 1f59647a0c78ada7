"""Inspect: what is in a document, and how good its UVs are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Member
from quilt_core.operations.operation import Progress, figure
from quilt_core.scene.island_set import instance_spread, object_size
from quilt_core.scene.lengths import size_words
from quilt_core.scene.model import SceneObject
from quilt_core.scene.proportion import suggested_proportion


@dataclass(frozen=True)
class Inspect:
    """It has no settings."""


@dataclass(frozen=True)
class DensityFigures:
    """Texel density of some islands."""

    min: float | None = figure("smallest of an island", "px/m", 3)
    mean: float = figure("of all together: root of the sums' ratio", "px/m", 3)
    max: float | None = figure("largest of an island", "px/m", 3)


@dataclass(frozen=True)
class InspectedObject:
    """An object and its UVs."""

    file: str = figure("path of its file")
    object: str = figure("its name")
    size: list[float] = figure("along its own axes, where it stands largest", "m", 6)
    instances: int = figure("how often it stands in the scene")
    instance_sizes_differ: float = figure("largest / smallest area of its instances", "", 3)
    faces: int = figure("how many")
    islands: int = figure("how many")
    channels: list[str] = figure("names of its UV channels")
    density: DensityFigures = figure("of its islands")
    proportion: float = figure("width / height of the textures of most islands", "", 4)
    suggested_proportion: float | None = figure(
        "another one that the stretch of most faces suggests", "", 4
    )
    mirrored: int = figure("islands")
    overlapping: int = figure("islands that lie on others")
    folded: int = figure("islands that lie on themselves")
    outside: int = figure("islands outside the tiles")
    collapsed: int = figure("islands without an area")
    flat_faces: int = figure("faces without an area in UV or in space: they have no density")
    without_uvs: int = figure("faces without UVs")


@dataclass(frozen=True)
class InspectedTotal:
    """All objects together."""

    objects: int = figure("how many")
    islands: int = figure("how many")
    faces: int = figure("how many")
    density: float = figure("of all islands together", "px/m", 3)
    coverage: float = figure("sum of the areas of islands / area of tiles")
    overlap_texels: float = figure("area of overlaps of different islands", "px²", 3)
    overlap_pairs: int = figure("pairs of islands that overlap")


@dataclass(frozen=True)
class Inspected:
    """What was found."""

    objects: list[InspectedObject] = figure("each object")
    total: InspectedTotal = figure("all together")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: Inspect, progress: Progress) -> Inspected:
    """Faces, islands, channels, densities and counts of faults of every object of the first atlas."""
    from quilt_core.measure import measure_tiles
    from quilt_core.measure.density import set_density

    layout = document.layout
    islands = layout.islands
    progress.report(0.5, "measuring")
    progress.check()
    tiles = [tile.size for tile in layout.tiles]
    figures = measure_tiles(islands, layout.placements, tiles)
    between = figures.overlaps.pairs[:, 0] != figures.overlaps.pairs[:, 1]
    overlapping, folded = np.zeros((2, islands.count), bool)
    overlapping[figures.overlaps.pairs[between]] = True
    folded[figures.overlaps.pairs[~between]] = True
    width, height = layout.pixels.T
    rows = []
    for k, (member, name) in enumerate(zip(layout.members, layout.object_names(), strict=True)):
        mine = islands.object_index == k
        known = figures.density[mine & ~figures.collapsed]
        obj = document.sources[member.source].scene().objects[member.number]
        usual, suggested = _proportions(obj, member, islands.proportion[mine])
        rows.append(
            InspectedObject(
                file=member.file,
                object=name,
                size=object_size(
                    obj, document.sources[member.source].scene().metres_per_unit
                ).tolist(),
                instances=len(obj.instances),
                instance_sizes_differ=instance_spread(obj),
                faces=obj.mesh.face_count,
                islands=int(mine.sum()),
                channels=[c.name for c in obj.mesh.channels if (c.corner_uv >= 0).any()],
                density=DensityFigures(
                    float(known.min()) if len(known) else None,
                    set_density(islands, layout.placements, width, height, mine),
                    float(known.max()) if len(known) else None,
                ),
                proportion=usual,
                suggested_proportion=suggested,
                mirrored=int(figures.mirrored[mine].sum()),
                overlapping=int(overlapping[mine].sum()),
                folded=int(folded[mine].sum()),
                outside=int(figures.outside[mine].sum()),
                collapsed=int(figures.collapsed[mine].sum()),
                flat_faces=_flat_faces(obj, member.channel) if mine.any() else 0,
                without_uvs=islands.unflattened[k],
            )
        )
    total = InspectedTotal(
        len(rows),
        islands.count,
        sum(row.faces for row in rows),
        figures.density_all,
        figures.coverage,
        float(figures.overlaps.texels[between].sum()),
        int(between.sum()),
    )
    return Inspected(rows, total)


def _proportions(
    obj: SceneObject, member: Member, proportion: np.ndarray[Any, Any]
) -> tuple[float, float | None]:
    """Width / height of the textures of most islands, and what the stretch of the layout suggests instead."""
    if not len(proportion):
        return 1.0, None
    usual, mesh = float(np.median(proportion)), obj.mesh
    uv = mesh.channels[member.channel].per_corner[mesh.triangles]
    points = mesh.positions[mesh.corner_vertex[mesh.triangles]]
    return usual, suggested_proportion(uv, points, usual)


def _flat_faces(obj: SceneObject, channel: int) -> int:
    """Faces with UVs, but without an area there or in space."""
    from quilt_core.measure.density import flat_faces

    mesh = obj.mesh
    uv = mesh.channels[channel].per_corner[mesh.triangles]
    known = np.isfinite(uv).all(axis=(1, 2))
    points = mesh.positions[mesh.corner_vertex[mesh.triangles[known]]]
    return flat_faces(uv[known], points, mesh.triangle_face[known])


COUNTED = ("mirrored", "overlapping", "folded", "outside", "collapsed", "flat_faces", "without_uvs")


def tell(result: Inspected) -> list[str]:
    """The result as a table."""
    head = f"{'object':28} {'size':>22} {'faces':>8} {'islands':>7} {'px/m min':>9} {'mean':>9} {'max':>9}  notes"
    out = [head]
    for row in result.objects:
        d = row.density
        cells = " ".join(
            f"{v:9.1f}" if v is not None and np.isfinite(v) else f"{'–':>9}"
            for v in (d.min, d.mean, d.max)
        )
        notes = [
            f"{getattr(row, name)} {name.replace('_', ' ')}"
            for name in COUNTED
            if getattr(row, name)
        ]
        if row.proportion != 1:
            notes.append(f"laid out for {row.proportion:.3g} : 1")
        if row.suggested_proportion:
            notes.append(f"looks laid out for {row.suggested_proportion:.3g} : 1 (proportion)")
        out.append(
            f"{row.object[:28]:28} {size_words(row.size):>22} {row.faces:8} {row.islands:7} {cells}  {', '.join(notes)}"
        )
    return out
