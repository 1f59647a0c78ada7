"""Carry the pictures of an atlas's objects over to its layout: always from the files that were brought
in, never from what was carried before."""

from __future__ import annotations

import io
import os.path
import posixpath
import zipfile
from collections.abc import Callable
from pathlib import PurePosixPath
from typing import Any

import numpy as np

from studio import storage
from studio.actions.carry_over.list_materials import siblings_of
from studio.actions.errors import Refused
from studio.actions.gather.unpack import free_folder
from studio.actions.mend.new_bases import object_of, scene_of
from studio.arrays import Layout, load_geometry, load_layout
from studio.models import Revision, Source
from studio.state import spans

Report = Callable[[float, str], None]
PREVIEW = 512
PICTURES = "pictures/"
"""Folder of the new pictures in the zip."""


def carry_over(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> dict[str, Any] | None:
    """Carry over, and keep files and pictures; None when the user wants nothing of it.

    `params`: size (width in px, 0 for the sheet's own), roles (slot name to width), filter, name,
    preview (512 px, no files).
    """
    from quilt_core.errors import LayoutError
    from quilt_core.formats.merge_files import MergeSettings, carry_files
    from quilt_core.pack import PackSettings

    layout = load_layout(revision)
    _check(layout)
    tile = layout.tiles[0]
    width = PREVIEW if params.get("preview") else params.get("size") or tile.width
    height = max(16, round(width * tile.height / tile.width))
    settings = MergeSettings(
        pack=PackSettings(
            width=width, height=height, padding=min(layout.state.padding, width / 4), margin=0.0
        ),
        filter_name=params.get("filter", "bilinear"),
        name=params.get("name") or "atlas",
        role_sizes={} if params.get("preview") else dict(params.get("roles") or {}),
    )
    sources = {member.object.source.pk: member.object.source for member in layout.members}
    scenes = [scene_of(source) for source in sources.values()]
    uvs = [[None] * len(scene.objects) for scene in scenes]
    at = {pk: k for k, pk in enumerate(sources)}
    targets = set()
    for k, member in enumerate(layout.members):
        place = at[member.object.source_id]
        uvs[place][member.object.number] = _uv(layout, k, scenes[place])
        targets.add(member.row.target)
    places = _places(layout, list(sources.values()))

    def tell(progress: float, what: str) -> bool:
        report(progress, what)
        return not stop()

    try:
        done = carry_files(
            scenes, [siblings_of(source) for source in sources.values()], uvs, settings,
            min(targets), tell, [_to_pictures(path) for path in places],
        )  # fmt: skip
    except LayoutError:
        if stop():
            return None
        raise
    out: dict[str, Any] = {
        "revision": revision.pk,
        "preview": bool(params.get("preview")),
        "report": done.report,
        "notes": list(done.notes),
        "names": list(done.pictures),
    }
    for name, data in done.pictures.items():
        out[f"picture {name}"] = storage.put(data)
    if not params.get("preview"):
        report(0.97, "putting the zip together")
        out["file"] = storage.put(_zip(list(sources.values()), places, done))
    return out


def _check(layout: Layout) -> None:
    name = layout.revision.name
    if len(layout.tiles) > 1:
        raise Refused(
            f"This atlas has {len(layout.tiles)} tiles.", name,
            "Pictures are carried over to one tile: put the islands on one sheet.",
        )  # fmt: skip
    if not layout.members:
        raise Refused("There is no object in this atlas.", name, "Bring painted files in first.")
    aside = int(layout.unplaced.sum())
    if aside:
        raise Refused(
            f"{aside} {'island lies' if aside == 1 else 'islands lie'} on the side table.", name,
            "Pack them first, so that each one has its texels.",
        )  # fmt: skip
    parted = next((m for m in layout.members if m.row.part is not None), None)
    if parted:
        raise Refused(
            f"“{parted.object.name}” lies in several atlases, by parts.", name,
            "Put all its islands into one atlas first.",
        )  # fmt: skip
    if len({m.row.target for m in layout.members}) > 1:
        raise Refused(
            "The objects' layouts are written to different UV channels.", name,
            "Choose one channel for all of them in Hand off.",
        )  # fmt: skip


def _uv(layout: Layout, k: int, scene: Any) -> Any:
    """(C, 2) UVs of a member's corners on the sheet; NaN for those without a place."""
    from quilt_core.scene.layout import placed_corner_uvs

    member = layout.members[k]
    mesh = object_of(member.base, scene).mesh
    data = load_geometry(member.base.geometry)
    island = data["face_island"][mesh.corner_face]
    first, last = spans(layout.state.members)[k]
    found = placed_corner_uvs(data["uv"], island, layout.placements[first:last], True)
    return np.full_like(data["uv"], np.nan) if found is None else found


def _places(layout: Layout, sources: list[Source]) -> list[str]:
    """Where each file goes in the zip: uploads whose names would meet have folders of their own."""
    taken: list[str] = [PICTURES]
    folders: dict[str, str] = {}
    for number, source in enumerate(sources, start=1):
        if source.folder not in folders:
            names = list(Source.objects.filter(folder=source.folder).values_list("name", flat=True))
            folders[source.folder] = free_folder(names, taken, f"upload-{number}")
            taken += [folders[source.folder] + name for name in names]
    return [folders[source.folder] + source.name for source in sources]


def _to_pictures(path: str) -> str:
    """How a file's folder finds the pictures."""
    return posixpath.join(os.path.relpath(PICTURES, str(PurePosixPath(path).parent)), "")


def _zip(sources: list[Source], places: list[str], done: Any) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for path, files in zip(places, done.files, strict=True):
            folder = PurePosixPath(path).parent
            for name, data in files.items():
                archive.writestr(posixpath.normpath(folder / name), data)
        for name, data in done.pictures.items():
            archive.writestr(PICTURES + name, data)
    return out.getvalue()
