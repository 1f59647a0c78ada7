"""What a merge gives beside files and textures: conflicts that it found, a joint file, textures of a
profile."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from quilt_core.formats.gltf_join import join_glb
from quilt_core.formats.load import read_scene
from quilt_core.formats.merge_case import Case
from quilt_core.formats.merge_settings import MergeSettings, Sheet
from quilt_core.scene.model import Scene, Siblings
from quilt_core.scene.types import IntArray
from quilt_core.textures.carry import SurfaceTriangles
from quilt_core.textures.compose import compose
from quilt_core.textures.conflicts import contents, find_conflicts
from quilt_core.textures.merge import Merged
from quilt_core.textures.painted import Painted


def note_conflicts(
    case: Case, painted: Sequence[Painted], surface: SurfaceTriangles, owner: IntArray, sheet: Sheet
) -> None:
    """Tell which islands lie on one another and show different things."""
    content = contents(case.materials, case.digest)
    for a, b, part in find_conflicts(surface, owner, case.materials, content, case.size):
        one, two = painted[a].obj.name, painted[b].obj.name
        who = f"Islands of “{one}”" if a == b else f"Islands of “{one}” and “{two}”"
        texels = round(part * sheet.width * sheet.height)
        case.notes.append(
            f"{who} lie on one another but show different things, on {texels:,} texels of {sheet.title}: only one of them is kept. Pull them apart, or pack again."
        )


def joint_file(
    case: Case,
    files: Sequence[dict[str, bytes]],
    images: dict[str, bytes],
    places: Sequence[str] | None,
) -> bytes:
    """All files in one GLB."""
    parts: list[tuple[Scene, Siblings]] = []
    for k, (scene, own) in enumerate(zip(case.scenes, files, strict=True)):
        beside, find, place = own, case.siblings[k], places[k] if places else ""

        def material(
            name: str, beside: dict[str, bytes] = beside, find: Siblings | None = find,
            place: str = place,
        ) -> bytes | None:  # fmt: skip
            return (
                beside.get(name)
                or images.get(name.removeprefix(place))
                or (find(name) if find else None)
            )

        parts.append(
            (read_scene(scene.name, own[scene.name], material, scene.metres_per_unit), material)
        )
    data, notes = join_glb(parts)
    case.notes += notes
    return data


@dataclass(frozen=True, eq=False)
class Extra:
    """Textures of a profile."""

    files: dict[str, bytes]
    rows: list[dict[str, Any]]


def profiled(merged: Sequence[Merged], sheets: Sequence[Sheet], settings: MergeSettings) -> Extra:
    """The textures of a profile, in a folder of its name."""
    files: dict[str, bytes] = {}
    rows: list[dict[str, Any]] = []
    profile = settings.profile
    for one, sheet in zip(merged, sheets, strict=True) if profile else ():
        assert profile is not None
        own, sizes = compose(profile, one, settings.file_name(sheet, profile.naming))
        files |= {f"{profile.name}/{name}": data for name, data in own.items()}
        rows += [
            {"name": f"{profile.name}/{name}", "tile": sheet.tile, "width": w, "height": h,
             "channels": c, "bits": bits}
            for name, (w, h, c, bits) in sizes.items()
        ]  # fmt: skip
    return Extra(files, rows)
