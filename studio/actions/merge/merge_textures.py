"""Merge the textures of an atlas's objects onto its layout: always from the files that were brought in, never from what was
merged before."""

from __future__ import annotations

import io
import posixpath
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Any

from quilt_core.operations.merge import KEPT, Merge, MergeResult
from quilt_core.operations.merge import run as merge
from quilt_core.operations.operation import Progress, plain
from quilt_core.options import settings_from
from studio import storage
from studio.actions.documents import StoredSource, document_of
from studio.actions.hand_off.places import JOINT, TEXTURES, places_of, to_textures
from studio.actions.merge.painted_model import painted_digest
from studio.models import Revision


def merge_textures(
    revision: Revision,
    given: Mapping[str, Any],
    revisions: Sequence[int],
    progress: Progress,
) -> dict[str, Any]:
    """Merge, and keep files and textures.

    Parameters
    ----------
    revision : Revision
    given : mapping
        Settings as JSON has them.
    revisions : sequence of int
        Further atlases that are merged with it.
    progress : Progress

    Raises
    ------
    QuiltError
    """
    settings = replace(settings_from(Merge, given), layout=KEPT)
    wanted = [revision.pk, *(pk for pk in revisions if pk != revision.pk)]
    rows = Revision.objects.select_related("atlas__project__head", "keyframe").in_bulk(wanted)
    found = [rows[pk] for pk in wanted if pk in rows]
    document = document_of(found)
    kept = [k for k, layout in enumerate(document.layouts) if layout.members or k == 0]
    found = [found[k] for k in kept]
    places = places_of(revision.atlas.project)
    sources = {
        key: StoredSource(source.row, to_textures(places[key]))
        for key, source in document.sources.items()
        if isinstance(source, StoredSource)
    }
    document = replace(document, sources=sources, layouts=[document.layouts[k] for k in kept])
    result = merge(document, settings, progress, compare=True)
    told = plain(result)
    shown = [layout for layout in document.layouts if layout.members]
    at = {id(layout): row.pk for layout, row in zip(document.layouts, found, strict=True)}
    for texture in [*told["textures"], *told["difference"]]:
        texture["revision"] = at[id(shown[result.layouts[texture["set"]]])]
    out: dict[str, Any] = {
        "revision": revision.pk,
        "painted": {str(row.pk): painted_digest(row) for row in found},
        "preview": settings.preview,
        "report": told,
        "notes": told["notes"],
        "names": list(result.images),
    }
    for name, data in result.images.items():
        out[f"image {name}"] = storage.put(data)
    for title, data in result.differences.items():
        out[f"image difference {title}"] = storage.put(data)
    if not settings.preview:
        progress.report(0.97, "putting the zip together")
        out["file"] = storage.put(_zip(places, result))
    return out


def _zip(places: Mapping[int, str], result: MergeResult) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for key, files in result.files.items():
            folder = PurePosixPath(places[key]).parent
            for name, data in files.items():
                archive.writestr(posixpath.normpath(folder / name), data)
        for name, data in result.images.items():
            archive.writestr(TEXTURES + name, data)
        if result.joint is not None:
            archive.writestr(JOINT, result.joint)
    return out.getvalue()
