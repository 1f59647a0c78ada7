"""Hand off: every file written back with the new layout, and layout sheets, in one zip."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from pathlib import PurePosixPath

import numpy as np

from quilt_core.formats import read_scene, write_scene
from quilt_core.scene.layout import object_corner_uvs
from quilt_core.sheet import layout_png, layout_svg
from studio import storage
from studio.actions.gather_files import siblings_in
from studio.actions.measure_layout import measure_revision
from studio.actions.sheets import in_tile
from studio.actions.write_reports import reports_of
from studio.arrays import load_layout
from studio.models import Revision, Source


def export_atlas(revision: Revision, report: Callable[[float, str], None]) -> str:
    """Build the zip; returns its storage key."""
    layout = load_layout(revision)
    first = np.searchsorted(layout.islands.object_index, np.arange(len(layout.objects)))
    by_source: dict[int, dict[int, np.ndarray]] = {}
    for number, obj in enumerate(layout.objects):
        rows = layout.placements[first[number] : first[number] + obj.islands]
        by_source.setdefault(obj.source_id, {})[obj.number] = rows
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        sources = list(Source.objects.filter(project=revision.atlas.project))
        for step, source in enumerate(sources):
            report(step / (len(sources) + 1), f"writing {source.name}")
            if source.pk in by_source:
                for name, data in _rewritten(source, by_source[source.pk]).items():
                    archive.writestr(name, data)
            elif not source.is_mesh and source.name not in archive.namelist():
                archive.writestr(source.name, storage.get(source.sha256))
        names = [obj.name for obj in layout.objects]
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


def _rewritten(source: Source, placements: dict[int, np.ndarray]) -> dict[str, bytes]:
    beside = {s.name: s.sha256 for s in Source.objects.filter(folder=source.folder)}
    find = siblings_in(beside, source.name, lambda name: storage.get(beside[name]))
    folder = PurePosixPath(source.name).parent
    scene = read_scene(
        PurePosixPath(source.name).name, storage.get(source.sha256), find, source.metres_per_unit
    )
    uvs = [
        object_corner_uvs(obj, 0, placements[number])
        if number in placements and len(placements[number])
        else None
        for number, obj in enumerate(scene.objects)
    ]
    return {str(folder / name): data for name, data in write_scene(scene, 0, uvs).items()}
