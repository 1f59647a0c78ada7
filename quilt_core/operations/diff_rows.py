"""What differs about an object, as rows of a comparison and in words."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.document.document import Document
from quilt_core.measure.compare import Compared, IslandChange, compare_islands
from quilt_core.operations.laid_objects import Laid, other_textures
from quilt_core.operations.operation import figure
from quilt_core.scene.mesh import Mesh

SAME, CHANGED, NEW, GONE = "same", "changed", "new", "gone"


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


def object_row(
    key: tuple[str, str], before: Laid | None, now: Laid | None, tolerance: float,
    older: Document, newer: Document,
) -> ObjectDiff:  # fmt: skip
    """What differs about an object, by its atlas and name, between two documents."""
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
        textures = other_textures(older, before, newer, now)
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
