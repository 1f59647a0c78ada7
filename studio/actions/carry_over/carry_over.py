"""Carry the pictures of an atlas's objects over to its layout: always from the files that were brought
in, never from what was carried before."""

from __future__ import annotations

import io
import os.path
import posixpath
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Any

from quilt_core.formats.channels import ChannelEdit, channel_edit
from quilt_core.pictures.profile import profile_from
from quilt_core.scene.tiles import home_tiles
from studio import storage
from studio.actions.carry_over.lay_out import lay_out
from studio.actions.carry_over.list_materials import changes_of, siblings_of
from studio.actions.errors import Refused
from studio.actions.gather.unpack import free_folder
from studio.actions.hand_off.export_atlas import edited_channels
from studio.arrays import Layout, load_layout
from studio.models import Revision, Source

Report = Callable[[float, str], None]
PREVIEW = 512
JOINT = "all-in-one"
NAMING = "{name}_{role}"
PICTURES = "pictures/"
"""Folder of the new pictures in the zip."""


def carry_over(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> dict[str, Any] | None:
    """Carry over, and keep files and pictures; None when the user wants nothing of it.

    `params`: size (width of the first sheet in px, 0 for its own), roles (slot name to width), filter,
    name, naming (pattern of names), form (of colours), bits, profile (as JSON), whole (all atlases of the project, whose `revisions` are told), preview
    (512 px, no files).
    """
    from quilt_core.errors import LayoutError
    from quilt_core.formats.merge_files import MergeSettings, carry_files

    layouts = _layouts(revision, params)
    for layout in layouts:
        _check(layout)
    targets = {m.row.target for layout in layouts for m in layout.members}
    if len(targets) > 1:
        raise Refused(
            "The objects' layouts are written to different UV channels.", revision.name,
            "Choose one channel for all of them in Hand off.",
        )  # fmt: skip
    preview = bool(params.get("preview"))
    settings = MergeSettings(
        filter_name=params.get("filter", "bilinear"),
        name=params.get("name") or "atlas",
        role_sizes={} if preview else dict(params.get("roles") or {}),
        naming=params.get("naming") or NAMING,
        form=params.get("form", "png"),
        compare=True,
        measure=not preview,
        joint=bool(params.get("joint")) and not preview,
        bits=int(params.get("bits") or 0),
        profile=profile_from(params["profile"], "profile")
        if params.get("profile") and not preview
        else None,
    )
    laid = lay_out(layouts, settings.name, PREVIEW if preview else params.get("size") or 0)
    places = _places(laid.sources)

    def tell(progress: float, what: str) -> bool:
        report(progress, what)
        return not stop()

    try:
        done = carry_files(
            laid.scenes, [siblings_of(source) for source in laid.sources], laid.uvs, settings,
            min(targets), tell, [_to_pictures(path) for path in places], laid.sheets, laid.faces,
            [changes_of(source) for source in laid.sources],
        )  # fmt: skip
    except LayoutError:
        if stop():
            return None
        raise
    for picture in [*done.report["pictures"], *done.report["difference"]]:
        picture["revision"] = laid.revisions[picture["set"]]
    out: dict[str, Any] = {
        "revision": revision.pk,
        "preview": preview,
        "report": done.report,
        "notes": list(done.notes),
        "names": list(done.pictures),
    }
    for name, data in done.pictures.items():
        out[f"picture {name}"] = storage.put(data)
    for title, data in done.differences.items():
        out[f"picture difference {title}"] = storage.put(data)
    if not preview:
        report(0.97, "putting the zip together")
        edits = [channel_edit(**edit) for edit in params.get("channels") or ()]
        out["file"] = storage.put(_zip(places, _edited(laid.sources, done, edits, out["notes"])))
    return out


def _layouts(revision: Revision, params: dict[str, Any]) -> list[Layout]:
    """Those of this atlas, and of the others that were asked for."""
    others = params["revisions"] if params.get("whole") else ()
    wanted = [revision.pk, *(pk for pk in others if pk != revision.pk)]
    rows = Revision.objects.select_related("atlas__project__head", "keyframe").in_bulk(wanted)
    every = [load_layout(rows[pk]) for pk in wanted if pk in rows]
    return [one for one in every if one.members or one.revision.pk == revision.pk]


def _check(layout: Layout) -> None:
    name = layout.revision.name
    if not layout.members:
        raise Refused("There is no object in this atlas.", name, "Bring painted files in first.")
    aside = int(layout.unplaced.sum())
    if aside:
        raise Refused(
            f"{aside} {'island lies' if aside == 1 else 'islands lie'} on the side table.", name,
            "Pack them first, so that each one has its texels.",
        )  # fmt: skip
    home = home_tiles(layout.islands, layout.placements, [tile.size for tile in layout.tiles])
    lost = int((home < 0).sum())
    if lost:
        raise Refused(
            f"{lost} {'island lies' if lost == 1 else 'islands lie'} on none of the sheets.", name,
            "Pack them first, or pull them onto a sheet.",
        )  # fmt: skip


def _places(sources: list[Source]) -> list[str]:
    """Where each file goes in the zip: uploads whose names would meet have folders of their own."""
    taken: list[str] = [PICTURES, f"{JOINT}.glb"]
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


def _edited(sources: list[Source], done: Any, edits: list[ChannelEdit], notes: list[str]) -> Any:
    """The same with edits of UV channels made in all files."""
    if not edits:
        return done
    files = []
    for source, own in zip(sources, done.files, strict=True):
        bare = Source(name=PurePosixPath(source.name).name, metres_per_unit=source.metres_per_unit)
        find = {**own, **{f"pictures/{k}": v for k, v in done.pictures.items()}}
        files.append({**own, **edited_channels(find, [bare], edits, notes)})
    return replace(done, files=tuple(files))


def _zip(places: list[str], done: Any) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for path, files in zip(places, done.files, strict=True):
            folder = PurePosixPath(path).parent
            for name, data in files.items():
                archive.writestr(posixpath.normpath(folder / name), data)
        for name, data in done.pictures.items():
            archive.writestr(PICTURES + name, data)
        if done.joint is not None:
            archive.writestr(f"{JOINT}.glb", done.joint)
    return out.getvalue()
