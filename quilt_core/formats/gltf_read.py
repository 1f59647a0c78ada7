"""glTF 2.0 and GLB, read so that everything but the UVs can be written back as it was.

Reference: glTF 2.0 specification (ISO/IEC 12113:2022); KHR_texture_transform;
KHR_mesh_quantization.
"""

from __future__ import annotations

import base64
import binascii
import struct
from collections import Counter
from dataclasses import dataclass, replace
from pathlib import PurePath
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import FileFormatError
from quilt_core.formats._accessors import DAMAGED, Buffers
from quilt_core.formats._draco import expand_draco
from quilt_core.formats._gltf_nodes import instances_of_meshes
from quilt_core.formats._gltf_types import decode
from quilt_core.formats._images import gltf_image_sizes
from quilt_core.formats._texture_transform import seen_transforms, to_seen
from quilt_core.scene.island_set import instance_spread
from quilt_core.scene.mesh import MOST_CHANNELS, Mesh, UVChannel
from quilt_core.scene.model import Material, Scene, SceneObject, Siblings
from quilt_core.scene.types import FloatArray, IntArray

DIFFERENT = 1.01
MODES_WITHOUT_FACES = (0, 1, 2, 3)
MOST_CORNERS = 60_000_000
FARTHEST, FARTHEST_UV = 1e15, 1e6
"""Positions and UVs beyond these are taken for no numbers."""
FLOAT_STEP = 2.0**-23
"""V is stored from the top, as 1 - v, so that its rounding is that of numbers near 1."""
UNREADABLE = {
    "EXT_meshopt_compression": "meshopt",
    "KHR_meshopt_compression": "meshopt",
}
KNOWN_EXTENSIONS = (
    "KHR_materials_", "KHR_texture_", "KHR_technique", "KHR_blend", "KHR_lights_", "KHR_mesh_quantization", "KHR_draco_mesh_compression",
    "KHR_animation_", "KHR_node_", "KHR_xmp", "KHR_physics_", "KHR_audio", "KHR_interactivity", "EXT_texture_", "EXT_lights_",
    "EXT_mesh_gpu_instancing", "EXT_mesh_features", "EXT_instance_features", "EXT_structural_metadata", "EXT_feature_metadata",
    "MSFT_texture_dds", "MSFT_packing_", "MSFT_lod",
)  # fmt: skip
"""Beginnings of extensions that may be required: what they say about a mesh is understood, or is about something else and stays as it
is (registry of glTF extensions, Khronos Group; from memory)."""
JSON_CHUNK, BIN_CHUNK = 0x4E4F534A, 0x004E4942
UNPACKED = "Its geometry was packed with Draco compression; it is written without."


@dataclass(frozen=True)
class PrimitivePart:
    """Where the corners of one primitive lie in its object's mesh.

    `corners` is a slice of mesh corners; `vertex` the primitive's own vertex of each of them.
    """

    primitive: int
    corners: slice
    vertex: IntArray


@dataclass(frozen=True, eq=False)
class GltfSource:
    """What the writer needs: the file, the document, its buffers and how corners map to
    vertices."""

    data: bytes
    doc: dict[str, Any]
    buffers: list[bytes]
    binary: bool
    mesh_of_object: tuple[int, ...]
    parts: tuple[tuple[PrimitivePart, ...], ...]
    transforms: dict[tuple[int, int], FloatArray]


def read_gltf(name: str, data: bytes, siblings: Siblings | None = None) -> Scene:
    """Read a .gltf or .glb file; see `quilt_core.formats.read_scene`."""
    binary = data[:4] == b"glTF"
    text, chunk = _split_glb(name, data) if binary else (data, None)
    doc = decode(name, text)
    for extension in [*doc.get("extensionsRequired", []), *doc.get("extensionsUsed", [])]:
        if extension in UNREADABLE:
            raise FileFormatError(
                f"Its geometry is packed with {UNREADABLE[extension]} compression ({extension}), which cannot be unpacked here.",
                name,
                f"Export it again without {UNREADABLE[extension]} compression.",
            )
    for extension in doc.get("extensionsRequired", []):
        if not str(extension).startswith(KNOWN_EXTENSIONS):
            raise FileFormatError(
                f"It cannot be understood without the extension “{extension}”, which is not known here.",
                name,
                "Export it again without that extension.",
            )
    buffers = [
        _buffer(name, i, entry, chunk, siblings) for i, entry in enumerate(doc.get("buffers", []))
    ]
    unpacked = expand_draco(name, doc, buffers)
    reader = Buffers(name, doc, buffers)
    transforms = seen_transforms(doc)
    scene = _scene(name, data, doc, buffers, binary, reader, transforms, siblings)
    return replace(scene, warnings=(*scene.warnings, UNPACKED)) if unpacked else scene


