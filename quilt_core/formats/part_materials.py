"""A material for each atlas: where faces of one material lie in several atlases, those of all but
the first get a copy of it.

Vertices, their order, faces and names stay. In glTF the faces of an atlas become a primitive of their
own; in OBJ they follow a `usemtl` of their own, and the copies stand in a material file beside the
one that is there.

Reference: glTF 2.0 specification (ISO/IEC 12113:2022), 3.7.2.1; Wavefront OBJ `usemtl`, `mtllib`
(common practice, from memory).
"""

from __future__ import annotations

import copy
import re
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.formats._append import Appender
from quilt_core.formats.channels import material_holders
from quilt_core.formats.gltf_read import GltfSource, PrimitivePart
from quilt_core.formats.gltf_write import ELEMENTS, pack_document
from quilt_core.formats.obj_read import ObjSource
from quilt_core.formats.obj_text import as_utf8, library_names, rest_of
from quilt_core.scene.model import Scene
from quilt_core.scene.types import IntArray

PLAIN = "plain"
"""Material of faces in an OBJ that have none, where others follow one."""


def split_materials(
    scene: Scene,
    face_atlas: Sequence[IntArray],
    names: Sequence[str],
    siblings: Callable[[str], bytes | None] | None = None,
) -> dict[str, bytes]:
    """The file with a material for each atlas.

    Parameters
    ----------
    scene : Scene
        As `read_scene` returns it.
    face_atlas : sequence of (F,) int64
        For each object the atlas of its faces, -1 for none.
    names : sequence of str
        Of the atlases; a copy is called like its material and the atlas.
    siblings : callable, optional
        Reader of the material files of an OBJ.

    Returns
    -------
    dict
        File name to bytes, only of what changed; empty when no material lies in several atlases.
    """
    home = _homes(scene, face_atlas)
    parted = any(
        (_elsewhere(obj.mesh.face_material, atlas, home)).any()
        for obj, atlas in zip(scene.objects, face_atlas, strict=True)
    )
    if not parted:
        return {}
    if Path(scene.name).suffix.lower() == ".obj":
        return _split_obj(scene, face_atlas, names, home, siblings)
    return _split_gltf(scene, face_atlas, names, home)


def _homes(scene: Scene, face_atlas: Sequence[IntArray]) -> dict[int, int]:
    """The first atlas of each material, by its number."""
    home: dict[int, int] = {}
    for obj, atlas in zip(scene.objects, face_atlas, strict=True):
        for material in np.unique(obj.mesh.face_material):
            own = atlas[(obj.mesh.face_material == material) & (atlas >= 0)]
            if len(own):
                first = int(own.min())
                home[int(material)] = min(home.get(int(material), first), first)
    return home


def _elsewhere(material: IntArray, atlas: IntArray, home: dict[int, int]) -> NDArray[np.bool_]:
    """(F,) faces that lie in another atlas than their material's."""
    homes = np.array([home.get(int(m), -1) for m in material], np.int64)
    return np.asarray((atlas >= 0) & (atlas != homes))


class _Copies:
    """Names of the copies, each told from all others."""

    def __init__(self, names: Sequence[str], taken: Sequence[str]) -> None:
        self.names = [re.sub(r"[^\w.-]+", "_", name).strip("_.") or "atlas" for name in names]
        self.taken = set(taken)
        self.made: dict[tuple[str, int], str] = {}

    def name(self, material: str, atlas: int) -> str:
        key = (material, atlas)
        if key not in self.made:
            wanted = f"{material}_{self.names[atlas]}" if material else self.names[atlas]
            name, number = wanted, 1
            while name in self.taken:
                number += 1
                name = f"{wanted}-{number}"
            self.taken.add(name)
            self.made[key] = name
        return self.made[key]


def _split_gltf(
    scene: Scene, face_atlas: Sequence[IntArray], names: Sequence[str], home: dict[int, int]
) -> dict[str, bytes]:
    source: GltfSource = scene.source
    doc, buffers = copy.deepcopy(source.doc), list(source.buffers)
    appender = Appender(doc, buffers)
    materials = doc.setdefault("materials", [])
    copies = _Copies(names, [m.get("name", "") for m in materials])
    made: dict[tuple[int, int], int] = {}

    def point(holder: dict[str, Any], atlas: int) -> None:
        old = holder.get("material", -1)
        if atlas < 0 or home.setdefault(old, atlas) == atlas:
            return
        if (old, atlas) not in made:
            fresh = copy.deepcopy(materials[old]) if old >= 0 else {}
            fresh["name"] = copies.name(fresh.get("name", ""), atlas)
            made[old, atlas] = len(materials)
            materials.append(fresh)
        holder["material"] = made[old, atlas]

    for obj, mesh, parts, atlas in zip(
        scene.objects, source.mesh_of_object, source.parts, face_atlas, strict=True
    ):
        primitives = doc["meshes"][mesh]["primitives"]
        groups = {}
        for part in parts:
            of = atlas[obj.mesh.corner_face[part.corners][::3]]
            own = home.get(primitives[part.primitive].get("material", -1), -1)
            # Faces of no atlas stay with those at home.
            groups[part.primitive] = (part, np.where(of < 0, own, of))
        doc["meshes"][mesh]["primitives"] = [
            piece
            for number, primitive in enumerate(primitives)
            for piece in (
                _pieces(primitive, *groups[number], appender, point)
                if number in groups
                else [primitive]
            )
        ]
    if not materials:
        del doc["materials"]
    appender.finish()
    return pack_document(scene.name, doc, buffers, source, {})


