"""Write a glTF file back whose objects share one set of textures.

Reference: glTF 2.0 specification (ISO/IEC 12113:2022); KHR_texture_transform;
KHR_materials_emissive_strength; KHR_materials_variants; EXT_texture_webp.
"""

from __future__ import annotations

import copy
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any
from urllib.parse import quote

import numpy as np

from quilt_core.formats._accessors import Buffers
from quilt_core.formats._append import Appender
from quilt_core.formats._gltf_tidy import tidied
from quilt_core.formats.gltf_materials import STRENGTH, MaterialBook
from quilt_core.formats.gltf_read import GltfSource, read_gltf
from quilt_core.formats.gltf_write import ARRAY, pack_document, write_gltf
from quilt_core.formats.part_materials import parted
from quilt_core.scene.model import Scene, Siblings
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.frames import corner_tangents
from quilt_core.textures.materials import TexturedMaterial
from quilt_core.textures.merge import Group

MIME = {"png": "image/png", "jpg": "image/jpeg", "webp": "image/webp"}
WEBP = "EXT_texture_webp"
VARIANTS = "KHR_materials_variants"


def objects_with_variants(scene: Scene) -> list[int]:
    """Objects whose materials can be switched: their textures cannot be carried over at once."""
    source: GltfSource = scene.source
    return [
        number
        for number, mesh in enumerate(source.mesh_of_object)
        if any(
            VARIANTS in (primitive.get("extensions") or {})
            for primitive in source.doc["meshes"][mesh]["primitives"]
        )
    ]


def file_tangents(scene: Scene) -> list[FloatArray | None]:
    """(C, 4) tangents of each object's corners as the file has them; None where there are none."""
    source: GltfSource = scene.source
    reader = Buffers(scene.name, source.doc, list(source.buffers))
    out: list[FloatArray | None] = []
    for obj, mesh, parts in zip(scene.objects, source.mesh_of_object, source.parts, strict=True):
        rows = np.full((len(obj.mesh.corner_vertex), 4), np.nan)
        for part in parts:
            primitive = source.doc["meshes"][mesh]["primitives"][part.primitive]
            if "TANGENT" in primitive["attributes"]:
                values = reader.numbers(primitive["attributes"]["TANGENT"])
                if values.ndim == 2 and values.shape[1] == 4:
                    rows[part.corners] = values[part.vertex]
        out.append(None if np.isnan(rows).all() else rows)
    return out