def gltf_text(name: str, data: bytes) -> bytes:
    """The JSON of a .gltf or .glb.

    Raises
    ------
    FileFormatError
    """
    return _split_glb(name, data)[0] if data[:4] == b"glTF" else data


def data_files(name: str, data: bytes) -> tuple[str, ...]:
    """Names of the side files that hold a file's buffers.

    Raises
    ------
    FileFormatError
    """
    doc = decode(name, gltf_text(name, data))
    uris = (entry.get("uri") for entry in doc.get("buffers", []))
    return tuple(unquote(uri) for uri in uris if uri and not uri.startswith("data:"))


def _scene(
    name: str,
    data: bytes,
    doc: dict[str, Any],
    buffers: list[bytes],
    binary: bool,
    reader: Buffers,
    transforms: dict[tuple[int, int], FloatArray],
    siblings: Siblings | None,
) -> Scene:
    placed = instances_of_meshes(name, doc)
    objects: list[SceneObject] = []
    meshes: list[int] = []
    parts: list[tuple[PrimitivePart, ...]] = []
    warnings: list[str] = []
    for index, entry in enumerate(doc.get("meshes", [])):
        if index not in placed:
            warnings.append(
                f"{name}: mesh “{entry.get('name', index)}” is used by no node and was left out."
            )
            continue
        built = _mesh(reader, index, entry, transforms)
        if built is None:
            warnings.append(
                f"{name}: mesh “{entry.get('name', index)}” has no faces (points or lines) and was left out."
            )
            continue
        called = placed[index][0].name or entry.get("name") or _unnamed(name, index, doc)
        objects.append(SceneObject(called, built[0], placed[index]))
        meshes.append(index)
        parts.append(built[1])
    if not objects:
        raise FileFormatError("It has 0 faces.", name, "Export it again with its meshes.")
    for obj in objects:
        spread = instance_spread(obj)
        if spread > DIFFERENT:
            warnings.append(
                f"{name}: “{obj.name}” stands in sizes that differ {spread:.3g} times; its density is that of the largest, the least dense."
            )
    sizes = gltf_image_sizes(doc, buffers, siblings)
    materials = tuple(_material(i, m, sizes[i]) for i, m in enumerate(doc.get("materials", [])))
    source = GltfSource(data, doc, buffers, binary, tuple(meshes), tuple(parts), transforms)
    return Scene(name, tuple(objects), materials, 1.0, source, tuple(warnings))


def _unnamed(name: str, index: int, doc: dict[str, Any]) -> str:
    """What a mesh without a name is called: as its file, with a number where there are several."""
    stem = PurePath(name).stem
    return stem if len(doc["meshes"]) == 1 else f"{stem} {index + 1}"


def further_chunks(data: bytes) -> bytes:
    """Chunks of a sound GLB that are neither its JSON nor its binary chunk, as they are."""
    (total,) = struct.unpack_from("<I", data, 8)
    out, at, seen = b"", 12, set()
    while at + 8 <= total:
        length, kind = struct.unpack_from("<II", data, at)
        if kind not in (JSON_CHUNK, BIN_CHUNK) or kind in seen:
            out += data[at : at + 8 + length]
        seen.add(kind)
        at += 8 + length
    return out


