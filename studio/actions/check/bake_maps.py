"""The test bake of an atlas: maps of high poly objects on its layout, kept for the screen and as files."""

from __future__ import annotations

import copy
import io
import json
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

from quilt_core.document.document import Document
from quilt_core.operations.bake import DISTANCE, Bake, bake_case, made_ready
from quilt_core.operations.laid_out import scaled_tiles
from quilt_core.operations.operation import Progress, plain
from quilt_core.options import plain_settings, settings_from
from quilt_core.scene.tiles import TileSize
from studio import storage
from studio.actions.check.examine import shown_findings
from studio.actions.check.high_poly import kept_fine
from studio.actions.documents import document_of
from studio.arrays import Layout
from studio.models import Revision, TileImage

ShareOut = Callable[[list[Any]], tuple[list[Any], bool]]
"""Bakes tiles elsewhere; the baked ones, and whether these are all."""
MANY_TILES, MANY_TEXELS = 4, 4_000_000
"""From so many tiles, and texels in all, a bake is shared out."""
QUICK = 256
"""px of the coarse maps that come first."""
SHADING = "objectNormal"
"""Normals in space come along with those in tangent space: by them the model is lit on the screen."""


def bake_maps(
    revision: Revision,
    given: Mapping[str, Any],
    progress: Progress,
    share_out: ShareOut | None = None,
) -> dict[str, Any]:
    """Bake, look for faults, and keep maps. Where there are many tiles `share_out` has them baked by several workers.

    Raises
    ------
    QuiltError
    """
    asked = settings_from(Bake, given)
    settings = for_screen(asked)
    document = _document(revision)
    layout = document.layout
    assert isinstance(layout, Layout)
    progress.report(0.0, "reading the meshes")
    case = _case_of(document, revision, settings)
    width = settings.width or layout.tiles[0].width
    preview = _preview(case, layout, settings, min(QUICK, max(16, width // 2)), progress)
    progress.report(0.05, "coarse maps; finer ones follow", preview)

    def bakes(case: Any, tiles: list[TileSize], tell: Any) -> tuple[list[Any], bool]:
        if share_out is not None and is_large(tiles):
            return share_out(tiles)
        from quilt_core.operations.bake import here

        return here(case, tiles, tell)

    wanted = replace(settings, difference=case.high is not case.low)
    result = bake_case(case, layout, wanted, _Showing(progress, preview), bakes)
    told = plain(result)
    kept = {f"image {name}": storage.put(data) for name, data in result.images.items()}
    fine = "" if case.high is case.low else kept_fine(case, layout)
    return {
        **told,
        **kept,
        "revision": revision.pk,
        "maps": [*told["maps"], *_difference_rows(result, wanted, len(layout.tiles))],
        "findings": shown_findings(result.faults),
        "own_space": case.own_space,
        "fine": fine,
        "fine_triangles": case.high.count,
        "painted": sorted(number for purpose, number in document.images if purpose == DISTANCE),
        "asked": list(asked.maps),
        "file": storage.put(_zip(case, result, asked, settings)),
    }  # fmt: skip


def for_screen(settings: Bake) -> Bake:
    """The settings with what the screen needs besides: eight bits will do there where the files get 32."""
    maps = settings.maps
    if "normal" in maps and SHADING not in maps:
        maps = (*maps, SHADING)
    return replace(settings, maps=maps, bits=8 if settings.bits == 32 else settings.bits)


def is_large(tiles: Sequence[Any]) -> bool:
    """Whether a bake is worth being shared out: each worker makes itself ready for it."""
    return len(tiles) >= MANY_TILES and sum(t.width * t.height for t in tiles) >= MANY_TEXELS


def bake_part(
    revision: Revision, given: Mapping[str, Any], numbers: Sequence[int], progress: Progress
) -> bytes:
    """Bake some tiles, by their numbers, for another worker that puts them together."""
    from quilt_core.bake.bake import bake
    from quilt_core.bake.kept import as_bytes

    settings = for_screen(settings_from(Bake, given))
    document = _document(revision)
    progress.report(0.0, "reading the meshes")
    case = _case_of(document, revision, settings)
    tiles = [t for t in scaled_tiles(document.layout, settings.width) if t.number in numbers]

    def tell(done: float, what: str) -> bool:
        progress.report(done, f"baking {what}")
        return not progress.stop()

    return as_bytes(list(bake(case, tiles, tell)))


class _Showing(Progress):
    """Tells with the coarse maps, until there are finer ones."""

    def __init__(self, whole: Progress, figures: Mapping[str, Any]) -> None:
        self._whole, self._figures = whole, figures

    def report(
        self, done: float, message: str, figures: Any = None, placements: Any = None
    ) -> None:
        self._whole.report(done, message, figures or self._figures, placements)

    def stop(self) -> str:
        return self._whole.stop()


def _document(revision: Revision) -> Document:
    """The atlas in its scene, with painted distances."""
    rows = TileImage.objects.filter(atlas=revision.atlas_id, purpose=TileImage.REACH)
    images = {(DISTANCE, row.tile): partial(storage.get, row.sha256) for row in rows}
    document = document_of([revision], images=images, everything=True)
    numbers = [tile.number for tile in document.layout.tiles]
    return replace(document, images={k: v for k, v in images.items() if k[1] in numbers})


_KEPT_CASE: list[tuple[str, Any]] = []


def _case_of(document: Document, revision: Revision, settings: Bake) -> Any:
    """What a bake needs, made ready; kept for the next part of the same bake."""
    rows = TileImage.objects.filter(atlas=revision.atlas_id, purpose=TileImage.REACH)
    painted = dict(rows.values_list("tile", "sha256"))
    digest = json.dumps([revision.pk, plain_settings(settings), painted], sort_keys=True)
    if not _KEPT_CASE or _KEPT_CASE[0][0] != digest:
        _KEPT_CASE[:] = [(digest, made_ready(document, settings))]
    return _KEPT_CASE[0][1]


def forget_case() -> None:
    """Let go of what was made ready: no part of its bake is left."""
    _KEPT_CASE.clear()


def _preview(
    case: Any, layout: Layout, settings: Bake, width: int, progress: Progress
) -> dict[str, Any]:
    """Coarse maps, kept."""
    from quilt_core.bake.bake import bake
    from quilt_core.bake.write import encode_map
    from quilt_core.formats.merge_settings import named

    out: dict[str, Any] = {"maps": []}
    tiles = scaled_tiles(layout, width)
    for one in bake(case, tiles, lambda done, what: not progress.stop()):
        number = one.tile.number if len(tiles) > 1 else 0
        for name in settings.maps:
            data, ending, bits = encode_map(case, one, name)
            file = f"{named(settings.naming, settings.name, name, number)}.{ending}"
            out[f"image {file}"] = storage.put(data)
            size = {"width": one.tile.width, "height": one.tile.height, "bits": bits}
            out["maps"].append(
                {"file": file, "map": name, "tile": one.tile.number, **size, "figures": {}}
            )
    progress.check()
    return out


def _difference_rows(result: Any, settings: Bake, tiles: int) -> list[dict[str, Any]]:
    """Images of differences, as maps are told."""
    from quilt_core.formats.merge_settings import named

    out = []
    sizes = {one.tile.number: one.tile for one in result.baked}
    for row in result.difference:
        tile = sizes[row.tile]
        number = row.tile if tiles > 1 else 0
        file = f"{named(settings.naming, settings.name, 'difference', number)}.png"
        size = {"width": tile.width, "height": tile.height, "bits": 8}
        out.append({"file": file, "map": "difference", "tile": row.tile, **size, "figures": {}})
    return out


def _zip(case: Any, result: Any, asked: Bake, settings: Bake) -> bytes:
    """The maps that were asked for as files; 32 bits are OpenEXR."""
    from quilt_core.bake.write import encode_map
    from quilt_core.formats.merge_settings import named

    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        if asked.bits == settings.bits:
            for row in result.maps:
                if row.map in asked.maps:
                    archive.writestr(row.file, result.images[row.file])
            return _closed(archive, out)
        deep = copy.copy(case)
        deep.settings = replace(case.settings, bits=asked.bits)
        for one in result.baked:
            number = one.tile.number if len(result.baked) > 1 else 0
            for name in asked.maps:
                data, ending, _ = encode_map(deep, one, name)
                file = f"{named(asked.naming, asked.name, name, number)}.{ending}"
                archive.writestr(file, data)
    return out.getvalue()


def _closed(archive: zipfile.ZipFile, out: io.BytesIO) -> bytes:
    archive.close()
    return out.getvalue()