def _pieces(
    primitive: dict[str, Any],
    part: PrimitivePart,
    atlas: IntArray,
    appender: Appender,
    point: Callable[[dict[str, Any], int], None],
) -> Iterator[dict[str, Any]]:
    """A primitive for each atlas that its triangles lie in, with the material of it."""
    for number, piece in parted(primitive, part, atlas, appender):
        if "material" not in piece:
            point(piece, number)
        for holder in material_holders(piece):
            point(holder, number)
        yield piece


def parted(
    primitive: dict[str, Any], part: PrimitivePart, group: IntArray, appender: Appender
) -> Iterator[tuple[int, dict[str, Any]]]:
    """A primitive for each group (T,) of its triangles, with the group; they share all vertices."""
    found = np.unique(group)
    for number in found.tolist():
        piece = primitive if len(found) < 2 else copy.deepcopy(primitive)
        if len(found) > 1:
            index = part.vertex.reshape(-1, 3)[group == number].reshape(-1, 1)
            wide = np.uint16 if index.max() < 65535 else np.uint32
            model = {"componentType": 5123 if wide is np.uint16 else 5125, "type": "SCALAR"}
            piece["indices"] = appender.add_accessor(index.astype(wide), model, ELEMENTS)
            piece.pop("mode", None)
        yield number, piece


def _split_obj(
    scene: Scene,
    face_atlas: Sequence[IntArray],
    names: Sequence[str],
    home: dict[int, int],
    siblings: Callable[[str], bytes | None] | None,
) -> dict[str, bytes]:
    source: ObjSource = scene.source
    end = b"\r\n" if b"\r\n" in source.data[:4096] else b"\n"
    known = [material.name for material in scene.materials]
    copies = _Copies(names, known)
    wanted: list[str] = [""] * len(source.face_lines)
    for obj, faces, atlas in zip(scene.objects, source.object_faces, face_atlas, strict=True):
        away = _elsewhere(obj.mesh.face_material, atlas, home)
        for face, material, number, other in zip(
            faces.tolist(), obj.mesh.face_material.tolist(), atlas.tolist(), away, strict=True
        ):
            own = known[material] if material >= 0 else ""
            wanted[face] = copies.name(own, number) if other else own
    # Beside the material file that is there, as it may name textures from where it lies.
    libraries = library_names(as_utf8(source.data))
    old = PurePosixPath((libraries or [""])[0]).parent
    new = str(old / (re.sub(r"\s+", "_", PurePosixPath(scene.name).stem) + ".atlases.mtl"))
    out = _with_materials(source, wanted, new.encode(), end)
    blocks = {}
    for library in libraries:
        text = siblings(library) if siblings else None
        blocks.update(_blocks(text or b""))
    texts = [
        b"newmtl " + name.encode() + end + blocks.get(material.encode(), b"")
        for (material, _), name in copies.made.items()
    ]
    return {scene.name: out, new: end.join(texts)}


def _with_materials(source: ObjSource, wanted: list[str], library: bytes, end: bytes) -> bytes:
    """The lines, with `usemtl` before each face whose material is not the one in force."""
    face_at = {int(line): face for face, line in enumerate(source.face_lines)}
    last = max(
        (k for k, line in enumerate(source.lines) if line.lstrip().startswith(b"mtllib")),
        default=-1,
    )
    out = [b"mtllib " + library + end] if last < 0 else []
    current = ""
    for number, line in enumerate(source.lines):
        if line.lstrip().startswith(b"usemtl"):
            current = rest_of(line)
        elif number in face_at and wanted[face_at[number]] != current:
            current = wanted[face_at[number]]
            out.append(b"usemtl " + (current or PLAIN).encode() + end)
        out.append(line)
        if number == last:
            if not line.endswith(b"\n"):
                out.append(end)
            out.append(b"mtllib " + library + end)
    return b"".join(out)


def _blocks(text: bytes) -> dict[bytes, bytes]:
    """What a material file says of each material, by its name."""
    parts = re.split(rb"^[ \t]*newmtl[ \t]+(.*?)[ \t]*\r?$\n?", text, flags=re.MULTILINE)
    return dict(zip(parts[1::2], parts[2::2], strict=True))
