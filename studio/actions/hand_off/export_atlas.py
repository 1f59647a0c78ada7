"""Hand off: every file written back with its new layouts, and layout sheets and proofs of each
atlas, in one zip."""

from __future__ import annotations

import io
import json
import posixpath
import re
import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import FileFormatError
from quilt_core.formats import read_scene, write_scene
from quilt_core.formats.channels import ChannelEdit, edit_channels
from quilt_core.formats.load import Siblings, shared_side_names, side_files
from quilt_core.formats.part_materials import split_materials
from quilt_core.scene import Scene
from quilt_core.scene.layout import placed_corner_uvs
from quilt_core.scene.naming import unique_names
from quilt_core.sheet import layout_png, layout_svg
from studio import storage
from studio.actions.arrange.sheets import in_tile
from studio.actions.errors import Refused
from studio.actions.gather.gather_files import siblings_in
from studio.actions.gather.unpack import free_folder
from studio.actions.hand_off.write_reports import reports_of
from studio.actions.prove.measure_layout import measure_revision
from studio.arrays import Layout, load_geometry, load_layout
from studio.models import Revision, Source
from studio.state import spans

OWN_NAMES = ("figures.json", "proof.html", "proof.json")
"""What the export adds itself, beside the layout sheets."""


@dataclass(frozen=True, eq=False)
class Written:
    """A layout of an object, or of a part of it: its base layout, where its islands went, and the
    channel that it is written to."""

    atlas: int
    """Place of its atlas among those that are written."""
    geometry: str
    channel: int
    target: int
    made: bool
    """Whether it was made here: the file has other UVs there, or none."""
    numbers: NDArray[np.int64]
    """Which islands of the base layout."""
    placements: NDArray[np.float64]

    @property
    def face_island(self) -> NDArray[np.int64]:
        """(F,) row of the placements that each face lies by, -1 for none."""
        of_face = load_geometry(self.geometry)["face_island"]
        here = np.full(int(of_face.max(initial=-1)) + 2, -1)
        here[self.numbers] = np.arange(len(self.numbers))
        return np.asarray(here[of_face])

    def corner_uvs(self, corner_face: NDArray[np.int64]) -> NDArray[np.float64] | None:
        """(C, 2) new UVs of the face corners, NaN for those that stay; None when all do."""
        uv, whole = load_geometry(self.geometry)["uv"], self.made or self.target != self.channel
        return placed_corner_uvs(uv, self.face_island[corner_face], self.placements, whole)


Layouts = dict[int, dict[int, list[Written]]]
"""By file, then by the object's number in it."""


def export_atlases(
    revisions: list[Revision],
    report: Callable[[float, str], None],
    edits: Sequence[ChannelEdit] = (),
) -> tuple[str, list[str]]:
    """Build the zip of all atlases of a project; returns its storage key, and notes on edits of UV channels."""
    notes: list[str] = []
    layouts = [load_layout(revision) for revision in revisions]
    by_source: Layouts = {}
    for atlas, layout in enumerate(layouts):
        _collect(atlas, layout, by_source)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        sources = _sources(layouts)
        steps = len(sources) + 2 * len(layouts)
        folders, names = _folders(layouts), [layout.revision.name for layout in layouts]
        for step, (place, group) in enumerate(_places(sources, folders)):
            report(step / steps, f"writing {group[0].name}")
            written = _group_files(group, by_source, names)
            own = [source for source in group if source.pk in by_source]
            written |= edited_channels(written, own, edits, notes)
            for name, data in written.items():
                archive.writestr(place + name, data)
        for step, (folder, layout) in enumerate(zip(folders, layouts, strict=True)):
            report((len(sources) + 2 * step) / steps, f"drawing {layout.revision.name}")
            _add_sheets(archive, folder, layout)
    return storage.put(out.getvalue()), list(dict.fromkeys(notes))


def edited_channels(
    written: Mapping[str, bytes],
    meshes: Sequence[Source],
    edits: Sequence[ChannelEdit],
    notes: list[str],
) -> dict[str, bytes]:
    """The files that edits of UV channels change, by name; what could not be done is noted."""
    out: dict[str, bytes] = {}
    for source in meshes if edits else ():
        if source.name.lower().endswith(".obj"):
            notes.append(f"{source.name}: an OBJ has one UV channel; it stays as it is.")
            continue
        folder = PurePosixPath(source.name).parent
        find = siblings_in(dict(written), source.name, lambda name: written[name])
        scene = read_scene(
            PurePosixPath(source.name).name, written[source.name], find, source.metres_per_unit
        )
        try:
            files, said = edit_channels(scene, list(edits))
        except FileFormatError as error:
            notes.append(f"{source.name}: {error.what} Its UV channels stay as they are.")
            continue
        notes += said
        out |= {posixpath.normpath(folder / name): data for name, data in files.items()}
    return out


def _collect(atlas: int, layout: Layout, by_source: Layouts) -> None:
    for member, span in zip(layout.members, spans(layout.state.members), strict=True):
        of_file = by_source.setdefault(member.object.source_id, {})
        of_file.setdefault(member.object.number, []).append(
            Written(
                atlas,
                member.base.geometry,
                member.base.channel,
                member.row.target,
                member.base.parent_id is not None,
                member.row.numbers,
                layout.placements[slice(*span)],
            )
        )


def _sources(layouts: list[Layout]) -> list[Source]:
    """Files of the objects in these atlases, and the files that came with them."""
    folders = {member.object.source.folder for layout in layouts for member in layout.members}
    return list(
        Source.objects.filter(project=layouts[0].revision.atlas.project, folder__in=folders)
    )


