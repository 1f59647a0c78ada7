"""Channels: list the UV channels of mesh files; copy, move, swap, delete and rename them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.document.document import Document, Source
from quilt_core.errors import LayoutError
from quilt_core.formats.channels import CHANNEL_EDITS, ChannelEdit, channel_edit
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option

ALL_EDITS = (*CHANNEL_EDITS, "rename")
FORMS = {"swap": "1,2", "delete": "3", "rename": "1=Light"}


def read_edit(given: Any) -> ChannelEdit:
    """``copy 1=2``, ``swap 1,2``, ``delete 3``, ``rename 1=Light``, or a table, to an edit; raises ValueError."""
    if isinstance(given, ChannelEdit):
        return given
    try:
        if isinstance(given, dict):
            return channel_edit(**given)
        kind, _, rest = str(given).strip().partition(" ")
        if kind not in ALL_EDITS:
            raise ValueError
        first, joint, second = rest.strip().partition("," if kind == "swap" else "=")
        if kind == "rename" and joint and second.strip():
            return ChannelEdit(kind, int(first), name=second.strip())
        if kind == "delete" and not joint:
            return channel_edit(kind, int(first))
        if kind in ("copy", "move", "swap") and joint:
            return channel_edit(kind, int(first), int(second))
    except LayoutError as error:
        raise ValueError(f"{error.what} {error.fix}") from None
    except (ValueError, TypeError):
        pass
    forms = ", ".join(f"“{kind} {FORMS.get(kind, '1=2')}”" for kind in ALL_EDITS)
    raise ValueError(f"Give {forms}; channels count from 1.")


EDITS: dict[str, Any] = {"read": read_edit, "show": str, "shape": "“copy 1=2”"}
"""What an option of edits has."""
LAST_EDITS: dict[str, Any] = {
    "help": "edits of UV channels of all files, made last in their order",
    **EDITS,
}


@dataclass(frozen=True)
class Channels:
    """Settings of editing channels."""

    edits: tuple[ChannelEdit, ...] = option(
        (),
        "made in their order, on all files and meshes; without them channels are listed",
        **EDITS,
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class ChannelRow:
    """A UV channel of an object."""

    channel: int = figure("from 1")
    faces: int = figure("that have UVs in it")
    bounds: list[list[float]] = figure("lowest and highest UV")


@dataclass(frozen=True)
class ObjectChannels:
    """UV channels of an object."""

    object: str = figure("its name")
    faces: int = figure("how many")
    channels: list[ChannelRow] = figure("those with UVs")


@dataclass(frozen=True)
class FileChannels:
    """UV channels of a file."""

    file: str = figure("its path")
    objects: list[ObjectChannels] = figure("each object")


@dataclass(frozen=True, eq=False)
class ChannelsResult:
    """Channels as they were, and what edits made."""

    files: dict[int, dict[str, bytes]]
    listed: list[FileChannels] = figure("each file as it was")
    edits: list[str] = figure("what was done")
    notes: list[str] = figure("what could not be done")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: Channels, progress: Progress) -> ChannelsResult:
    """List the channels of the sources, and edit them.

    Raises
    ------
    FileFormatError
        When an edit would take away what a material reads.
    """
    from quilt_core.formats.channels import edit_channels

    files: dict[int, dict[str, bytes]] = {}
    listed, notes = [], []
    for step, (key, source) in enumerate(document.sources.items()):
        progress.report(step / len(document.sources), f"reading {source.name}")
        progress.check()
        listed.append(_listed(source))
        if settings.edits:
            files[key], said = edit_channels(source.scene(), list(settings.edits))
            notes += said
    return ChannelsResult(files, listed, [str(edit) for edit in settings.edits], notes)


def _listed(source: Source) -> FileChannels:
    objects = []
    for obj in source.scene().objects:
        rows = []
        for number, channel in enumerate(obj.mesh.channels, start=1):
            uv = channel.per_corner
            there = np.isfinite(uv).all(axis=1)
            if not there.any():
                continue
            whole = np.bincount(obj.mesh.corner_face, ~there, minlength=obj.mesh.face_count) == 0
            box = [uv[there].min(axis=0).tolist(), uv[there].max(axis=0).tolist()]
            rows.append(ChannelRow(number, int(whole.sum()), box))
        objects.append(ObjectChannels(obj.name, obj.mesh.face_count, rows))
    return FileChannels(source.name, objects)


def tell(result: ChannelsResult) -> list[str]:
    """The result in words."""
    if result.edits:
        return [f"note: {note}" for note in result.notes]
    out = []
    for file in result.listed:
        out.append(file.file)
        for obj in file.objects:
            said = [
                f"{row.channel}: {row.faces:,} of {obj.faces:,} faces, "
                f"u {row.bounds[0][0]:.3f} to {row.bounds[1][0]:.3f}, v {row.bounds[0][1]:.3f} to {row.bounds[1][1]:.3f}"
                for row in obj.channels
            ]
            out.append(f"  {obj.object or 'unnamed'}: " + ("; ".join(said) or "no UV channel"))
    return out
