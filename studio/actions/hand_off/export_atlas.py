"""Hand off: every file written back with its new layouts, and layout sheets and reports of each
atlas, in one zip."""

from __future__ import annotations

import io
import json
import posixpath
import re
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Any

from quilt_core.operations.export import Export, in_free_channel
from quilt_core.operations.export import run as export
from quilt_core.operations.operation import Progress
from quilt_core.operations.painted import in_words
from quilt_core.operations.textures import in_tile
from quilt_core.options import plain_settings
from quilt_core.scene.naming import unique_names
from quilt_core.sheet import layout_png, layout_svg, object_colours
from studio import storage
from studio.actions.check.measure_layout import measure_revision
from studio.actions.documents import document_of
from studio.actions.errors import Refused
from studio.actions.hand_off.merged import texture_state
from studio.actions.hand_off.places import places_of
from studio.actions.hand_off.write_reports import reports_of
from studio.arrays import Layout
from studio.models import Revision, Source
from studio.references import file_of


def export_atlases(
    revisions: list[Revision],
    report: Callable[[float, str], None],
    settings: Export = Export(),  # noqa: B008
    merged: Sequence[bytes] | None = None,
) -> tuple[str, list[str]]:
    """Build the zip of all atlases of a project.

    Parameters
    ----------
    revisions : list of Revision
    report : callable
        Takes how far it is and what it does.
    settings : Export
    merged : sequence of bytes, optional
        Archives of merged files and textures that count; without it those that are there and fit.

    Returns
    -------
    (str, list of str)
        Storage key, and notes.

    Raises
    ------
    Refused
        When objects are painted for another layout, and that is not meant so.
    """
    document = document_of(revisions)
    settings = in_free_channel(document, settings)
    if merged is None and not settings.layout_only:
        merged = _merged(revisions, settings)
    layouts = [layout for layout in document.layouts if isinstance(layout, Layout)]
    sources = _sources(layouts)
    steps = len(document.sources) + 2 * len(layouts)
    told = _Told(report, len(document.sources) / steps)
    done = export(document, replace(settings, layout_only=True), told)
    places = places_of(revisions[0].atlas.project)
    files = _files(sources, places, done.files, [_entries(data) for data in merged or ()])
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
        for step, (folder, layout) in enumerate(zip(_folders(layouts), layouts, strict=True)):
            report((len(done.files) + 2 * step) / steps, f"drawing {layout.revision.name}")
            _add_sheets(archive, folder, layout)
    return storage.put(out.getvalue()), done.notes


def _merged(revisions: list[Revision], settings: Export) -> list[bytes]:
    """Archives of the merges that are of these layouts."""
    edits = plain_settings(settings).get("edits")
    state = texture_state(revisions, settings.to_channel, edits)
    if state.misfits:
        names = [name for misfit in state.misfits for name in misfit.objects]
        because = f" {state.why[0].upper()}{state.why[1:]}." if state.why else ""
        raise Refused(
            f"{in_words(names)}{because}", "textures",
            "Merge their textures first, or choose “layout only”: then they keep textures that do not fit.",
        )  # fmt: skip
    keys = [file_of(job, "file") for job in state.merges]
    return [storage.get(key) for key in keys if key is not None]


def _entries(data: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


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
    names, colours = layout.object_names(), object_colours(layout.colours)
    for tile in layout.tiles:
        placed, _ = in_tile(layout, tile)
        archive.writestr(
            f"{folder}layout.{tile.number}.png",
            layout_png(placed, colours, tile.width, tile.height),
        )
        archive.writestr(
            f"{folder}layout.{tile.number}.svg",
            layout_svg(placed, names, colours, tile.width, tile.height),
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


def _files(
    sources: list[Source],
    places: Mapping[int, str],
    written: Mapping[int, Mapping[str, bytes]],
    merged: Sequence[Mapping[str, bytes]],
) -> dict[str, bytes]:
    """Meshes with their new layouts, and the files beside them, by their places. What a mesh changed counts, and what was
    merged above all: that is whole, so that a folder of nothing else needs none of the files that came with it."""
    out: dict[str, bytes] = {name: data for one in merged for name, data in one.items()}
    whole = set(out)
    changed: dict[str, bytes] = {}
    for source in sources:
        if places[source.pk] in whole:
            continue
        folder = PurePosixPath(places[source.pk]).parent
        for file, data in written.get(source.pk, {}).items():
            name = posixpath.normpath(folder / file)
            if changed.get(name, data) != data or name in whole:
                raise Refused(
                    f"Two meshes keep their data in the same file “{name}”, and both have changed.",
                    source.name,
                    "Give each mesh a data file of its own, or bring them in as GLB.",
                )
            changed[name] = data
    needed = {s.folder for s in sources if s.is_mesh and places[s.pk] not in whole}
    for source in sources:
        if places[source.pk] not in whole and source.folder in needed:
            out[places[source.pk]] = storage.get(source.sha256)
    return out | changed
