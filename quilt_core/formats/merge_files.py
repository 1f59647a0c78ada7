"""Merge painted files into one shared layout with one set of textures."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.formats.file_materials import is_obj
from quilt_core.formats.gltf_merge import file_tangents, write_merged
from quilt_core.formats.merge_case import Case, members_of, read_materials
from quilt_core.formats.merge_extras import joint_file, note_conflicts, profiled
from quilt_core.formats.merge_report import Sheets, merge_report
from quilt_core.formats.merge_settings import MergeSettings, Sheet
from quilt_core.formats.obj_merge import write_merged_obj
from quilt_core.formats.texture_changes import TextureChange
from quilt_core.scene.mesh import MOST_CHANNELS
from quilt_core.scene.model import Scene, Siblings
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.arrange import Arranged, arrange
from quilt_core.textures.merge import Group, Merged, merge_images, triangles_of
from quilt_core.textures.painted import Painted

__all__ = ["MergeSettings", "MergedFiles", "Sheet", "carry_files", "merge_files"]

Tell = Callable[[float, str], bool]


@dataclass(frozen=True, eq=False)
class MergedFiles:
    """What merging gives.

    Parameters
    ----------
    files : tuple of dict
        For each scene its files by name.
    images : dict
        Names of the textures beside them to their bytes; empty where they are embedded.
    report : dict
        Figures of before and after, and seconds by phase.
    notes : tuple of str
    differences : dict
        Titles of the sets to textures of how their base colour differs from what was painted.
    joint : bytes, optional
        All files in one GLB.
    """

    files: tuple[dict[str, bytes], ...]
    images: dict[str, bytes]
    report: dict[str, Any]
    notes: tuple[str, ...]
    differences: dict[str, bytes]
    joint: bytes | None = None


def merge_files(
    scenes: Sequence[Scene],
    siblings: Sequence[Siblings | None],
    settings: MergeSettings,
    tell: Tell = lambda progress, what: True,
) -> MergedFiles:
    """Give files one shared layout and one set of textures.

    Parameters
    ----------
    scenes : sequence of Scene
        As `read_scene` returns them.
    siblings : sequence of callable
        Readers of the files beside each.
    settings : MergeSettings
    tell : callable
        Is told how far it is, and at what; False gives the work up.

    Raises
    ------
    QuiltError
        When nothing can be merged, or it was given up.
    """
    started = time.monotonic()
    case = read_materials(scenes, siblings)
    wanted = [[True] * len(scene.objects) for scene in scenes]
    members, painted = members_of(case, wanted)
    times = [own.repeats_covered(case.materials, case.size) for own in painted]
    if settings.most_repeats is not None and max(times) > settings.most_repeats:
        members, painted, times = _without_repeats(case, wanted, members, times, settings)
    channel = _free_channel(painted) if settings.keep_channel else 0
    phases = {"read": time.monotonic() - started}
    began = time.monotonic()
    arranged = arrange(
        painted, case.materials, case.size, settings.pack, settings.density,
        lambda done: tell(0.05 + 0.4 * done, "packing"), lambda material: case.of_book[material],
    )  # fmt: skip
    for number in arranged.unrolled:
        cost = f", {times[number]:.1f} times over" if times[number] >= 1 else ""
        case.notes.append(
            f"“{painted[number].obj.name}” repeats its textures{cost}; the repeats are laid out one beside the other."
        )
    phases["pack"] = time.monotonic() - began
    sheets = _laid_sheets(settings, painted, arranged.uv)
    return _carried(case, members, painted, arranged, sheets, channel, settings, tell, phases)


def carry_files(
    scenes: Sequence[Scene],
    siblings: Sequence[Siblings | None],
    uvs: Sequence[Sequence[FloatArray | None]],
    settings: MergeSettings,
    channel: int = 0,
    tell: Tell = lambda progress, what: True,
    places: Sequence[str] | None = None,
    sheets: Sequence[Sheet] | None = None,
    face_sheets: Sequence[Sequence[IntArray | None]] | None = None,
    changes: Sequence[Sequence[TextureChange]] | None = None,
) -> MergedFiles:
    """Give files that have a shared layout already one set of textures for each of its sheets.

    Parameters
    ----------
    scenes, siblings, settings, tell
        See `merge_files`; nothing is packed.
    uvs : for each scene, for each object (C, 2) float64 or None
        UVs in the tiles' plane, NaN for corners that have no place; objects with None stay as they
        are.
    channel : int
        UV channel that the layout is written to, from 0.
    places : sequence of str, optional
        For each scene how its folder finds that of the textures, with a slash at the end.
    sheets : sequence of Sheet, optional
        One in the unit tile where none are given.
    face_sheets : for each scene, for each object (F,) int64 or None, optional
        The sheet that each face lies on, -1 for those that stay as they are; all on the first sheet
        where nothing is given.
    changes : for each scene a sequence of TextureChange, optional
        Textures that its materials were given.
    """
    started = time.monotonic()
    case = read_materials(scenes, siblings, changes)
    members, painted = members_of(case, [[uv is not None for uv in own] for own in uvs])
    found = [(i, k) for i, kept in enumerate(members) for k in kept]
    flat = tuple(uv for i, k in found if (uv := uvs[i][k]) is not None)
    given = [face_sheets[i][k] if face_sheets else None for i, k in found]
    of_face = []
    lost = 0
    for own, uv, said in zip(painted, flat, given, strict=True):
        wanted = _all_faces(own) if said is None else np.array(said, np.int64)
        bad = own.mesh.corner_face[np.isnan(uv).any(axis=1)]
        lost += int((wanted[bad] >= 0).sum())
        wanted[bad] = -1
        of_face.append(wanted)
    if lost:
        case.notes.append(
            f"{lost:,} corners of faces have no place in the layout; they keep what they have."
        )
    arranged = Arranged(flat, 1.0, 0.0, 0, 0, ())
    phases = {"read": time.monotonic() - started}
    settings.check_names(sheets or (settings.sheet,))
    every = Sheets(tuple(sheets or (settings.sheet,)), tuple(of_face))
    return _carried(
        case, members, painted, arranged, every, channel, settings, tell, phases, places, True
    )


def _without_repeats(
    case: Case,
    wanted: list[list[bool]],
    members: list[list[int]],
    times: list[float],
    settings: MergeSettings,
) -> tuple[list[list[int]], list[Painted], list[float]]:
    """Members without objects that repeat their textures too often, which are told."""
    limit = settings.most_repeats or 0.0
    flat = [(i, k) for i, own in enumerate(members) for k in own]
    for (i, k), count in zip(flat, times, strict=True):
        if count > limit:
            wanted[i][k] = False
            case.notes.append(
                f"“{case.scenes[i].objects[k].name}” repeats its textures {count:.1f} times over, more than {limit:g}: it stays as it is."
            )
    members, painted = members_of(case, wanted)
    return members, painted, [own.repeats_covered(case.materials, case.size) for own in painted]


def _laid_sheets(
    settings: MergeSettings, painted: Sequence[Painted], uvs: Sequence[FloatArray]
) -> Sheets:
    """The sheets that faces were laid on: one, or as many of the tiles as are used."""
    tiles = settings.pack.tiles
    if len(tiles) < 2:
        return Sheets((settings.sheet,), tuple(_all_faces(own) for own in painted))
    number = {tile.number: k for k, tile in enumerate(tiles)}
    found = []
    for own, uv in zip(painted, uvs, strict=True):
        middle = np.zeros((own.mesh.face_count, 2))
        np.add.at(middle, own.mesh.corner_face, uv)
        middle /= np.bincount(own.mesh.corner_face, minlength=own.mesh.face_count)[:, None]
        place = np.floor(middle).astype(np.int64)
        found.append(
            np.array([number[n] for n in (1001 + place[:, 0] + 10 * place[:, 1]).tolist()])
        )
    used = np.unique(np.concatenate(found))
    sheets = [Sheet(settings.name, tiles[k].width, tiles[k].height, tiles[k].number) for k in used]
    return Sheets(tuple(sheets), tuple(np.searchsorted(used, rows) for rows in found))


def _all_faces(own: Painted) -> IntArray:
    return np.zeros(own.mesh.face_count, np.int64)


def _carried(
    case: Case,
    members: list[list[int]],
    painted: list[Painted],
    arranged: Arranged,
    sheets: Sheets,
    channel: int,
    settings: MergeSettings,
    tell: Tell,
    phases: dict[str, float],
    places: Sequence[str] | None = None,
    laid: bool = False,
) -> MergedFiles:
    began = time.monotonic()
    scenes = case.scenes
    tangents = [
        t for scene, own in zip(scenes, members, strict=True) for t in _tangents(scene, own)
    ]
    unit = replace(arranged, uv=sheets.in_unit_tiles(painted, arranged.uv))
    surface = triangles_of(painted, unit, tangents)
    at = np.concatenate(
        [f[own.mesh.triangle_face] for own, f in zip(painted, sheets.of_face, strict=True)]
    )
    owner = np.repeat(np.arange(len(painted)), [len(own.mesh.triangles) for own in painted])
    merged: list[Merged] = []
    for number, sheet in enumerate(sheets.sheets):
        here = at == number
        own_surface = surface if here.all() else surface.part(here)
        if laid:
            note_conflicts(case, painted, own_surface, owner[here], sheet)

        def tell_more(done: float, what: str, number: int = number) -> bool:
            part = (number + done) / len(sheets.sheets)
            return tell(0.45 + 0.45 * part, f"carrying over {what}")

        merged.append(
            merge_images(
                own_surface, case.materials, case.image,
                (sheet.width, sheet.height), settings.file_name(sheet), settings.role_sizes,
                settings.filter_name, tell_more, owner[here] if settings.measure else None,
                settings.form, settings.bits, settings.compare,
            )
        )  # fmt: skip
    extra = profiled(merged, sheets.sheets, settings)
    groups = _titled(merged, sheets.sheets)
    phases["merge"] = time.monotonic() - began
    began = time.monotonic()
    if not tell(0.95, "writing"):
        raise LayoutError("The merge was given up.", "", "Run it again.")
    images = {name: data for one in merged for name, data in one.files.items()}
    files = _written(
        case, members, arranged.uv, unit.uv, sheets, groups, images, channel, settings, places
    )
    phases["write"] = time.monotonic() - began
    joint = joint_file(case, files, images, places) if settings.joint else None
    beside = {} if settings.embed and not any(map(is_obj, scenes)) else images
    beside = beside | extra.files
    report = merge_report(case, painted, unit, sheets, merged, groups, phases)
    report["profile"] = extra.rows
    drawn = {
        sheet.title: one.difference
        for one, sheet in zip(merged, sheets.sheets, strict=True)
        if one.difference
    }
    report["difference"] = [
        {"set": title, "median": own.median, "high": own.high, "most": own.most}
        for title, own in drawn.items()
    ]
    return MergedFiles(
        tuple(files),
        beside,
        report,
        tuple(dict.fromkeys(case.notes)),
        {title: own.png for title, own in drawn.items()},
        joint,
    )


def _titled(merged: Sequence[Merged], sheets: Sequence[Sheet]) -> tuple[Group, ...]:
    """All groups, with titles that tell them apart."""
    out = []
    for number, (one, sheet) in enumerate(zip(merged, sheets, strict=True)):
        for k, group in enumerate(one.groups):
            title = sheet.title if len(one.groups) == 1 else f"{sheet.title} {k + 1}"
            out.append(replace(group, title=title, sheet=number))
    return tuple(out)


def _free_channel(painted: Sequence[Painted]) -> int:
    """The first channel that none of the objects has."""
    free = max(len(own.stored) for own in painted)
    if free >= MOST_CHANNELS:
        raise LayoutError(
            f"There are {free} UV channels.", "keep_channel", "Delete one, or replace the first."
        )
    return free


def _tangents(scene: Scene, members: Sequence[int]) -> list[FloatArray | None]:
    found = [None] * len(scene.objects) if is_obj(scene) else file_tangents(scene)
    return [found[k] for k in members]


def _written(
    case: Case,
    members: Sequence[Sequence[int]],
    plane: Sequence[FloatArray],
    unit: Sequence[FloatArray],
    sheets: Sheets,
    groups: Sequence[Group],
    images: dict[str, bytes],
    channel: int,
    settings: MergeSettings,
    places: Sequence[str] | None,
) -> list[dict[str, bytes]]:
    group_of = {(g.sheet, material): k for k, g in enumerate(groups) for material in g.materials}
    out: list[dict[str, bytes]] = []
    at = 0
    for k, scene in enumerate(case.scenes):
        rows = slice(at, at + len(members[k]))
        at += len(members[k])
        place = places[k] if places else ""
        if not members[k]:
            out.append({scene.name: scene.source.data})
            continue
        of_face = sheets.of_face[rows]
        if is_obj(scene):
            # Tiles are told by where the UVs lie: textures repeat.
            own = dict(zip(members[k], zip(plane[rows], of_face, strict=True), strict=True))
            out.append(
                write_merged_obj(
                    scene, [own.get(n) for n in range(len(scene.objects))], case.first_material[k],
                    groups, group_of, case.materials, case.canonical, settings.name, place,
                )
            )  # fmt: skip
            continue
        out.append(
            write_merged(
                scene, case.siblings[k], members[k], unit[rows], of_face, case.books[k],
                case.first_material[k], groups, group_of, case.materials, case.canonical, images,
                channel, settings.embed, place,
            )
        )  # fmt: skip
    return out
