"""Diff: what differs between two layouts of the same objects."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, Member
from quilt_core.document.state import spans
from quilt_core.errors import LayoutError
from quilt_core.measure.compare import Compared, IslandChange, LaidMesh, compare_islands
from quilt_core.operations.operation import AGAINST, Progress, figure
from quilt_core.operations.values import check_ending
from quilt_core.options import check_options, option
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject
from quilt_core.scene.naming import unique_names
from quilt_core.scene.placement import apply_placements
from quilt_core.scene.types import FloatArray

SAME, CHANGED, NEW, GONE = "same", "changed", "new", "gone"


@dataclass(frozen=True)
class Diff:
    """Settings of comparing."""

    tolerance: float = option(
        0.05, "px by which corners may differ untold", unit="px", low=0, high=1024
    )
    step: int | None = option(
        None,
        "of a project: the step of its history that it is compared with; without it the step before",
        low=0,
        high=2**31 - 1,
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class IslandDiff:
    """An island that differs."""

    island: int = figure("its number in the object, from 1; 0 for one that is gone")
    was: list[int] = figure("numbers that its faces had before")
    moved_px: float = figure("that its middle was moved by", "px", 3)
    turned: float = figure("to the left", "degrees", 3)
    size: float = figure("length / length before", "", 6)
    flipped: bool = figure("whether it was flipped")
    off_px: float | None = figure(
        "that a corner is off the best move, turn and size; null where it cannot be told", "px", 3
    )
    tile: int = figure("that it lies in; 0 for none")
    tile_before: int = figure("the same before")
    density: float | None = figure("of it", "px/m", 3)
    density_before: float | None = figure("the same before", "px/m", 3)
    stretch: float | None = figure("L2, 1 is none", "", 6)
    stretch_before: float | None = figure("the same before", "", 6)
    changes: list[str] = figure("all of that in words")


@dataclass(frozen=True)
class ObjectDiff:
    """An object in both layouts, or in one of them."""

    object: str = figure("its name")
    atlas: str = figure("its atlas")
    state: str = figure("same, changed, new or gone")
    faces: int = figure("how many; 0 for one that is gone")
    faces_before: int = figure("how many before; 0 for a new one")
    islands: int = figure("how many")
    islands_before: int = figure("how many before")
    same: int = figure("islands that are as they were")
    density: float | None = figure("of it", "px/m", 3)
    density_before: float | None = figure("the same before", "px/m", 3)
    textures: list[str] = figure("roles and names of its textures that differ")
    different: list[IslandDiff] = figure("islands that differ")
    changes: list[str] = figure("what differs, in words")


@dataclass(frozen=True, eq=False)
class Differences:
    """What differs."""

    older: Document
    newer: Document
    equal: bool = figure("whether nothing differs")
    settings: list[str] = figure("what differs about tiles, padding and the house band, in words")
    objects: list[ObjectDiff] = figure("each object, those that differ first")

    @property
    def ok(self) -> bool:
        """Whether nothing differs."""
        return self.equal


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


def run(document: Document, settings: Diff, progress: Progress) -> Differences:
    """Compare a document with another one.

    Raises
    ------
    LayoutError
        When there is nothing to compare it with.
    """
    older = document.others.get(AGAINST)
    if older is None:
        raise LayoutError(
            "There is nothing to compare it with.", AGAINST, "Name the older files, or a step."
        )
    before, now = _laid(older), _laid(document)
    rows = []
    for k, key in enumerate(dict.fromkeys([*now, *before])):
        progress.report(k / max(len(now), 1), "comparing")
        progress.check()
        rows.append(
            _object(key, before.get(key), now.get(key), settings.tolerance, older, document)
        )
    rows.sort(key=lambda row: row.state == SAME)
    said = _settings(older, document)
    return Differences(older, document, not said and all(r.state == SAME for r in rows), said, rows)


def _laid(document: Document) -> dict[tuple[str, str], Laid]:
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
        tile = home(layout)
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


def home(layout: Layout) -> FloatArray:
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


def _object(
    key: tuple[str, str], before: Laid | None, now: Laid | None, tolerance: float,
    older: Document, newer: Document,
) -> ObjectDiff:  # fmt: skip
    said: list[str] = []
    different: list[IslandDiff] = []
    textures: list[str] = []
    same = 0
    if before is None or now is None:
        state = NEW if before is None else GONE
        said.append("it is new" if before is None else "it is gone")
    else:
        one, two = before.obj.mesh, now.obj.mesh
        alike = np.array_equal(one.face_offsets, two.face_offsets)
        said += _shape(one, two, alike)
        if alike:
            found = compare_islands(before.mesh, now.mesh, tolerance)
            same = found.same
            different = _islands(found, before, now)
            said += _summed(found, different)
        elif before.count != now.count:
            said.append(f"{before.count:,} → {now.count:,} islands")
        said += _figures(before, now)
        textures = _textures(older, before, newer, now)
        said += [f"another texture: {one}" for one in textures]
        state = CHANGED if said else SAME
    return ObjectDiff(
        object=key[1],
        atlas=key[0],
        state=state,
        faces=now.obj.mesh.face_count if now else 0,
        faces_before=before.obj.mesh.face_count if before else 0,
        islands=now.count if now else 0,
        islands_before=before.count if before else 0,
        same=same,
        density=now.density if now else None,
        density_before=before.density if before else None,
        textures=textures,
        different=different,
        changes=said,
    )


def _shape(before: Mesh, now: Mesh, alike: bool) -> list[str]:
    """What differs about the mesh."""
    if not alike:
        if before.face_count == now.face_count:
            return ["other faces"]
        return [f"{before.face_count:,} → {now.face_count:,} faces"]
    one, two = (m.positions[m.corner_vertex] for m in (before, now))
    size = float(np.nanmax(np.ptp(one, axis=0), initial=0.0)) if len(one) else 0.0
    moved = float(np.nanmax(np.linalg.norm(two - one, axis=1), initial=0.0)) if len(one) else 0.0
    if moved <= 1e-6 * size:
        return []
    return [f"vertices moved by up to {moved / size if size else 1:.2%} of its size"]


def _islands(found: Compared, before: Laid, now: Laid) -> list[IslandDiff]:
    rows = [_island(one, before, now, False) for one in found.changed]
    rows += [_island(one, before, now, True) for one in found.parted]
    rows += [
        IslandDiff(
            0,
            [before.number(a)],
            0.0,
            0.0,
            1.0,
            False,
            None,
            0,
            int(before.facts["tile"][a]),
            None,
            before.fact("density", a),
            None,
            before.fact("stretch", a),
            ["it is gone"],
        )
        for a in found.gone
    ]
    return rows


def _island(one: IslandChange, before: Laid, now: Laid, parted: bool) -> IslandDiff:
    was = [before.number(a) for a in one.was]
    first = one.was[0] if len(one.was) == 1 else None
    tile = int(now.facts["tile"][one.island])
    tile_before = int(before.facts["tile"][first]) if first is not None else 0
    density, stretch = now.fact("density", one.island), now.fact("stretch", one.island)
    old_density = before.fact("density", first) if first is not None else None
    old_stretch = before.fact("stretch", first) if first is not None else None
    said = []
    if parted:
        numbers = ", ".join(map(str, was))
        many = len(was) > 1
        said.append("new faces" if not was else f"{'joined of' if many else 'part of'} {numbers}")
    elif tile != tile_before:
        said.append(f"to {_tile(tile)} from {_tile(tile_before)}")
    if one.moved:
        said.append(f"moved by {one.moved:,.4g} px")
    if one.flipped:
        said.append("flipped")
    if one.turned:
        said.append(f"turned by {one.turned:.4g}°")
    if one.size != 1:
        said.append(f"{one.size:.4g} times as large")
    if one.off:
        said.append(
            f"corners off by up to {one.off:,.4g} px" if np.isfinite(one.off) else "no numbers"
        )
    if stretch and old_stretch and abs(stretch - old_stretch) > 5e-4:
        said.append(f"stretch {old_stretch:.3f} → {stretch:.3f}")
    return IslandDiff(
        now.number(one.island), was, one.moved, one.turned, one.size, one.flipped,
        one.off if np.isfinite(one.off) else None, tile, tile_before, density, old_density, stretch,
        old_stretch, said,
    )  # fmt: skip


def _tile(number: int) -> str:
    return f"tile {number}" if number else "the side table"


def _summed(found: Compared, rows: list[IslandDiff]) -> list[str]:
    """What happened to the islands of an object, in a line each."""
    changed = rows[: len(found.changed)]
    out = []
    moved = [one.moved_px for one in changed if one.moved_px]
    for what, number, more in (
        ("moved", len(moved), f" by up to {max(moved):,.4g} px" if moved else ""),
        ("turned", sum(bool(one.turned) for one in changed), ""),
        ("flipped", sum(one.flipped for one in changed), ""),
        ("of another size", sum(one.size != 1 for one in changed), ""),
        ("of another shape", sum(one.off_px != 0 for one in changed), ""),
        ("in another tile", sum(one.tile != one.tile_before for one in changed), ""),
        ("of other faces", len(found.parted), ""),
        ("gone", len(found.gone), ""),
    ):
        if number:
            out.append(f"{number:,} island{'' if number == 1 else 's'} {what}{more}")
    return out


def _figures(before: Laid, now: Laid) -> list[str]:
    one, two = before.density, now.density
    if one is None or two is None or abs(two / one - 1) <= 5e-4:
        return []
    return [f"density {one:,.4g} → {two:,.4g} px/m"]


def _textures(older: Document, before: Laid, newer: Document, now: Laid) -> list[str]:
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


def _settings(older: Document, newer: Document) -> list[str]:
    """What differs about tiles, distances and the house band."""
    if not (older.arranged and newer.arranged):
        return []
    out = []
    one, two = ({layout.state.name: layout for layout in d.layouts} for d in (older, newer))
    out += [f"atlas {name} is new" for name in two if name not in one]
    out += [f"atlas {name} is gone" for name in one if name not in two]
    for name in [name for name in two if name in one]:
        a, b = one[name], two[name]
        tiles, tiles_now = ({t.number: t for t in layout.tiles} for layout in (a, b))
        out += [f"{name}: tile {n} is new" for n in tiles_now if n not in tiles]
        out += [f"{name}: tile {n} is gone" for n in tiles if n not in tiles_now]
        for n in [n for n in tiles_now if n in tiles]:
            x, y = tiles[n], tiles_now[n]
            if (x.width, x.height) != (y.width, y.height):
                out.append(f"{name}: tile {n} {x.width} x {x.height} → {y.width} x {y.height} px")
            if x.label != y.label:
                out.append(f"{name}: tile {n} “{x.label}” → “{y.label}”")
        for what in ("padding", "margin"):
            x, y = getattr(a.state, what), getattr(b.state, what)
            if x != y:
                out.append(f"{name}: {what} {x:g} → {y:g} px")
    for what in ("house_density", "tolerance", "least_density", "most_density"):
        x, y = getattr(older, what), getattr(newer, what)
        if x != y:
            words = ["none" if v is None else f"{v:g}" for v in (x, y)]
            out.append(f"{what.replace('_', ' ')} {' → '.join(words)}")
    return out


def tell(result: Differences) -> list[str]:
    """The result in words."""
    out = list(result.settings)
    for row in result.objects:
        if row.state == SAME:
            continue
        place = f"{row.atlas}, {row.object}" if row.atlas else row.object
        out.append(f"{place}: {'; '.join(row.changes)}")
        out += [
            f"  island {one.island or f'{one.was[0]} before'}: {', '.join(one.changes)}"
            for one in row.different[:MOST_TOLD]
        ]
        if len(row.different) > MOST_TOLD:
            out.append(f"  and {len(row.different) - MOST_TOLD:,} more islands")
    return out or ["nothing differs"]


MOST_TOLD = 20
"""Islands of an object that are told in words; JSON has all."""


@dataclass(frozen=True)
class DiffFiles:
    """Files that comparing reads and writes."""

    against: tuple[str, ...] = option(
        (),
        "the older files, or an older project file; without it the first of two that are named is the older one",
        shape="FILE",
        names="document",
    )
    report: str | None = option(
        None, "write a page with both layouts laid over one another, .html", shape="FILE",
        names="output",
    )  # fmt: skip

    def __post_init__(self) -> None:
        check_ending(self.report, "report", "report", (".html",))


def also(
    document: Document, result: Differences, settings: Diff, more: DiffFiles, progress: Progress
) -> tuple[dict[str, bytes], list[str], dict[str, Any]]:
    """The page of what differs."""
    if not more.report:
        return {}, [], {}
    from quilt_core.check.diff_page import diff_page

    return {more.report: diff_page(result.older, result.newer, tell(result)).encode()}, [], {}
