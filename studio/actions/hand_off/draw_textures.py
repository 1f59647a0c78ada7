"""Textures of an atlas's tiles in one zip."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from quilt_core.operations.operation import Progress, plain
from quilt_core.operations.textures import BACKGROUND
from studio import storage
from studio.actions.operate import operate
from studio.models import Job, Revision
from studio.references import file_of
from studio.state import tiles_of


def draw_textures(
    revision: Revision, given: Mapping[str, Any], progress: Progress
) -> dict[str, Any]:
    """Draw textures, and keep their zip. The texture that was merged last lies below the layers, if it is of this layout."""
    images = {
        (BACKGROUND, tile.number): read
        for tile in tiles_of(revision)
        if (read := _merged(revision, tile.number)) is not None
    }
    done = operate(revision, "textures", given, progress, images=images)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in done.result.images.items():
            archive.writestr(name, data)
    return {"file": storage.put(out.getvalue()), **plain(done.result)}


def _merged(revision: Revision, tile: int) -> Callable[[], bytes] | None:
    """The colour that was merged onto a tile of this layout last."""
    jobs = Job.objects.filter(atlas=revision.atlas, kind="merge", state=Job.DONE)
    for job in jobs.order_by("-pk")[:5]:
        if job.result.get("preview") or job.result.get("revision") != revision.pk:
            continue
        for row in job.result["report"]["textures"]:
            mine = row.get("revision") == revision.pk and row["tile"] in (0, tile)
            if mine and row["role"] == "baseColor":
                key = file_of(job, f"image {row['name']}")
                assert key is not None
                return partial(storage.get, key)
    return None
