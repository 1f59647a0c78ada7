"""Detail: the lowest density at which painted islands still look the same, and weights that follow."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError
from quilt_core.operations.operation import Progress, figure
from quilt_core.operations.visibility import islands_of_faces
from quilt_core.options import check_options, option
from quilt_core.scene.types import FloatArray, IntArray

LISTED = 40
ROOM = 1e-9
"""Part by which a proposed weight lies above what is needed, so that rounding takes nothing."""


@dataclass(frozen=True)
class Detail:
    """When a coarser texture looks the same."""

    decibels: float = option(
        45.0, "least peak signal-to-noise ratio of what is stored", unit="dB", low=20, high=90
    )
    colour: float = option(
        1.0, "largest CIEDE2000 of a texel's colour, 1 is just not seen", low=0.05, high=20
    )
    share: float = option(0.99, "part of the texels that keep below that", low=0.5, high=1)
    least: float = option(
        0.125, "weight that is proposed at least, however plain an island is", low=0.01, high=1
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class DetailedIsland:
    """How many texels a painted island needs."""

    number: int = figure("its number in the atlas, from 0")
    object: str = figure("its object")
    island: int = figure("its number in the object, from 1")
    area_m2: float = figure("its surface", "m²", 8)
    painted: float = figure("density of its textures today, the finest of them", "px/m", 3)
    needed: float = figure("lowest density at which they look the same", "px/m", 3)
    role: str = figure("texture that needs it")
    weight: float = figure("proposed: what it needs, against the island that needs most", "", 6)


@dataclass(frozen=True)
class DetailedAtlas:
    """How many texels the painted islands of an atlas need."""

    atlas: str = figure("its name")
    islands: list[DetailedIsland] = figure("painted ones")
    count: int = figure("islands of the atlas")
    painted_texels: int = figure("of the painted islands, as they were painted")
    even_texels: int = figure("that they need at one density for all")
    needed_texels: int = figure("that they need at the proposed weights")
    saved: float = figure("part of the texels at one density that weights save", "", 4)


@dataclass(frozen=True)
class DetailResult:
    """How many texels painted islands need."""

    atlases: list[DetailedAtlas] = figure("each atlas")
    notes: list[str] = figure("what could not be looked at")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


@dataclass(frozen=True)
class _Part:
    """Triangles of an island with one material."""

    island: int
    material: int
    triangles: IntArray
    area: float


def run(document: Document, settings: Detail, progress: Progress) -> DetailResult:
    """Look at the textures of painted islands; nothing is changed.

    Raises
    ------
    LayoutError
    Stopped
    """
    from quilt_core.formats.merge_case import painted_members, read_materials

    progress.report(0.0, "reading the textures")
    keys = list(document.sources)
    sources = [document.sources[key] for key in keys]
    scenes = [source.scene() for source in sources]
    case = read_materials(
        scenes, [source.siblings() for source in sources], [source.changes for source in sources]
    )
    out: list[DetailedAtlas] = []
    count = max(len(document.layouts), 1)
    for k, layout in enumerate(document.layouts):
        part = progress.part(k / count, 1 / count)
        faces = islands_of_faces(layout)
        wanted = [
            [(key, n) in faces for n in range(len(scene.objects))]
            for key, scene in zip(keys, scenes, strict=True)
        ]
        members, painted = painted_members(case, wanted)
        named = [(keys[i], n) for i, own in enumerate(members) for n in own]
        found = _Needs(layout.islands.count, case, settings)
        for j, (own, name) in enumerate(zip(painted, named, strict=True)):
            part.report(0.05 + 0.95 * j / len(painted), f"comparing {own.obj.name}")
            for one in _parts(own, faces[name]):
                part.check()
                found.look(own, one)
        out.append(_atlas(layout, found, settings))
    if not any(one.islands for one in out):
        raise LayoutError(
            "No object is painted.", "", "Bring in files whose materials have textures."
        )
    return DetailResult(out, list(dict.fromkeys(case.notes)))


def _parts(own: Any, face_island: IntArray) -> Iterator[_Part]:
    """The islands of an object, each once for each of its materials."""
    mesh = own.mesh
    island = face_island[mesh.triangle_face]
    material = own.face_materials[mesh.triangle_face]
    corner = mesh.positions[mesh.corner_vertex[mesh.triangles]] * own.metres_per_unit
    area = 0.5 * np.linalg.norm(
        np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1
    )
    order = np.lexsort([material, island])
    order = order[island[order] >= 0]
    change = np.diff(island[order]) | np.diff(material[order])
    for rows in np.split(order, np.flatnonzero(change) + 1):
        if len(rows):
            yield _Part(int(island[rows[0]]), int(material[rows[0]]), rows, float(area[rows].sum()))


class _Needs:
    """Densities that islands have and need, by the textures that were looked at so far."""

    def __init__(self, count: int, case: Any, settings: Detail) -> None:
        from quilt_core.textures.detail import Alike

        self.painted = np.zeros(count)
        self.needed = np.zeros(count)
        self.role = [""] * count
        self.area = np.zeros(count)
        self.alike = Alike(settings.decibels, settings.colour, settings.share)
        self._case = case
        self._last: tuple[Any, Any] | None = None

    def look(self, own: Any, part: _Part) -> None:
        """Look at all textures of a part of an island."""
        from quilt_core.textures.detail import coarsest, read_texels
        from quilt_core.textures.materials import CORE

        material = self._case.materials[part.material]
        slots = {slot.name: slot for slot in (*CORE, *material.slots)}
        seen = False
        for name, binding in material.bindings.items():
            slot, image = slots.get(name), self._case.image(part.material, binding.image)
            if slot is None or image is None or binding.channel >= len(own.stored):
                continue
            stored = own.stored[binding.channel][own.mesh.triangles[part.triangles]]
            at = stored @ binding.matrix[:, :2].T + binding.matrix[:, 2]
            density = _density(at * image.size, part.area)
            there = read_texels(self._linear(image, slot.srgb), at, binding)
            if not density or there is None:
                continue
            seen = True
            level = coarsest(*there, slot, self.alike)
            self.painted[part.island] = max(self.painted[part.island], density)
            if density / 2**level > self.needed[part.island]:
                self.needed[part.island] = density / 2**level
                self.role[part.island] = name
        if seen:
            self.area[part.island] += part.area

    def _linear(self, image: Any, srgb: bool) -> Any:
        """A texture in linear light; the last one is kept."""
        if self._last is None or self._last[0] != (id(image), srgb):
            self._last = (id(image), srgb), image.linear(srgb)
        return self._last[1]


def _density(px: FloatArray, area: float) -> float:
    """px/m of triangles (N, 3, 2) with a surface in m²; 0 where there is none."""
    a, b = px[:, 1] - px[:, 0], px[:, 2] - px[:, 0]
    texels = float(np.nansum(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])) / 2)
    return float(np.sqrt(texels / area)) if area > 0 else 0.0


def _atlas(layout: Layout, found: _Needs, settings: Detail) -> DetailedAtlas:
    names, numbers = layout.object_names(), layout.numbers
    top = float(found.needed.max(initial=0.0))
    weight = np.clip(found.needed / top * (1 + ROOM), settings.least, 1.0) if top else found.needed
    rows = [
        DetailedIsland(
            i, names[layout.islands.object_index[i]], int(numbers[i]), float(found.area[i]),
            float(found.painted[i]), float(found.needed[i]), found.role[i], float(weight[i]),
        )
        for i in np.flatnonzero(found.needed).tolist()
    ]  # fmt: skip
    even = float((found.area * top**2).sum())
    needed = float((found.area * (top * weight) ** 2).sum())
    return DetailedAtlas(
        layout.state.name, rows, layout.islands.count, round(float((found.area * found.painted**2).sum())),
        round(even), round(needed), 1 - needed / even if even else 0.0,
    )  # fmt: skip


def tell(result: DetailResult) -> list[str]:
    """The result in words."""
    out = []
    for one in result.atlases:
        if not one.islands:
            continue
        top = max(row.needed for row in one.islands)
        less = sorted(
            (row for row in one.islands if row.weight < 1),
            key=lambda row: (row.weight**2 - 1) * row.area_m2,
        )
        out.append(
            f"{len(one.islands)} painted islands look the same at {top:.1f} px/m: {one.even_texels:,} texels, painted {one.painted_texels:,}; "
            f"with the weights proposed {one.needed_texels:,}, {one.saved:.1%} less"
        )
        out += [
            f"{row.object} island {row.island}: {row.needed:.1f} of {row.painted:.1f} px/m ({row.role}). Weight {row.weight:.4g}? ({row.area_m2:.4g} m²)"
            for row in less[:LISTED]
        ]
        if len(less) > LISTED:
            out.append(f"… and {len(less) - LISTED} more")
    return out + result.notes