def _split_glb(name: str, data: bytes) -> tuple[bytes, bytes | None]:
    """JSON and binary chunk of a GLB container."""
    if len(data) < 20:
        raise FileFormatError(f"The GLB is cut short: {len(data)} bytes.", name, DAMAGED)
    _, version, total = struct.unpack_from("<III", data)
    if version != 2:
        raise FileFormatError(
            f"It is GLB version {version}.", name, "Only version 2 is read; export it again."
        )
    if total > len(data):
        raise FileFormatError(
            f"The GLB is cut short: it says {total:,} bytes, there are {len(data):,}.",
            name,
            DAMAGED,
        )
    text: bytes | None = None
    binary: bytes | None = None
    at = 12
    while at + 8 <= total:
        length, kind = struct.unpack_from("<II", data, at)
        if at + 8 + length > total:
            raise FileFormatError(
                "The GLB is cut short: its last chunk is not complete.", name, DAMAGED
            )
        body = data[at + 8 : at + 8 + length]
        if kind == JSON_CHUNK and text is None:
            text = body
        elif kind == BIN_CHUNK and binary is None:
            binary = body
        at += 8 + length
    if text is None:
        raise FileFormatError("The GLB has no JSON chunk.", name, DAMAGED)
    return text, binary


def _buffer(
    name: str, index: int, entry: dict[str, Any], chunk: bytes | None, siblings: Siblings | None
) -> bytes:
    uri = entry.get("uri")
    where = f"{name}, buffer {index}"
    if uri is None:
        data = chunk if index == 0 else None
        if data is None and "extensions" in entry:
            return b""
        if data is None:
            raise FileFormatError("The buffer has no data.", where, DAMAGED)
    elif uri.startswith("data:"):
        try:
            data = base64.b64decode(uri.partition(",")[2], validate=True)
        except (binascii.Error, ValueError):
            raise FileFormatError("The data in it is not base64.", where, DAMAGED) from None
    else:
        data = siblings(unquote(uri)) if siblings else None
        if data is None:
            raise FileFormatError(
                f"The side file “{uri}” is not there.",
                where,
                "Give it together with the .gltf, in the same folder.",
            )
    if len(data) < entry.get("byteLength", 0):
        raise FileFormatError(
            f"It should have {entry['byteLength']:,} bytes and has {len(data):,}.", where, DAMAGED
        )
    return data