def _folders(layouts: list[Layout]) -> list[str]:
    """Where sheets and proof of each atlas go: beside the files, or in folders of their own when
    there are several."""
    if len(layouts) == 1:
        return [""]
    names = [
        re.sub(r"[^\w. -]+", "_", layout.revision.name).strip(" .") or "atlas" for layout in layouts
    ]
    return [f"{name}/" for name in unique_names(names, ["atlas"] * len(names))]


def _add_sheets(archive: zipfile.ZipFile, folder: str, layout: Layout) -> None:
    names = layout.object_names()
    for tile in layout.tiles:
        placed = in_tile(layout, tile)
        archive.writestr(
            f"{folder}layout.{tile.number}.png", layout_png(placed, tile.width, tile.height)
        )
        archive.writestr(
            f"{folder}layout.{tile.number}.svg", layout_svg(placed, names, tile.width, tile.height)
        )
    for kind, text in reports_of(layout.revision).items():
        archive.writestr(f"{folder}proof.{kind}", text)
    figures = measure_revision(layout.revision)
    short = {key: value for key, value in figures.items() if not key.startswith("island_")}
    sizes = {tile.number: [tile.width, tile.height] for tile in layout.tiles}
    archive.writestr(
        f"{folder}figures.json",
        json.dumps({"atlas": layout.revision.name, "sizes": sizes, **short}, indent=2),
    )


def _places(sources: list[Source], folders: list[str]) -> Iterator[tuple[str, list[Source]]]:
    """Files that came together, and the folder (with its slash) where they go: a new one where
    names would meet."""
    groups: dict[str, list[Source]] = {}
    for source in sources:
        groups.setdefault(source.folder, []).append(source)
    taken = [folder + name for folder in folders for name in OWN_NAMES]
    for number, group in enumerate(groups.values(), start=1):
        names = [source.name for source in group]
        place = free_folder(names, taken, f"upload-{number}")
        taken += [place + name for name in names]
        yield place, group


def _group_files(group: list[Source], by_source: Layouts, names: list[str]) -> dict[str, bytes]:
    """Meshes with their new layouts, and the files beside them; what a mesh changed counts."""
    changed: dict[str, bytes] = {}
    meshes = {s.name: side_files(s.name, storage.get(s.sha256)) for s in group if s.pk in by_source}
    side_names = shared_side_names(meshes)
    for source in group:
        if source.pk not in by_source:
            continue
        layouts, own = by_source[source.pk], side_names[source.name]
        for name, data in _rewritten(source, layouts, own, names).items():
            if name in changed and changed[name] != data:
                raise Refused(
                    f"Two meshes keep their data in the same file “{name}”, and both have changed.",
                    source.name,
                    "Give each mesh a data file of its own, or bring them in as GLB.",
                )
            changed[name] = data
    left = {s.name: s for s in group if s.name not in changed}
    return {**{name: storage.get(source.sha256) for name, source in left.items()}, **changed}


def _rewritten(
    source: Source,
    layouts: dict[int, list[Written]],
    side_names: Mapping[str, str],
    names: list[str],
) -> dict[str, bytes]:
    """A file with its layouts, one channel after the other, with a material for each atlas, and the
    side files that changed with it."""
    beside = {s.name: s.sha256 for s in Source.objects.filter(folder=source.folder)}
    find = siblings_in(beside, source.name, lambda name: storage.get(beside[name]))
    folder, name = PurePosixPath(source.name).parent, PurePosixPath(source.name).name
    out = {name: storage.get(source.sha256)}
    for target in sorted({new.target for each in layouts.values() for new in each}):
        scene = _read_again(name, out, find, source.metres_per_unit)
        uvs = []
        for number, obj in enumerate(scene.objects):
            mine = [new for new in layouts.get(number, []) if new.target == target]
            parts = [new.corner_uvs(obj.mesh.corner_face) for new in mine]
            uvs.append(_merged([part for part in parts if part is not None]))
        # Side files that changed have their new names already.
        out |= write_scene(scene, target, uvs, side_names if len(out) == 1 else {})
    first = min((new.target for each in layouts.values() for new in each), default=0)
    if len({new.atlas for each in layouts.values() for new in each if new.target == first}) > 1:
        scene = _read_again(name, out, find, source.metres_per_unit)
        atlases = [
            _face_atlas(obj.mesh.face_count, layouts.get(number, []), first)
            for number, obj in enumerate(scene.objects)
        ]
        out |= split_materials(scene, atlases, names, find)
    return {posixpath.normpath(folder / written): data for written, data in out.items()}


def _face_atlas(faces: int, layouts: list[Written], target: int) -> NDArray[np.int64]:
    """(F,) atlas of each face in one channel, -1 for none."""
    out = np.full(faces, -1)
    for new in layouts:
        if new.target == target:
            out[new.face_island >= 0] = new.atlas
    return out


def _read_again(
    name: str, written: dict[str, bytes], find: Siblings, metres_per_unit: float
) -> Scene:
    return read_scene(
        name, written[name], lambda wanted: written.get(wanted) or find(wanted), metres_per_unit
    )


def _merged(parts: list[NDArray[np.float64]]) -> NDArray[np.float64] | None:
    """UVs of several layouts of one object and channel, which share no corner."""
    if not parts:
        return None
    out = parts[0]
    for part in parts[1:]:
        out = np.where(np.isfinite(part), part, out)
    return out
