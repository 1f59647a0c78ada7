"""Hand off: every file written back with its new layouts, and layout sheets and reports of each
atlas, in one zip."""

from __future__ import annotations

import io
import json
import posixpath
import re
import zipfile
from collections.abc import Callable, Iterator, Mapping
from pathlib import PurePosixPath
from typing import Any

from quilt_core.operations.export import Export
from quilt_core.operations.export import run as export
from quilt_core.operations.operation import Progress
from quilt_core.operations.textures import in_tile
from quilt_core.scene.naming import unique_names
from quilt_core.sheet import layout_png, layout_svg
from studio import storage
from studio.actions.check.measure_layout import measure_revision
from studio.actions.documents import document_of
from studio.actions.errors import Refused
from studio.actions.gather.unpack import free_folder
from studio.actions.hand_off.write_reports import reports_of
from studio.arrays import Layout
from studio.models import Revision, Source

OWN_NAMES = ("figures.json", "report.html", "report.json")
"""What the export adds itself, beside the layout sheets."""


def export_atlases(
    revisions: list[Revision],
    report: Callable[[float, str], None],
    settings: Export = Export(),  # noqa: B008
) -> tuple[str, list[str]]:
    """Build the zip of all atlases of a project; returns its storage key, and notes on edits of UV channels."""
    document = document_of(revisions)
    layouts = [layout for layout in document.layouts if isinstance(layout, Layout)]
    sources = _sources(layouts)
    steps = len(document.sources) + 2 * len(layouts)
    done = export(document, settings, _Told(report, len(document.sources) / steps))
    written = done.files
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        folders = _folders(layouts)
        for place, group in _places(sources, folders):
            for name, data in _group_files(group, written).items():
                archive.writestr(place + name, data)
        for step, (folder, layout) in enumerate(zip(folders, layouts, strict=True)):
            report((len(written) + 2 * step) / steps, f"drawing {layout.revision.name}")
            _add_sheets(archive, folder, layout)
    return storage.put(out.getvalue()), done.notes


class _Told(Progress):
    """Tells how far writing is."""

    def __init__(self, tell: Callable[[float, str], None], share: float) -> None:
        self._tell, self._share = tell, share

    def report(
        self, done: float, message: str, figures: Any = None, placements: Any = None
    ) -> None:
        self._tell(self._share * done, message)


def _sources(layouts: list[Layout]) -> list[Source]:
    """Files of the objects in these atlases, and the files that came with them."""
    folders = {member.object.source.folder for layout in layouts for member in layout.members}
    return list(
        Source.objects.filter(project=layouts[0].revision.atlas.project, folder__in=folders)
    )


def _folders(layouts: list[Layout]) -> list[str]:
    """Where sheets and report of each atlas go: beside the files, or in folders of their own when
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
        placed, _ = in_tile(layout, tile)
        archive.writestr(
            f"{folder}layout.{tile.number}.png", layout_png(placed, tile.width, tile.height)
        )
        archive.writestr(
            f"{folder}layout.{tile.number}.svg", layout_svg(placed, names, tile.width, tile.height)
        )
    for kind, text in reports_of(layout.revision).items():
        archive.writestr(f"{folder}report.{kind}", text)
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


def _group_files(
    group: list[Source], written: Mapping[int, Mapping[str, bytes]]
) -> dict[str, bytes]:
    """Meshes with their new layouts, and the files beside them; what a mesh changed counts."""
    changed: dict[str, bytes] = {}
    for source in group:
        folder = PurePosixPath(source.name).parent
        for file, data in written.get(source.pk, {}).items():
            name = posixpath.normpath(folder / file)
            if name in changed and changed[name] != data:
                raise Refused(
                    f"Two meshes keep their data in the same file “{name}”, and both have changed.",
                    source.name,
                    "Give each mesh a data file of its own, or bring them in as GLB.",
                )
            changed[name] = data
    left = {s.name: s for s in group if s.name not in changed}
    return {**{name: storage.get(source.sha256) for name, source in left.items()}, **changed}
