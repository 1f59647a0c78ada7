"""Objects as a layout has them, for comparing layouts."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, Member
from quilt_core.document.state import spans
from quilt_core.measure.compare import LaidMesh
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject
from quilt_core.scene.naming import unique_names
from quilt_core.scene.placement import apply_placements
from quilt_core.scene.types import FloatArray


@dataclass(frozen=True, eq=False)
class Laid:
    """An object in a layout."""

    member: Member
    layout: Layout
    start: int
    """Its first island in the layout."""
    obj: SceneObject
    mesh: LaidMesh
    facts: Mapping[str, FloatArray] = field(repr=False)

    @property
    def density(self) -> float | None:
        """Of all its islands."""
        area, world = self.facts["area"], self.facts["world"]
        known = (area > 0) & (world > 0)
        return float(np.sqrt(area[known].sum() / world[known].sum())) if known.any() else None

    @property
    def count(self) -> int:
        """Number of islands."""
        return len(self.mesh.pixel)

    def number(self, island: int) -> int:
        """What an island is called, from 1."""
        return int(self.member.row.numbers[island]) + 1

    def fact(self, name: str, island: int) -> float | None:
        """A figure of an island."""
        value = float(self.facts[name][island])
        return value if np.isfinite(value) else None


def laid_objects(document: Document) -> dict[tuple[str, str], Laid]:
    """Objects by their atlas and name; the atlas of files has no name that counts."""
    from quilt_core.measure.stretch import measure_triangles, stretch_of

    out = {}
    for layout in document.layouts:
        atlas = layout.state.name if document.arranged else ""
        names = unique_names([m.name for m in layout.members], [m.file for m in layout.members])
        placed = layout.islands.placed(layout.placements)
        px = layout.pixels
        area = placed.uv_area * px.prod(axis=1)
        world = layout.islands.world_area
        flat = placed.triangles * px[placed.triangle_island][:, None]
        stretch = stretch_of(
            measure_triangles(flat, layout.surface.points), placed.triangle_island, placed.count
        ).l2
        tile = _home(layout)
        with np.errstate(divide="ignore", invalid="ignore"):
            density = np.sqrt(area / world)
        for name, member, (first, last) in zip(
            names, layout.members, spans(layout.state.members), strict=True
        ):
            own = slice(first, last)
            facts = {
                "area": area[own], "world": world[own], "density": density[own],
                "stretch": stretch[own], "tile": tile[own],
            }  # fmt: skip
            obj = document.sources[member.source].scene().objects[member.number]
            mesh = _mesh(layout, member, obj.mesh, first, px[own])
            out[atlas, name] = Laid(member, layout, first, obj, mesh, facts)
    return out


def _home(layout: Layout) -> FloatArray:
    """(I,) number of the tile that each island lies in, 0 for none."""
    from quilt_core.scene.tiles import home_tiles

    at = home_tiles(layout.islands, layout.placements, [tile.size for tile in layout.tiles])
    numbers = np.array([*(tile.number for tile in layout.tiles), 0], np.float64)
    return np.asarray(np.where(layout.unplaced, 0.0, numbers[at]))


def _mesh(layout: Layout, member: Member, mesh: Mesh, first: int, pixel: FloatArray) -> LaidMesh:
    base = member.base_layout()
    number = np.full(base.islands.count + 1, -1)
    number[member.row.numbers] = np.arange(len(pixel))
    face_island = number[base.face_island]
    corner = face_island[mesh.corner_face]
    uv = np.full((len(corner), 2), np.nan)
    there = corner >= 0
    uv[there] = apply_placements(base.uv[there], first + corner[there], layout.placements)
    return LaidMesh(uv, face_island, mesh.face_offsets, pixel)


def other_textures(older: Document, before: Laid, newer: Document, now: Laid) -> list[str]:
    """Textures of the materials on both objects that differ."""
    one, two = _images(older, before), _images(newer, now)
    return [
        f"{role} of {material}"
        for material, role in dict.fromkeys([*two, *one])
        if one.get((material, role)) != two.get((material, role))
    ]


def _images(document: Document, laid: Laid) -> dict[tuple[str, str], str]:
    """Marks of the textures of an object's materials, by material and role."""
    from quilt_core.formats.file_materials import material_book

    source = document.sources[laid.member.source]
    used = {int(k) for k in np.unique(laid.obj.mesh.face_material) if k >= 0}
    if not used:
        return {}
    book = material_book(source.scene(), source.siblings(), source.changes)
    out = {}
    for number, material in enumerate(book.materials):
        for role, binding in material.bindings.items() if number in used else ():
            data = book.images.get(binding.image)
            out[material.name, role] = hashlib.sha256(data).hexdigest() if data else ""
    return out
