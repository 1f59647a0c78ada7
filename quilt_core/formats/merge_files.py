"""Merge painted files into one shared layout with one set of pictures."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats.gltf_looks import LookBook, painted_objects
from quilt_core.formats.gltf_merge import (
    file_tangents,
    objects_with_variants,
    write_merged,
)
from quilt_core.formats.gltf_read import MOST_CHANNELS
from quilt_core.formats.look_facts import is_obj, look_book
from quilt_core.formats.obj_looks import painted_obj
from quilt_core.formats.obj_merge import write_merged_obj
from quilt_core.pack import PackSettings
from quilt_core.pictures.arrange import Arranged, arrange, kept_density
from quilt_core.pictures.decode import Picture, decode
from quilt_core.pictures.looks import Look, Use
from quilt_core.pictures.memory import memory_total
from quilt_core.pictures.merge import Merged, merge_pictures, skin_of
from quilt_core.pictures.painted import Painted
from quilt_core.scene.model import Scene

FloatArray = NDArray[np.float64]
Siblings = Callable[[str], bytes | None]
Tell = Callable[[float, str], bool]


@dataclass(frozen=True)
class MergeSettings:
    """How painted files are merged.

    Parameters
    ----------
    pack : PackSettings
        Size, padding, margin, effort and seed.
    density : str or float
        See `arrange`.
    filter_name : str
        See `carry`.
    keep_channel : bool
        The shared layout goes to a free channel, so that the old ones survive.
    name : str
        Of the materials, and what names of pictures begin with.
    embed : bool
        Whether pictures are kept in the files.
    role_sizes : dict
        Slot name to another width in px.
    """

    pack: PackSettings = field(default_factory=PackSettings)
    density: str | float = "keep"
    filter_name: str = "bilinear"
    keep_channel: bool = False
    name: str = "atlas"
    embed: bool = False
    role_sizes: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if not re.fullmatch(r"\w[\w .-]{0,80}", self.name):
            raise LayoutError(
                f"“{self.name}” cannot begin the names of files.",
                "name",
                "Give letters, digits, dots, dashes and spaces.",
            )


@dataclass(frozen=True, eq=False)
class MergedFiles:
    """What merging gives.

    Parameters
    ----------
    files : tuple of dict
        For each scene its files by name.
    pictures : dict
        Names of the pictures beside them to their bytes; empty where they are embedded.
    report : dict
        Figures of before and after, and seconds by phase.
    notes : tuple of str
    """

    files: tuple[dict[str, bytes], ...]
    pictures: dict[str, bytes]
    report: dict[str, Any]
    notes: tuple[str, ...]


@dataclass(eq=False)
class _Case:
    """Files with their looks, numbered through."""

    scenes: Sequence[Scene]
    siblings: Sequence[Siblings | None]
    books: list[LookBook] = field(default_factory=list)
    first_look: list[int] = field(default_factory=list)
    looks: list[Look] = field(default_factory=list)
    canonical: list[int] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    decoded: dict[tuple[int, int], Picture | None] = field(default_factory=dict)
    of_book: list[int] = field(default_factory=list)

    def picture(self, look: int, number: int) -> Picture | None:
        """A decoded picture of a look."""
        key = (self.of_book[look], number)
        if key not in self.decoded:
            book, scene = self.books[key[0]], self.scenes[key[0]]
            name = f"{scene.name}, {book.names.get(number, number)}"
            data = book.pictures.get(number)
            found = None
            if data is None:
                self.notes.append(f"{name}: the picture is not there; it is left out.")
            else:
                try:
                    found = decode(name, data)
                except QuiltError as error:
                    self.notes.append(f"{name}: {error.what} It is left out.")
            self.decoded[key] = found
        return self.decoded[key]

    def size(self, look: int, use: Use) -> tuple[int, int] | None:
        """Size of a use's picture."""
        picture = self.picture(look, use.picture)
        return picture.size if picture else None