def write_merged(
    scene: Scene,
    siblings: Siblings | None,
    members: Sequence[int],
    uvs: Sequence[FloatArray],
    face_sheets: Sequence[IntArray],
    book: MaterialBook,
    first_material: int,
    groups: Sequence[Group],
    group_of: Mapping[tuple[int, int], int],
    materials: Sequence[TexturedMaterial],
    canonical: Sequence[int],
    images: Mapping[str, bytes],
    channel: int,
    embed: bool = False,
    place: str = "",
) -> dict[str, bytes]:
    """The file with a new layout, one material for each group, and new textures.

    Parameters
    ----------
    scene : Scene
        As `read_scene` returns it.
    siblings : callable, optional
    members : sequence of int
        Objects that are merged; the others stay as they are.
    uvs : sequence of (C, 2) float64
        Of the members, origin at the bottom left; NaN for corners that stay.
    face_sheets : sequence of (F,) int64
        The sheet of each face, -1 for those that stay as they are. A primitive whose faces part gets a
        piece for each material.
    book : MaterialBook
        Of the file.
    first_material : int
        Number of its first look among `looks`.
    groups : sequence of Group
    group_of : mapping
        Sheet and look to the number of the group.
    materials : sequence of TexturedMaterial
    canonical : sequence of int
        The material that stands for each one: the first that is equal to it.
    images : mapping
        Names of the new textures to their bytes.
    channel : int
        UV channel that the layout is written to, from 0.
    embed : bool
        Whether textures are kept in the file, rather than beside it.
    place : str
        How the file's folder finds that of the textures, with a slash at the end.

    Returns
    -------
    dict
        File name to bytes, without the textures.
    """
    source: GltfSource = scene.source
    row = {number: k for k, number in enumerate(members)}
    # New UVs are stored as they are: the materials that read them have no transform.
    bare = replace(source, transforms={})
    corner_uvs = [uvs[row[k]] if k in row else None for k in range(len(scene.objects))]
    files = write_gltf(replace(scene, source=bare), channel, corner_uvs)
    find = _beside(files, siblings)
    again = read_gltf(scene.name, files[scene.name], find)
    written: GltfSource = again.source
    doc, buffers = copy.deepcopy(written.doc), list(written.buffers)
    appender = Appender(doc, buffers)
    textures = _Textures(doc, appender, images, channel, embed, place)
    made: dict[int, int] = {}
    none = first_material + len(book.materials) - 1

    def material(group: int) -> int:
        if group not in made:
            made[group] = len(doc.setdefault("materials", []))
            doc["materials"].append(_material(groups[group], materials, textures))
        return made[group]

    for number, (mesh, parts) in enumerate(zip(written.mesh_of_object, written.parts, strict=True)):
        if number not in row:
            continue
        corner_face = again.objects[number].mesh.corner_face
        primitives = doc["meshes"][mesh]["primitives"]
        pieces: dict[int, list[dict[str, Any]]] = {}
        for part in parts:
            primitive = primitives[part.primitive]
            old = primitive.get("material", -1)
            textured = canonical[first_material + old if old >= 0 else none]
            sheets = face_sheets[row[number]][corner_face[part.corners][::3]]
            if (sheets < 0).all():
                continue
            for lower in range(channel):
                # Channels are numbered without gaps.
                primitive["attributes"].setdefault(
                    f"TEXCOORD_{lower}", primitive["attributes"][f"TEXCOORD_{channel}"]
                )
            if "TANGENT" in primitive["attributes"]:
                _new_tangents(again, number, part, primitive, uvs[row[number]], appender)
            of = np.array([group_of[s, textured] if s >= 0 else -1 for s in sheets.tolist()])
            pieces[part.primitive] = []
            for group, piece in parted(primitive, part, of, appender):
                if group >= 0:
                    piece["material"] = material(group)
                pieces[part.primitive].append(piece)
        doc["meshes"][mesh]["primitives"] = [
            piece for k, one in enumerate(primitives) for piece in pieces.get(k, [one])
        ]
    if textures.used_strength:
        doc.setdefault("extensionsUsed", []).append(STRENGTH)
    if textures.used_webp:
        for key in ("extensionsUsed", "extensionsRequired"):
            doc[key] = sorted({*doc.get(key, []), WEBP})
    appender.finish()
    doc, buffers = tidied(doc, buffers)
    if "extensionsUsed" in doc:
        doc["extensionsUsed"] = sorted(set(doc["extensionsUsed"]))
    return pack_document(scene.name, doc, buffers, written, {})


def _beside(files: Mapping[str, bytes], siblings: Siblings | None) -> Siblings:
    def find(name: str) -> bytes | None:
        return files.get(name) or (siblings(name) if siblings else None)

    return find


def _new_tangents(
    scene: Scene,
    number: int,
    part: Any,
    primitive: dict[str, Any],
    uv: FloatArray,
    appender: Appender,
) -> None:
    mesh = scene.objects[number].mesh
    corner = np.arange(part.corners.start, part.corners.stop).reshape(-1, 3)
    points = mesh.positions[mesh.corner_vertex[corner]]
    if mesh.corner_normal is None:
        return
    normals = np.nan_to_num(mesh.corner_normal[corner])
    count = int(appender.doc["accessors"][primitive["attributes"]["POSITION"]]["count"])
    rows = np.zeros((count, 4), np.float32)
    rows[:, 0], rows[:, 3] = 1.0, 1.0
    new = np.isfinite(uv[part.corners]).all(axis=1)
    if not new.all():
        source: GltfSource = scene.source
        reader = Buffers(scene.name, source.doc, list(source.buffers))
        rows[:] = reader.numbers(primitive["attributes"]["TANGENT"])
        corner = corner[new[::3]]
        points, normals = points[new[::3]], normals[new[::3]]
    found = corner_tangents(points, normals, uv[corner]).reshape(-1, 4)
    rows[part.vertex[new]] = found
    model = {"componentType": 5126, "type": "VEC4"}
    primitive["attributes"]["TANGENT"] = appender.add_accessor(rows, model, ARRAY)


