"""Hand off: every file written back with the new layout, and layout sheets, in one zip."""

from __future__ import annotations

import io
import json
import posixpath
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import PurePosixPath

import numpy as np

from quilt_core.formats import read_scene, write_scene
from quilt_core.formats.load import shared_side_names, side_files
from quilt_core.scene.layout import object_corner_uvs
from quilt_core.sheet import layout_png, layout_svg
from studio import storage
from studio.actions.errors import Refused
from studio.actions.gather_files import siblings_in
from studio.actions.measure_layout import measure_revision
from studio.actions.sheets import in_tile
from studio.actions.unpack import free_folder
from studio.actions.write_reports import reports_of
from studio.arrays import load_layout
from studio.models import Revision, Source

OWN_NAMES = ("figures.json", "proof.html", "proof.json")
"""What the export adds itself, beside the layout sheets."""


@dataclass(frozen=True, eq=False)
class Written:
    """The layout of an object: the channel it was read from, and where its islands went."""

    channel: int
    placements: np.ndarray


def export_atlas(revision: Revision, report: Callable[[float, str], None]) -> str:
    """Build the zip; returns its storage key."""
    layout = load_layout(revision)
    by_source: dict[int, dict[int, Written]] = {}
    first = 0
    for member in layout.members:
        rows = layout.placements[first : first + member.row.islands]
        first += member.row.islands
        mine = by_source.setdefault(member.object.source_id, {})
        mine[member.object.number] = Written(member.base.channel, rows)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        sources = list(Source.objects.filter(project=revision.atlas.project))
        for step, (place, group) in enumerate(_places(sources)):
            report(step / (len(sources) + 1), f"writing {group[0].name}")
            for name, data in _group_files(group, by_source).items():
                archive.writestr(place + name, data)
        names = layout.object_names()
        for tile in layout.tiles:
            placed = in_tile(layout, tile)
            archive.writestr(f"layout.{tile.number}.png", layout_png(placed, tile.width, tile.height))
            archive.writestr(f"layout.{tile.number}.svg", layout_svg(placed, names, tile.width, tile.height))
        for kind, text in reports_of(revision).items():
            archive.writestr(f"proof.{kind}", text)
        figures = measure_revision(revision)
        short = {key: value for key, value in figures.items() if not key.startswith("island_")}
        archive.writestr(
            "figures.json",
            json.dumps(
                {"sizes": {tile.number: [tile.width, tile.height] for tile in layout.tiles}, **short},
                indent=2,
            ),
        )
    return storage.put(out.getvalue())


def _places(sources: list[Source]) -> Iterator[tuple[str, list[Source]]]:
    """Files that came together, and the folder (with its slash) where they go: a new one where names would meet."""
    groups: dict[str, list[Source]] = {}
    for source in sources:
        groups.setdefault(source.folder, []).append(source)
    taken: list[str] = list(OWN_NAMES)
    for number, group in enumerate(groups.values(), start=1):
        names = [source.name for source in group]
        place = free_folder(names, taken, f"upload-{number}")
        taken += [place + name for name in names]
        yield place, group


def _group_files(group: list[Source], by_source: dict[int, dict[int, Written]]) -> dict[str, bytes]:
    """Meshes with their new layout, and the files beside them; what a mesh changed counts."""
    changed: dict[str, bytes] = {}
    meshes = {s.name: side_files(s.name, storage.get(s.sha256)) for s in group if s.pk in by_source}
    side_names = shared_side_names(meshes)
    for source in group:
        if source.pk not in by_source:
            continue
        for name, data in _rewritten(source, by_source[source.pk], side_names[source.name]).items():
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
    source: Source, placements: dict[int, Written], side_names: dict[str, str]
) -> dict[str, bytes]:
    beside = {s.name: s.sha256 for s in Source.objects.filter(folder=source.folder)}
    find = siblings_in(beside, source.name, lambda name: storage.get(beside[name]))
    folder = PurePosixPath(source.name).parent
    scene = read_scene(
        PurePosixPath(source.name).name, storage.get(source.sha256), find, source.metres_per_unit
    )
    uvs = [
        object_corner_uvs(obj, new.channel, new.placements, source.uv_tolerance)
        if (new := placements.get(number)) and len(new.placements)
        else None
        for number, obj in enumerate(scene.objects)
    ]
    written = write_scene(scene, 0, uvs, side_names)
    return {posixpath.normpath(folder / name): data for name, data in written.items()}