def merge_files(
    scenes: Sequence[Scene],
    siblings: Sequence[Siblings | None],
    settings: MergeSettings,
    tell: Tell = lambda progress, what: True,
) -> MergedFiles:
    """Give files one shared layout and one set of pictures.

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
    case = _read_looks(scenes, siblings)
    members, painted = _members(case, [[True] * len(scene.objects) for scene in scenes])
    channel = _free_channel(painted) if settings.keep_channel else 0
    phases = {"read": time.monotonic() - started}
    began = time.monotonic()
    arranged = arrange(
        painted, case.looks, case.size, settings.pack, settings.density,
        lambda done: tell(0.05 + 0.4 * done, "packing"),
    )  # fmt: skip
    for number in arranged.unrolled:
        case.notes.append(
            f"“{painted[number].obj.name}” repeats its pictures; the repeats are laid out one beside the other."
        )
    phases["pack"] = time.monotonic() - began
    return _carried(case, members, painted, arranged, channel, settings, tell, phases)


def carry_files(
    scenes: Sequence[Scene],
    siblings: Sequence[Siblings | None],
    uvs: Sequence[Sequence[FloatArray | None]],
    settings: MergeSettings,
    channel: int = 0,
    tell: Tell = lambda progress, what: True,
    places: Sequence[str] | None = None,
) -> MergedFiles:
    """Give files that have a shared layout already one set of pictures.

    Parameters
    ----------
    scenes, siblings, settings, tell
        See `merge_files`; nothing is packed.
    uvs : for each scene, for each object (C, 2) float64 or None
        UVs in the unit tile, NaN for corners that have no place; objects with None stay as they are.
    channel : int
        UV channel that the layout is written to, from 0.
    places : sequence of str, optional
        For each scene how its folder finds that of the pictures, with a slash at the end.
    """
    started = time.monotonic()
    case = _read_looks(scenes, siblings)
    members, painted = _members(case, [[uv is not None for uv in own] for own in uvs])
    flat = tuple(
        uv
        for own, kept in zip(uvs, members, strict=True)
        for k in kept
        if (uv := own[k]) is not None
    )
    lost = sum(int(np.isnan(uv).any(axis=1).sum()) for uv in flat)
    if lost:
        case.notes.append(
            f"{lost:,} corners of faces have no place in the layout; they keep what they have."
        )
    phases = {"read": time.monotonic() - started}
    arranged = Arranged(flat, 1.0, 0.0, 0, 0, ())
    return _carried(case, members, painted, arranged, channel, settings, tell, phases, places)


def _carried(
    case: _Case,
    members: list[list[int]],
    painted: list[Painted],
    arranged: Arranged,
    channel: int,
    settings: MergeSettings,
    tell: Tell,
    phases: dict[str, float],
    places: Sequence[str] | None = None,
) -> MergedFiles:
    began = time.monotonic()
    scenes = case.scenes
    tangents = [
        t for scene, own in zip(scenes, members, strict=True) for t in _tangents(scene, own)
    ]
    skin = skin_of(painted, arranged, tangents)
    merged = merge_pictures(
        skin, case.looks, case.picture, (settings.pack.width, settings.pack.height), settings.name,
        settings.role_sizes, settings.filter_name,
        lambda done, what: tell(0.45 + 0.45 * done, f"carrying over {what}"),
        np.repeat(np.arange(len(painted)), [len(own.mesh.triangles) for own in painted]),
    )  # fmt: skip
    phases["carry over"] = time.monotonic() - began
    began = time.monotonic()
    if not tell(0.95, "writing"):
        raise LayoutError("The merge was given up.", "", "Run it again.")
    files = _written(case, members, arranged, merged, channel, settings, places)
    phases["write"] = time.monotonic() - began
    beside = {} if settings.embed and not any(map(is_obj, scenes)) else dict(merged.files)
    report = _report(case, painted, arranged, merged, phases, settings)
    return MergedFiles(tuple(files), beside, report, tuple(dict.fromkeys(case.notes)))


def _read_looks(scenes: Sequence[Scene], siblings: Sequence[Siblings | None]) -> _Case:
    case = _Case(scenes, siblings)
    known: dict[Any, int] = {}
    for number, (scene, find) in enumerate(zip(scenes, siblings, strict=True)):
        book = look_book(scene, find)
        case.books.append(book)
        case.first_look.append(len(case.looks))
        for look in book.looks:
            at = len(case.looks)
            case.of_book.append(number)
            # What has no picture that can be read is a material without one.
            uses = {n: use for n, use in look.uses.items() if _readable(case, look, use, at)}
            look = replace(look, uses=uses)
            case.looks.append(look)
            case.canonical.append(known.setdefault(_content(case, at), at))
    return case


def _readable(case: _Case, look: Look, use: Use, at: int) -> bool:
    return case.picture(at, use.picture) is not None


def _content(case: _Case, at: int) -> Any:
    """Equal for looks that are the same, whatever file they are of."""
    look = case.looks[at]
    uses = []
    for name, use in sorted(look.uses.items()):
        picture = case.picture(at, use.picture)
        mark = picture.mark if picture else ""
        uses.append((name, mark, use.channel, use.matrix.tobytes(), use.wrap, use.nearest))
    factors = tuple(sorted((name, tuple(value)) for name, value in look.factors.items()))
    return look.state, look.alpha, factors, tuple(uses)


def _members(
    case: _Case, wanted: Sequence[Sequence[bool]]
) -> tuple[list[list[int]], list[Painted]]:
    """Objects of each file that are merged, and all of them in order."""
    members: list[list[int]] = []
    painted: list[Painted] = []
    table = np.array(case.canonical, np.int64)
    for scene, first, asked in zip(case.scenes, case.first_look, wanted, strict=True):
        obj_file = is_obj(scene)
        own = painted_obj(scene, first) if obj_file else painted_objects(scene, first)
        out = set() if obj_file else set(objects_with_variants(scene))
        for number in sorted(k for k in out if asked[k]):
            case.notes.append(
                f"{scene.name}: “{scene.objects[number].name}” has materials that can be switched (KHR_materials_variants); it stays as it is."
            )
        kept = [k for k in range(len(own)) if asked[k] and k not in out]
        members.append(kept)
        painted += [replace(own[k], face_look=table[own[k].face_look]) for k in kept]
    if not painted:
        raise LayoutError(
            "No object can be merged.", "", "Bring in files whose materials are not switched."
        )
    return members, painted


def _free_channel(painted: Sequence[Painted]) -> int:
    """The first channel that none of the objects has."""
    free = max(len(own.stored) for own in painted)
    if free >= MOST_CHANNELS:
        raise LayoutError(
            f"There are {free} UV channels.", "--keep-channel", "Delete one, or replace the first."
        )
    return free


def _tangents(scene: Scene, members: Sequence[int]) -> list[FloatArray | None]:
    found = [None] * len(scene.objects) if is_obj(scene) else file_tangents(scene)
    return [found[k] for k in members]


def _written(
    case: _Case,
    members: Sequence[Sequence[int]],
    arranged: Arranged,
    merged: Merged,
    channel: int,
    settings: MergeSettings,
    places: Sequence[str] | None,
) -> list[dict[str, bytes]]:
    out: list[dict[str, bytes]] = []
    at = 0
    for k, scene in enumerate(case.scenes):
        own = arranged.uv[at : at + len(members[k])]
        at += len(members[k])
        if not members[k]:
            out.append({scene.name: scene.source.data})
            continue
        if is_obj(scene):
            whole = dict(zip(members[k], own, strict=True))
            out.append(
                write_merged_obj(
                    scene, [whole.get(n) for n in range(len(scene.objects))], case.first_look[k], merged.groups, case.looks, case.canonical,
                    settings.name, places[k] if places else "",
                )
            )  # fmt: skip
            continue
        out.append(
            write_merged(
                scene, case.siblings[k], members[k], own, case.books[k], case.first_look[k],
                merged.groups, case.looks, case.canonical, merged.files, channel, settings.name,
                settings.embed, places[k] if places else "",
            )
        )  # fmt: skip
    return out


def _report(
    case: _Case,
    painted: Sequence[Painted],
    arranged: Arranged,
    merged: Merged,
    phases: dict[str, float],
    settings: MergeSettings,
) -> dict[str, Any]:
    used = sorted({int(k) for own in painted for k in np.unique(own.face_look)})
    px = (settings.pack.width, settings.pack.height)
    before = {
        picture.mark: picture
        for k in used
        for use in case.looks[k].uses.values()
        if (picture := case.picture(k, use.picture)) is not None
    }
    sizes = [
        (*picture.size, 4 if picture.has_alpha else 3, picture.depth) for picture in before.values()
    ]
    calls = sum(len(np.unique(own.face_look)) for own in painted)
    group_of = {k: n for n, group in enumerate(merged.groups) for k in group.looks}
    after_calls = sum(len({group_of[int(k)] for k in np.unique(own.face_look)}) for own in painted)
    return {
        "materials": {"before": len(used), "after": len(merged.groups)},
        "maps": {"before": len(before), "after": len(merged.files)},
        "draw_calls": {"before": calls, "after": after_calls},
        "memory": {
            "before": memory_total(sizes),
            "after": memory_total(list(merged.sizes.values())),
        },
        "texels": {
            "before": sum(picture.size[0] * picture.size[1] for picture in before.values()),
            "after": sum(w * h for w, h, _, _ in merged.sizes.values()),
        },
        "objects": [
            {
                "name": own.obj.name,
                "kept": kept_density(own, uv, case.looks, case.size, px),
                "loss": {
                    role: round(rows[number], 2)
                    for role, rows in merged.loss.items()
                    if number in rows
                },
            }
            for number, (own, uv) in enumerate(zip(painted, arranged.uv, strict=True))
        ],
        "groups": [
            {
                "material": settings.name
                if len(merged.groups) == 1
                else f"{settings.name} {n + 1}",
                "alpha": group.alpha,
                "of": [case.looks[k].name for k in group.looks],
            }
            for n, group in enumerate(merged.groups)
        ],
        "coverage": merged.texels.covered,
        "scale": arranged.scale,
        "islands": arranged.islands,
        "stacked": arranged.stacked,
        "pictures": [
            {"name": name, "width": w, "height": h, "channels": c, "bits": bits}
            for name, (w, h, c, bits) in merged.sizes.items()
        ],
        "seconds": {name: round(value, 3) for name, value in phases.items()},
    }
