"""Export: mesh files written back in their own format, with the layouts of the document."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from quilt_core.document.base import Base
from quilt_core.document.document import Document, Source
from quilt_core.document.layout import Layout
from quilt_core.document.state import spans
from quilt_core.errors import FileFormatError, LayoutError
from quilt_core.formats import read_scene, write_scene
from quilt_core.formats.channels import ChannelEdit
from quilt_core.formats.load import shared_side_names, side_files
from quilt_core.formats.part_materials import split_materials
from quilt_core.operations import painted
from quilt_core.operations.channels import LAST_EDITS
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option
from quilt_core.scene.layout import placed_corner_uvs
from quilt_core.scene.model import Scene
from quilt_core.scene.types import FloatArray, IntArray


@dataclass(frozen=True)
class Export:
    """Settings of writing mesh files."""

    to_channel: int | None = option(
        None,
        "UV channel that layouts are written to, from 1; without it the one of each layout",
        low=1,
        high=64,
    )

    free_channel: bool = option(
        False,
        "write layouts to the first UV channel that none of the objects has, for light or other maps of their own",
    )

    edits: tuple[ChannelEdit, ...] = option((), **LAST_EDITS)

    layout_only: bool = option(
        False,
        "the textures stay as they are, though objects are painted for other UVs: it is meant so",
    )

    stacks_apart: bool = option(
        False,
        "for a bake: of each stack the first island stays, the others stand whole tiles to the right, where nothing is baked",
    )

    def __post_init__(self) -> None:
        check_options(self)
        if self.free_channel and self.to_channel is not None:
            raise LayoutError(
                "A free channel, and one by its number.", "to_channel", "Give the one or the other."
            )


@dataclass(frozen=True, eq=False)
class Exported:
    """Files that were written: nothing is on disk yet.

    Parameters
    ----------
    files : mapping
        By the key of the mesh's source, names relative to its folder and bytes; files that did not change are left out.
    """

    files: Mapping[int, Mapping[str, bytes]]
    meshes: int = figure("how many mesh files have other UVs")
    notes: list[str] = figure("what could not be done")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


@dataclass(frozen=True, eq=False)
class _Placed:
    """A layout of an object, or of a part of it: its base layout, where its islands went, and its channel."""

    atlas: int
    base: Base
    channel: int
    target: int
    made: bool
    numbers: IntArray
    placements: FloatArray

    @property
    def face_island(self) -> IntArray:
        """(F,) row of the placements that each face lies by, -1 for none."""
        of_face = self.base.face_island
        here = np.full(int(of_face.max(initial=-1)) + 2, -1)
        here[self.numbers] = np.arange(len(self.numbers))
        return np.asarray(here[of_face])

    def corner_uvs(self, corner_face: IntArray) -> FloatArray | None:
        """(C, 2) new UVs of the face corners, NaN for those that stay; None when all do."""
        whole = self.made or self.target != self.channel
        corner_island = self.face_island[corner_face]
        return placed_corner_uvs(self.base.uv, corner_island, self.placements, whole)


_OfSource = dict[int, list[_Placed]]
"""By the object's number in its source."""


def run(document: Document, settings: Export, progress: Progress) -> Exported:
    """Write each source of the document's layouts; those without a change come out empty.

    Raises
    ------
    LayoutError
        When a channel cannot be written to.
    """
    settings = in_free_channel(document, settings)
    by_source: dict[int, _OfSource] = {}
    for atlas, layout in enumerate(document.layouts):
        _collect(atlas, layout, settings, by_source)
    names = [layout.state.name for layout in document.layouts]
    meshes = {
        source.path_in_group: side_files(source.name, source.data)
        for key, source in document.sources.items()
        if key in by_source
    }
    side_names = shared_side_names(meshes)
    files = {}
    filled: list[str] = []
    for step, (key, own) in enumerate(by_source.items()):
        source = document.sources[key]
        progress.report(step / len(by_source), f"writing {source.name}")
        progress.check()
        files[key] = _rewritten(source, own, side_names[source.path_in_group], names, filled)
    notes = [] if settings.layout_only else painted.misfit_notes(document, settings.to_channel)
    notes += filled
    if settings.edits:
        for key in files:
            files[key] |= edited_channels(document.sources[key], files[key], settings.edits, notes)
    return Exported(files, sum(bool(one) for one in files.values()), list(dict.fromkeys(notes)))


def edited_channels(
    source: Source,
    written: Mapping[str, bytes],
    edits: Sequence[ChannelEdit],
    notes: list[str],
    images: Mapping[str, bytes] | None = None,
) -> dict[str, bytes]:
    """Files of a source, as they were written, with edits of UV channels; what could not be done is noted. `images` are new
    textures beside it, by the names that the mesh has for them."""
    from quilt_core.formats.channels import edit_channels

    name = source.scene().name
    if name.lower().endswith(".obj"):
        notes.append(f"{name}: an OBJ has one UV channel; it stays as it is.")
        return {}
    try:
        files, said = edit_channels(
            _read_again(source, name, {**(images or {}), **written}), list(edits)
        )
    except FileFormatError as error:
        notes.append(f"{name}: {error.what} Its UV channels stay as they are.")
        return {}
    notes += said
    return files


def tell(result: Exported) -> list[str]:
    """The result in words."""
    return [f"note: {note}" for note in result.notes]


