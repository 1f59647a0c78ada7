"""All files in one GLB: their nodes side by side, equal textures and materials once.

Reference: glTF 2.0 specification (ISO/IEC 12113:2022), which properties are indices; KHR_lights_punctual,
KHR_materials_variants, EXT_mesh_gpu_instancing, EXT_texture_webp, KHR_texture_basisu, KHR_draco_mesh_compression,
EXT_meshopt_compression.
"""

from __future__ import annotations

import copy
import json
import struct
from collections.abc import Sequence
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np

from quilt_core.errors import FileFormatError
from quilt_core.formats.gltf_build import Node, Primitive, build_glb
from quilt_core.formats.gltf_read import GltfSource, read_gltf
from quilt_core.scene.model import Scene, Siblings

Doc = dict[str, Any]

LISTS = ("accessors", "bufferViews", "images", "samplers", "textures", "materials", "meshes", "nodes", "skins", "cameras", "animations")  # fmt: skip
ROOT_LISTS = {"KHR_lights_punctual": "lights", "KHR_materials_variants": "variants"}
"""Extensions that keep a list in the document, which others count in."""
MIME = {b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg", b"RIFF": "image/webp"}


def join_glb(parts: Sequence[tuple[Scene, Siblings | None]]) -> tuple[bytes, list[str]]:
    """One GLB of the first scenes of all files, and notes on what could not come along.

    Parameters
    ----------
    parts : sequence of (Scene, callable)
        As `read_scene` returns them, glTF or OBJ, with a reader of the files beside each.

    Raises
    ------
    FileFormatError
        When no file can be joined.
    """
    joined = _Joined()
    for scene, find in parts:
        source = scene.source
        if not isinstance(source, GltfSource):
            scene = read_gltf(scene.name, _from_obj(scene, find))
            source = scene.source
        joined.add(scene.name, copy.deepcopy(source.doc), list(source.buffers), find)
    if not joined.doc["nodes"]:
        raise FileFormatError(
            "None of the files can be put into one.", "", " ".join(joined.notes) or "Give others."
        )
    return joined.glb(), joined.notes


class _Joined:
    """A document that grows."""

    def __init__(self) -> None:
        self.doc: Doc = {name: [] for name in LISTS}
        self.roots: list[int] = []
        self.body = bytearray()
        self.used: set[str] = set()
        self.required: set[str] = set()
        self.extensions: dict[str, dict[str, list[Any]]] = {}
        self.notes: list[str] = []
        self.known: dict[tuple[str, Any], int] = {}

    def add(self, name: str, doc: Doc, buffers: list[bytes], find: Siblings | None) -> None:
        strange = sorted(set(doc.get("extensions", {})) - set(ROOT_LISTS))
        pointers = "KHR_animation_pointer" in doc.get("extensionsUsed", [])
        if strange or pointers:
            what = strange[0] if strange else "KHR_animation_pointer"
            self.notes.append(f"{name}: it uses {what} and is not in the joint file.")
            return
        start = {key: len(self.doc[key]) for key in LISTS}
        for extension, key in ROOT_LISTS.items():
            own = doc.get("extensions", {}).get(extension, {}).get(key, [])
            rows = self.extensions.setdefault(extension, {key: []})[key]
            start[extension] = len(rows)
            rows += own
        self._views(doc, buffers)
        for accessor in doc.get("accessors", []):
            _shift(accessor, "bufferView", start["bufferViews"])
            for part in ("indices", "values"):
                _shift(accessor.get("sparse", {}).get(part, {}), "bufferView", start["bufferViews"])
            self.doc["accessors"].append(accessor)
        images = [self._image(image, doc, buffers, find) for image in doc.get("images", [])]
        samplers = [self._once("samplers", sampler) for sampler in doc.get("samplers", [])]
        textures = []
        for texture in doc.get("textures", []):
            for holder in (texture, *texture.get("extensions", {}).values()):
                if isinstance(holder, dict) and "source" in holder:
                    holder["source"] = images[holder["source"]]
            if "sampler" in texture:
                texture["sampler"] = samplers[texture["sampler"]]
            textures.append(self._once("textures", texture))
        materials = []
        for material in doc.get("materials", []):
            _each_texture(material, textures)
            materials.append(self._once("materials", material))
        self._meshes(doc, start, materials)
        self._nodes(doc, start)
        for camera in doc.get("cameras", []):
            self.doc["cameras"].append(camera)
        scenes = doc.get("scenes", [])
        scene = scenes[doc.get("scene", 0)] if scenes else {"nodes": range(len(doc.get("nodes", [])))}  # fmt: skip
        self.roots += [start["nodes"] + node for node in scene.get("nodes", [])]
        self.used |= set(doc.get("extensionsUsed", []))
        self.required |= set(doc.get("extensionsRequired", []))

    def _views(self, doc: Doc, buffers: list[bytes]) -> None:
        """Buffers one after the other, each at a multiple of 8 bytes."""
        offsets = []
        ends = [len(data) for data in buffers]
        for view in doc.get("bufferViews", []):
            # What a damaged file reads beyond its end is nothing, not the data of the next one.
            end = view.get("byteOffset", 0) + view.get("byteLength", 0)
            ends[view["buffer"]] = max(ends[view["buffer"]], min(end, ends[view["buffer"]] + 4096))
        for data, end in zip(buffers, ends, strict=True):
            self.body += b"\0" * (-len(self.body) % 8)
            offsets.append(len(self.body))
            self.body += data + b"\0" * (end - len(data))
        for view in doc.get("bufferViews", []):
            for holder in (view, view.get("extensions", {}).get("EXT_meshopt_compression")):
                if isinstance(holder, dict):
                    holder["byteOffset"] = holder.get("byteOffset", 0) + offsets[holder["buffer"]]
                    holder["buffer"] = 0
            self.doc["bufferViews"].append(view)

    def _image(self, image: Doc, doc: Doc, buffers: list[bytes], find: Siblings | None) -> int:
        """An image, its bytes inside, once for equal ones; one that is missing stays a name."""
        data: bytes | None = None
        uri = image.get("uri", "")
        if "bufferView" in image:
            # Views were moved into one body already.
            view = doc["bufferViews"][image["bufferView"]]
            start = view.get("byteOffset", 0)
            data = bytes(self.body[start : start + view["byteLength"]])
        elif uri.startswith("data:"):
            return self._once("images", image)
        elif uri and find is not None:
            data = find(unquote(uri))
        if data is None:
            return self._once("images", image)
        key = ("images", data)
        if key not in self.known:
            self.body += b"\0" * (-len(self.body) % 4)
            kind = next((m for head, m in MIME.items() if data.startswith(head)), "image/png")
            view = {"buffer": 0, "byteOffset": len(self.body), "byteLength": len(data)}
            self.body += data
            self.doc["bufferViews"].append(view)
            entry = {k: v for k, v in image.items() if k not in ("uri", "bufferView", "mimeType")}
            entry |= {"bufferView": len(self.doc["bufferViews"]) - 1, "mimeType": kind}
            entry.setdefault("name", PurePosixPath(unquote(uri)).stem or "image")
            self.known[key] = len(self.doc["images"])
            self.doc["images"].append(entry)
        return self.known[key]

    def _once(self, key: str, entry: Doc) -> int:
        """The number of an entry; equal ones are kept once."""
        digest = (key, json.dumps(entry, sort_keys=True))
        if digest not in self.known:
            self.known[digest] = len(self.doc[key])
            self.doc[key].append(entry)
        return self.known[digest]

    def _meshes(self, doc: Doc, start: dict[str, int], materials: list[int]) -> None:
        at = start["accessors"]
        for mesh in doc.get("meshes", []):
            for primitive in mesh["primitives"]:
                for attributes in (primitive["attributes"], *primitive.get("targets", [])):
                    for key in attributes:
                        attributes[key] += at
                _shift(primitive, "indices", at)
                if "material" in primitive:
                    primitive["material"] = materials[primitive["material"]]
                extensions = primitive.get("extensions", {})
                _shift(
                    extensions.get("KHR_draco_mesh_compression", {}),
                    "bufferView",
                    start["bufferViews"],
                )
                variants = extensions.get("KHR_materials_variants", {})
                for mapping in variants.get("mappings", []):
                    mapping["material"] = materials[mapping["material"]]
                    first = start["KHR_materials_variants"]
                    mapping["variants"] = [first + v for v in mapping.get("variants", [])]
            self.doc["meshes"].append(mesh)

    def _nodes(self, doc: Doc, start: dict[str, int]) -> None:
        for node in doc.get("nodes", []):
            for key, what in (("mesh", "meshes"), ("skin", "skins"), ("camera", "cameras")):
                _shift(node, key, start[what])
            if "children" in node:
                node["children"] = [start["nodes"] + child for child in node["children"]]
            extensions = node.get("extensions", {})
            _shift(extensions.get("KHR_lights_punctual", {}), "light", start["KHR_lights_punctual"])
            for key in extensions.get("EXT_mesh_gpu_instancing", {}).get("attributes", {}):
                extensions["EXT_mesh_gpu_instancing"]["attributes"][key] += start["accessors"]
            self.doc["nodes"].append(node)
        for surface in doc.get("skins", []):
            _shift(surface, "inverseBindMatrices", start["accessors"])
            _shift(surface, "skeleton", start["nodes"])
            surface["joints"] = [start["nodes"] + joint for joint in surface["joints"]]
            self.doc["skins"].append(surface)
        for animation in doc.get("animations", []):
            for sampler in animation.get("samplers", []):
                for key in ("input", "output"):
                    _shift(sampler, key, start["accessors"])
            for channel in animation.get("channels", []):
                _shift(channel.get("target", {}), "node", start["nodes"])
            self.doc["animations"].append(animation)

    def glb(self) -> bytes:
        doc: Doc = {"asset": {"version": "2.0", "generator": "Untold Quilt"}}
        doc |= {"scene": 0, "scenes": [{"nodes": self.roots}]}
        doc |= {key: rows for key, rows in self.doc.items() if rows}
        kept = {n: rows for n, rows in self.extensions.items() if any(rows.values())}
        if kept:
            doc["extensions"] = kept
        for key, names in (("extensionsUsed", self.used), ("extensionsRequired", self.required)):
            if names:
                doc[key] = sorted(names)
        body = bytes(self.body) + b"\0" * (-len(self.body) % 4)
        if body:
            doc["buffers"] = [{"byteLength": len(body)}]
        text = json.dumps(doc, ensure_ascii=False, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        chunks = struct.pack("<II", len(text), 0x4E4F534A) + text
        if body:
            chunks += struct.pack("<II", len(body), 0x004E4942) + body
        return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def _shift(holder: Any, key: str, by: int) -> None:
    if isinstance(holder, dict) and isinstance(holder.get(key), int):
        holder[key] += by


def _each_texture(value: Any, textures: Sequence[int]) -> None:
    """Let all texture infos of a material name the new textures."""
    if isinstance(value, dict):
        for key, inner in value.items():
            if key.endswith("Texture") and isinstance(inner, dict) and isinstance(inner.get("index"), int):  # fmt: skip
                inner["index"] = textures[inner["index"]]
            else:
                _each_texture(inner, textures)


def _from_obj(scene: Scene, find: Siblings | None) -> bytes:
    """An OBJ as GLB: its objects in metres, with colours, normals and light of their materials as far as
    glTF has them."""
    from quilt_core.formats.file_materials import material_book

    book = material_book(scene, find)
    own_images: list[tuple[str, bytes]] = []
    at: dict[int, int] = {}
    for number, data in book.images.items():
        if data is not None:
            at[number] = len(own_images)
            own_images.append((book.names.get(number, "image"), data))
    materials = []
    for textured in book.materials:
        bindings = {
            slot: {"index": at[binding.image]}
            for slot, binding in textured.bindings.items()
            if binding.image in at
        }
        colour = [
            *textured.factors.get("baseColor", (1.0,) * 4)[:3],
            *textured.factors.get("opacity", (1.0,)),
        ][:4]
        pbr: Doc = {
            "baseColorFactor": [min(1.0, max(0.0, value)) for value in colour],
            "roughnessFactor": min(1.0, textured.factors.get("roughness", (1.0,))[0]),
            "metallicFactor": min(1.0, textured.factors.get("metal", (0.0,))[0]),
        }
        entry: Doc = {"name": textured.name, "pbrMetallicRoughness": pbr}
        if "baseColor" in bindings:
            pbr["baseColorTexture"] = bindings["baseColor"]
        for slot in ("normal", "emissive", "occlusion"):
            if slot in bindings:
                entry[f"{slot}Texture"] = bindings[slot]
        light = textured.factors.get("emissive", (0.0,) * 3)
        if any(light):
            entry["emissiveFactor"] = [min(1.0, value) for value in light]
        if colour[3] < 1.0:
            entry["alphaMode"] = "BLEND"
        materials.append(entry)
    nodes: list[Node] = []
    meshes: list[tuple[str, list[Primitive]]] = []
    for obj in scene.objects:
        mesh = obj.mesh
        uv = mesh.channels[0].per_corner if mesh.channels else None
        own = []
        material = mesh.face_material[mesh.triangle_face]
        for number in np.unique(material):
            corners = mesh.triangles[material == number].ravel()
            points = mesh.positions[mesh.corner_vertex[corners]] * scene.metres_per_unit
            attributes = {"POSITION": points.astype(np.float32)}
            if mesh.corner_normal is not None and np.isfinite(mesh.corner_normal[corners]).all():
                attributes["NORMAL"] = mesh.corner_normal[corners].astype(np.float32)
            if uv is not None and np.isfinite(uv[corners]).all():
                attributes["TEXCOORD_0"] = (uv[corners] * (1, -1) + (0, 1)).astype(np.float32)
            own.append(Primitive(attributes, material=int(number) if number >= 0 else len(materials) - 1))  # fmt: skip
        if own:
            nodes.append(Node(obj.name, mesh=len(meshes)))
            meshes.append((obj.name, own))
    return build_glb(nodes, meshes, materials, own_images)