def _mesh(
    reader: Buffers,
    index: int,
    entry: dict[str, Any],
    transforms: dict[tuple[int, int], FloatArray],
) -> tuple[Mesh, tuple[PrimitivePart, ...]] | None:
    """One mesh of all primitives with faces; triangles only, as the format has no polygons."""
    label = f"mesh “{entry.get('name', index)}”"
    positions: list[FloatArray] = []
    normals: list[FloatArray] = []
    corners: list[IntArray] = []
    materials: list[IntArray] = []
    used: list[tuple[int, IntArray]] = []
    parts: list[PrimitivePart] = []
    uv_sets = sorted(
        {
            int(key[9:])
            for primitive in entry.get("primitives", [])
            for key in primitive.get("attributes", {})
            if key.startswith("TEXCOORD_") and key[9:].isdigit()
        }
    )
    sets = range(min(uv_sets[-1] + 1, MOST_CHANNELS) if uv_sets else 1)
    coords: list[list[FloatArray]] = [[] for _ in sets]
    known: list[list[NDArray[np.bool_]]] = [[] for _ in sets]
    base = corner_base = 0
    for number, primitive in enumerate(entry.get("primitives", [])):
        attributes = primitive.get("attributes", {})
        if primitive.get("mode", 4) in MODES_WITHOUT_FACES or "POSITION" not in attributes:
            continue
        points = reader.numbers(attributes["POSITION"], 3)
        points = np.where(np.abs(points) < FARTHEST, points, np.nan)
        vertex = _triangle_vertices(reader, primitive, len(points), label)
        if corner_base + len(vertex) > MOST_CORNERS:
            raise reader.fail(f"It has more than {MOST_CORNERS:,} corners.", label)
        for s in sets:
            accessor = attributes.get(f"TEXCOORD_{s}")
            uv = (
                reader.numbers(accessor, 2)
                if accessor is not None
                else np.full((len(points), 2), np.nan)
            )
            if len(uv) != len(points):
                raise reader.fail(
                    f"TEXCOORD_{s} has {len(uv)} values for {len(points)} vertices.", label
                )
            uv = np.where(np.abs(uv) < FARTHEST_UV, uv, np.nan)
            flipped = np.stack([uv[:, 0], 1.0 - uv[:, 1]], axis=1)
            coords[s].append(to_seen(flipped, transforms.get((primitive.get("material", -1), s))))
            known[s].append(np.full(len(points), accessor is not None))
        positions.append(points)
        normals.append(_normals(reader, attributes, len(points)))
        corners.append(vertex + base)
        used.append((attributes["POSITION"], vertex))
        materials.append(np.full(len(vertex) // 3, primitive.get("material", -1), np.int64))
        parts.append(PrimitivePart(number, slice(corner_base, corner_base + len(vertex)), vertex))
        base += len(points)
        corner_base += len(vertex)
    if not corner_base:
        return None
    corner_vertex = np.concatenate(corners)
    channels = tuple(
        UVChannel(
            f"UV {s + 1}",
            np.concatenate(coords[s]),
            np.where(np.concatenate(known[s])[corner_vertex], corner_vertex, -1),
            FLOAT_STEP,
        )
        for s in sets
    )
    offsets = np.arange(0, corner_base + 1, 3, dtype=np.int64)
    shaded = np.concatenate(normals)[corner_vertex]
    group = (
        np.repeat(np.arange(len(parts)), [len(own) for own in materials])
        if len(parts) > 1
        else None
    )
    return Mesh(
        np.concatenate(positions), offsets, corner_vertex, channels, np.concatenate(materials),
        None if np.isnan(shaded).all() else shaded, group=group, loose=_loose(reader, used),
    ), tuple(parts)  # fmt: skip


def _loose(reader: Buffers, used: list[tuple[int, IntArray]]) -> int:
    """Vertices that nothing uses; none of those that several primitives take theirs from."""
    all_parts = (part for mesh in reader.doc.get("meshes", []) for part in mesh["primitives"])
    owners = Counter(part.get("attributes", {}).get("POSITION") for part in all_parts)
    return sum(
        int(reader.doc["accessors"][accessor]["count"]) - len(np.unique(vertex))
        for accessor, vertex in used
        if owners[accessor] == 1
    )


def _normals(reader: Buffers, attributes: dict[str, Any], count: int) -> FloatArray:
    """(V, 3) shading normals, NaN where the file has none."""
    if "NORMAL" not in attributes:
        return np.full((count, 3), np.nan)
    normals = reader.numbers(attributes["NORMAL"])
    return normals if normals.shape == (count, 3) else np.full((count, 3), np.nan)


def _triangle_vertices(
    reader: Buffers, primitive: dict[str, Any], count: int, label: str
) -> IntArray:
    if "indices" in primitive:
        index = reader.whole_numbers(primitive["indices"])
    else:
        index = np.arange(count, dtype=np.int64)
    if len(index) and (index.max() >= count or index.min() < 0):
        raise reader.fail(f"A face asks for vertex {index.max()}, but there are {count}.", label)
    mode = primitive.get("mode", 4)
    if mode == 4:
        return index[: len(index) // 3 * 3]
    if len(index) < 3:
        return np.empty(0, np.int64)
    n = np.arange(len(index) - 2)
    if mode == 5:
        odd = n % 2
        return np.stack([index[n], index[n + 1 + odd], index[n + 2 - odd]], axis=1).reshape(-1)
    if mode == 6:
        return np.stack([index[n + 1], index[n + 2], np.full(len(n), index[0])], axis=1).reshape(-1)
    raise reader.fail(f"Primitive mode {mode} is unknown.", label)


def _material(index: int, entry: dict[str, Any], image: tuple[int, int] | None) -> Material:
    colour = entry.get("pbrMetallicRoughness", {}).get("baseColorFactor", [0.8, 0.8, 0.8])
    return Material(
        entry.get("name", f"material {index}"),
        (float(colour[0]), float(colour[1]), float(colour[2])),
        image,
    )
