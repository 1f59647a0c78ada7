"""OBJ files that share one set of textures.

Reference: Wavefront OBJ and MTL, see `quilt_core.formats.obj_looks`.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import PurePosixPath
from typing import Any

import numpy as np

from quilt_core.formats.obj_materials import OWN, WRITTEN
from quilt_core.formats.obj_read import ObjSource, read_obj
from quilt_core.formats.obj_write import write_obj
from quilt_core.scene.model import Scene
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.materials import TexturedMaterial
from quilt_core.textures.merge import Group

PLAIN_NAME = "plain"
"""Material of faces without any, behind others that have one."""


def write_merged_obj(
    scene: Scene,
    laid: Sequence[tuple[FloatArray, IntArray] | None],
    first_material: int,
    groups: Sequence[Group],
    group_of: Mapping[tuple[int, int], int],
    own_materials: Sequence[TexturedMaterial],
    canonical: Sequence[int],
    name: str,
    place: str = "",
) -> dict[str, bytes]:
    """The OBJ with a new layout and its material file with one material for each group.

    `laid` are the UVs (C, 2) of each object's corners and the sheets (F,) of its faces; objects with
    None, and faces with -1, keep what they have. `group_of` tells the group of a sheet and look.
    """
    source: ObjSource = scene.source
    data = write_obj(
        scene,
        [
            None if own is None else _only(own, obj.mesh.corner_face)
            for own, obj in zip(laid, scene.objects, strict=True)
        ],
    )
    end = b"\r\n" if b"\r\n" in source.data[:4096] else b"\n"
    none = first_material + len(scene.materials)
    wanted = [""] * len(source.face_lines)
    used: set[int] = set()
    keep = False
    known = [material.name for material in scene.materials]
    for obj, faces, own in zip(scene.objects, source.object_faces, laid, strict=True):
        sheets = np.full(len(faces), -1) if own is None else own[1]
        for face, material, sheet in zip(
            faces.tolist(), obj.mesh.face_material.tolist(), sheets.tolist(), strict=True
        ):
            if sheet < 0:
                keep = True
                wanted[face] = known[material] if material >= 0 else ""
                continue
            group = group_of[sheet, canonical[first_material + material if material >= 0 else none]]
            used.add(group)
            wanted[face] = _title(groups[group])
    library = f"{re.sub(chr(92) + 's+', '_', PurePosixPath(scene.name).stem)}.{name}.mtl"
    again = read_obj(scene.name, data).source
    out = _with_materials(again, wanted, library.encode(), end, keep)
    text = end.join(
        line.encode()
        for k in sorted(used)
        for line in [*_lines(groups[k], own_materials, _title(groups[k]), place), ""]
    )
    return {scene.name: out, library: text}


def _only(own: tuple[FloatArray, IntArray], corner_face: IntArray) -> FloatArray:
    """UVs of the faces that lie on a sheet, NaN for the others."""
    uv, sheet = own
    return np.where((sheet[corner_face] >= 0)[:, None], uv, np.nan)


def _title(group: Group) -> str:
    return re.sub(r"\s+", "_", group.title)


def _lines(
    group: Group, own_materials: Sequence[TexturedMaterial], title: str, place: str
) -> list[str]:
    first: dict[str, Any] = own_materials[group.materials[0]].entry
    out = [f"newmtl {title}"]
    out += [f"{word} {rest}" for word, rest in first.get("lines", []) if word.lower() not in OWN]
    factors = group.factors

    def three(values: tuple[float, ...]) -> str:
        return " ".join(f"{value:.9g}" for value in values[:3])

    out.append(f"Kd {three(factors['baseColor'])}")
    if any(factors["emissive"]):
        out.append(f"Ke {three(factors['emissive'])}")
    words = {
        word.lower() for k in group.materials for word, _ in own_materials[k].entry.get("lines", [])
    }
    if "ks" in words or "specular" in group.slots:
        out.append(f"Ks {three(factors.get('specular', (1.0,) * 3))}")
    for key, slot in (("Pr", "roughness"), ("Pm", "metal")):
        if key.lower() in words or slot in group.slots:
            out.append(f"{key} {factors.get(slot, (1.0,))[0]:.9g}")
    if factors.get("opacity", (1.0,))[0] != 1.0:
        out.append(f"d {factors['opacity'][0]:.9g}")
    return out + [
        f"{WRITTEN[slot]} {place}{file}" for slot, file in group.slots.items() if slot in WRITTEN
    ]


def _with_materials(
    source: ObjSource, wanted: list[str], library: bytes, end: bytes, keep: bool
) -> bytes:
    """The lines with one material file, beside the old ones where these are still read, and with `usemtl` where the material changes."""
    face_at = {int(line): face for face, line in enumerate(source.face_lines)}
    out = [b"mtllib " + library + end]
    current = ""
    for number, line in enumerate(source.lines):
        word = line.split(None, 1)[:1]
        if word and (word[0] == b"usemtl" or (word[0] == b"mtllib" and not keep)):
            continue
        if number in face_at and wanted[face_at[number]] != current:
            current = wanted[face_at[number]]
            out.append(b"usemtl " + (current or PLAIN_NAME).encode() + end)
        out.append(line)
    return b"".join(out)
