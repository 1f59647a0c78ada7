"""OBJ files that share one set of pictures.

Reference: Wavefront OBJ and MTL, see `quilt_core.formats.obj_looks`.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import PurePosixPath
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.formats.obj_looks import OWN, WRITTEN
from quilt_core.formats.obj_read import ObjSource, read_obj
from quilt_core.formats.obj_write import write_obj
from quilt_core.pictures.looks import Look
from quilt_core.pictures.merge import Group
from quilt_core.scene.model import Scene

FloatArray = NDArray[np.float64]

PLAIN_NAME = "plain"
"""Material of faces without any, behind others that have one."""


def write_merged_obj(
    scene: Scene,
    uvs: Sequence[FloatArray | None],
    first_look: int,
    groups: Sequence[Group],
    looks: Sequence[Look],
    canonical: Sequence[int],
    name: str,
    place: str = "",
) -> dict[str, bytes]:
    """The OBJ with a new layout and its material file with one material for each group; objects whose
    UVs are None keep what they have."""
    source: ObjSource = scene.source
    data = write_obj(scene, list(uvs))
    end = b"\r\n" if b"\r\n" in source.data[:4096] else b"\n"
    group_of = {look: k for k, group in enumerate(groups) for look in group.looks}
    none = first_look + len(scene.materials)
    wanted = [""] * len(source.face_lines)
    used: set[int] = set()
    known = [material.name for material in scene.materials]
    for obj, faces, uv in zip(scene.objects, source.object_faces, uvs, strict=True):
        if uv is None:
            for face, material in zip(faces.tolist(), obj.mesh.face_material.tolist(), strict=True):
                wanted[face] = known[material] if material >= 0 else ""
            continue
        for face, material in zip(faces.tolist(), obj.mesh.face_material.tolist(), strict=True):
            group = group_of[canonical[first_look + material if material >= 0 else none]]
            used.add(group)
            wanted[face] = _title(name, group, len(groups))
    library = f"{re.sub(chr(92) + 's+', '_', PurePosixPath(scene.name).stem)}.{name}.mtl"
    again = read_obj(scene.name, data).source
    keep = any(uv is None for uv in uvs)
    out = _with_materials(again, wanted, library.encode(), end, keep)
    text = end.join(
        line.encode()
        for k in sorted(used)
        for line in [*_lines(groups[k], looks, _title(name, k, len(groups)), place), ""]
    )
    return {scene.name: out, library: text}


def _title(name: str, group: int, count: int) -> str:
    return name if count == 1 else f"{name}_{group + 1}"


def _lines(group: Group, looks: Sequence[Look], title: str, place: str) -> list[str]:
    first: dict[str, Any] = looks[group.looks[0]].entry
    out = [f"newmtl {title}"]
    out += [f"{word} {rest}" for word, rest in first.get("lines", []) if word.lower() not in OWN]
    factors = group.factors

    def three(values: tuple[float, ...]) -> str:
        return " ".join(f"{value:.9g}" for value in values[:3])

    out.append(f"Kd {three(factors['baseColor'])}")
    if any(factors["emissive"]):
        out.append(f"Ke {three(factors['emissive'])}")
    words = {word.lower() for k in group.looks for word, _ in looks[k].entry.get("lines", [])}
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