class _Textures:
    """Textures of the new images, each once."""

    def __init__(
        self,
        doc: dict[str, Any],
        appender: Appender,
        images: Mapping[str, bytes],
        channel: int,
        embed: bool,
        place: str,
    ) -> None:
        self.doc, self.appender, self.images = doc, appender, images
        self.channel, self.embed, self.place = channel, embed, place
        self.made: dict[str, int] = {}
        self.sampler = -1
        self.used_strength = self.used_webp = False

    def info(self, file: str) -> dict[str, Any]:
        """A texture info that reads a texture."""
        if file not in self.made:
            if self.sampler < 0:
                self.sampler = len(self.doc.setdefault("samplers", []))
                self.doc["samplers"].append(
                    {"magFilter": 9729, "minFilter": 9987, "wrapS": 33071, "wrapT": 33071}
                )
            image: dict[str, Any] = {"name": file.rpartition(".")[0]}
            if self.embed:
                rows = np.frombuffer(self.images[file], np.uint8)[:, None]
                image["bufferView"] = self.appender.add_view(rows, 0)
                del self.doc["bufferViews"][-1]["target"]
                image["mimeType"] = MIME[file.rpartition(".")[2]]
            else:
                image["uri"] = quote(self.place + file)
            self.doc.setdefault("images", []).append(image)
            source: dict[str, Any] = {"source": len(self.doc["images"]) - 1}
            if file.endswith(".webp"):
                self.used_webp = True
                source = {"extensions": {WEBP: source}}
            self.doc.setdefault("textures", []).append({**source, "sampler": self.sampler})
            self.made[file] = len(self.doc["textures"]) - 1
        info: dict[str, Any] = {"index": self.made[file]}
        if self.channel:
            info["texCoord"] = self.channel
        return info


def _material(
    group: Group, materials: Sequence[TexturedMaterial], textures: _Textures
) -> dict[str, Any]:
    """The material of a group: what its materials agree in, and the new textures."""
    entry = copy.deepcopy(materials[group.materials[0]].entry)
    entry["name"] = group.title
    for key in ("normalTexture", "occlusionTexture", "emissiveTexture", "emissiveFactor"):
        entry.pop(key, None)
    rough, metal = group.factors["metallicRoughness"]
    pbr: dict[str, Any] = {
        "baseColorFactor": list(group.factors["baseColor"]),
        "roughnessFactor": rough,
        "metallicFactor": metal,
    }
    extras = entry.get("pbrMetallicRoughness", {})
    pbr |= {k: v for k, v in extras.items() if k in ("extras", "extensions")}
    if "baseColor" in group.slots:
        pbr["baseColorTexture"] = textures.info(group.slots["baseColor"])
    if "metallicRoughness" in group.slots:
        pbr["metallicRoughnessTexture"] = textures.info(group.slots["metallicRoughness"])
    entry["pbrMetallicRoughness"] = pbr
    if "normal" in group.slots:
        entry["normalTexture"] = textures.info(group.slots["normal"])
        if group.factors["normal"] != (1.0,):
            entry["normalTexture"]["scale"] = group.factors["normal"][0]
    if "occlusion" in group.slots:
        entry["occlusionTexture"] = textures.info(group.slots["occlusion"])
        if group.factors["occlusion"] != (1.0,):
            entry["occlusionTexture"]["strength"] = group.factors["occlusion"][0]
    emissive = group.factors["emissive"]
    if "emissive" in group.slots:
        entry["emissiveTexture"] = textures.info(group.slots["emissive"])
    strength = max(1.0, *emissive)
    if any(emissive):
        entry["emissiveFactor"] = [value / strength for value in emissive]
    extensions = entry.get("extensions", {})
    extensions.pop(STRENGTH, None)
    if strength > 1.0:
        extensions[STRENGTH] = {"emissiveStrength": strength}
        textures.used_strength = True
    for name, what in extensions.items():
        for key in [k for k in what if k.endswith("Texture")] if isinstance(what, dict) else ():
            del what[key]
        for slot, file in group.slots.items():
            extension, _, key = slot.partition(".")
            if key and extension == name:
                what[key] = textures.info(file)
                scale = group.factors.get(slot, (1.0,))
                if key.endswith("NormalTexture") and scale != (1.0,):
                    what[key]["scale"] = scale[0]
    if extensions:
        entry["extensions"] = extensions
    else:
        entry.pop("extensions", None)
    return entry