def _collect(atlas: int, layout: Layout, settings: Export, by_source: dict[int, _OfSource]) -> None:
    placements = _apart(layout) if settings.stacks_apart else layout.placements
    for member, span in zip(layout.members, spans(layout.state.members), strict=True):
        target = member.row.target if settings.to_channel is None else settings.to_channel - 1
        placed = _Placed(
            atlas, member.base_layout(), member.channel, target, member.made, member.row.numbers,
            placements[slice(*span)],
        )  # fmt: skip
        by_source.setdefault(member.source, {}).setdefault(member.number, []).append(placed)


def _apart(layout: Layout) -> FloatArray:
    """Placements in which of each stack only the first island lies in its tile. Its copies are as many tiles to the right as
    the tiles are wide together: they read the same texels where the texture repeats."""
    stack = layout.stack
    copies = stack >= 0
    copies[np.unique(stack, return_index=True)[1]] = False
    placements = layout.placements.copy()
    placements[copies, 0, 2] += 1 + max(tile.size.corner[0] for tile in layout.tiles)
    return placements


def in_free_channel(document: Document, settings: Export) -> Export:
    """Settings that name the free channel, where it is asked for."""
    if not settings.free_channel:
        return settings
    members = [member for layout in document.layouts for member in layout.members]
    scenes = [document.sources[member.source].scene() for member in members]
    have = [
        len(scene.objects[m.number].mesh.channels) for scene, m in zip(scenes, members, strict=True)
    ]
    return replace(settings, to_channel=1 + max(have, default=0), free_channel=False)


def check_target(document: Document, settings: Export) -> None:
    """Refuse a channel that some file cannot have; called before long work begins.

    Raises
    ------
    LayoutError
    """
    target = in_free_channel(document, settings).to_channel
    if target is None:
        return
    for layout in document.layouts:
        for member in layout.members:
            if target == member.channel + 1:
                continue
            if member.file.lower().endswith(".obj"):
                raise LayoutError(
                    "An OBJ has one UV channel.", member.file,
                    "Write it as glTF, or leave the channel to write to out.",
                )  # fmt: skip


def _rewritten(
    source: Source, layouts: _OfSource, side_names: Mapping[str, str], names: Sequence[str], filled: list[str]
) -> dict[str, bytes]:  # fmt: skip
    """A file with its layouts, one channel after the other, with a material for each atlas, and the side files that
    changed with it; what was filled between channels is noted in `filled`."""
    out: dict[str, bytes] = {}
    scene = source.scene()
    missing = _missing(scene, layouts, filled)
    for target in sorted({*missing, *(new.target for each in layouts.values() for new in each)}):
        if out:
            scene = _read_again(source, scene.name, out)
        uvs = []
        for number, obj in enumerate(scene.objects):
            mine = [new for new in layouts.get(number, []) if new.target == target]
            parts = [new.corner_uvs(obj.mesh.corner_face) for new in mine]
            uv = _merged([part for part in parts if part is not None])
            uvs.append(missing.get(target, {}).get(number) if uv is None else uv)
        if all(uv is None for uv in uvs):
            continue
        # Side files that changed have their new names already.
        out |= write_scene(scene, target, uvs, side_names if not out else {})
    first = min((new.target for each in layouts.values() for new in each), default=0)
    if len({new.atlas for each in layouts.values() for new in each if new.target == first}) > 1:
        scene = _read_again(source, scene.name, out)
        atlases = [
            _face_atlas(obj.mesh.face_count, layouts.get(number, []), first)
            for number, obj in enumerate(scene.objects)
        ]
        out |= split_materials(scene, atlases, names, source.siblings())
    return out


def _missing(
    scene: Scene, layouts: _OfSource, filled: list[str]
) -> dict[int, dict[int, FloatArray]]:
    """UVs of channels that lie below one that is written and are not there, by channel and object: those of the first channel.

    glTF 2.0, section 3.7.2.1 (https://registry.khronos.org/glTF/specs/2.0/glTF-2.0.html#meshes-overview): indices of TEXCOORD_n
    start with 0 and are consecutive.
    """
    out: dict[int, dict[int, FloatArray]] = {}
    for number, own in layouts.items():
        mesh = scene.objects[number].mesh
        have, written = len(mesh.channels), {new.target for new in own}
        between = sorted(set(range(have, max(written))) - written)
        if not between:
            continue
        first = mesh.channels[0].per_corner if have else own[0].corner_uvs(mesh.corner_face)
        if first is None:
            continue
        for channel in between:
            out.setdefault(channel, {})[number] = first
        said = ", ".join(str(channel + 1) for channel in between)
        filled.append(
            f"{scene.objects[number].name}: UV channel {said} was not there and has a copy of "
            f"{'the first one' if have else 'the new layout'}."
        )
    return out


def _face_atlas(faces: int, layouts: Sequence[_Placed], target: int) -> IntArray:
    """(F,) atlas of each face in one channel, -1 for none."""
    out = np.full(faces, -1)
    for new in layouts:
        if new.target == target:
            out[new.face_island >= 0] = new.atlas
    return out


def _read_again(source: Source, name: str, written: Mapping[str, bytes]) -> Scene:
    find = source.siblings()
    data = written.get(name, source.data)
    return read_scene(name, data, lambda wanted: written.get(wanted) or find(wanted), source.unit)


def _merged(parts: Sequence[FloatArray]) -> FloatArray | None:
    """UVs of several layouts of one object and channel, which share no corner."""
    if not parts:
        return None
    out = parts[0]
    for part in parts[1:]:
        out = np.where(np.isfinite(part), part, out)
    return out
