"""The parts of a glTF document that are read, decoded once into checked types.

What passes here has the right types, finite numbers and indices of things that are there, so that
no later line meets anything else. The document itself is kept as it is for writing back.

Reference: glTF 2.0 specification (ISO/IEC 12113:2022), JSON schema.
"""

from __future__ import annotations

from typing import Annotated, Any

import msgspec
from msgspec import UNSET, Meta, Struct, UnsetType

from quilt_core.errors import FileFormatError
from quilt_core.prepared import prepare

DAMAGED = "The file is cut short or damaged; export it again."
MOST_BYTES = 2**40

Index = Annotated[int, Meta(ge=0, lt=2**31)]
Size = Annotated[int, Meta(ge=0, le=MOST_BYTES)]
Positive = Annotated[int, Meta(ge=1, lt=2**31)]
Number = Annotated[float, Meta(ge=-1e30, le=1e30)]
Extensions = dict[str, Any] | UnsetType


class Asset(Struct):
    version: str


class SceneEntry(Struct):
    nodes: list[Index] = []


class Node(Struct):
    name: str | UnsetType = UNSET
    children: list[Index] = []
    mesh: Index | UnsetType = UNSET
    matrix: Annotated[list[Number], Meta(min_length=16, max_length=16)] | UnsetType = UNSET
    rotation: Annotated[list[Number], Meta(min_length=4, max_length=4)] | UnsetType = UNSET
    scale: Annotated[list[Number], Meta(min_length=3, max_length=3)] | UnsetType = UNSET
    translation: Annotated[list[Number], Meta(min_length=3, max_length=3)] | UnsetType = UNSET


class Primitive(Struct):
    attributes: dict[str, Index] = {}
    indices: Index | UnsetType = UNSET
    material: Index | UnsetType = UNSET
    mode: Annotated[int, Meta(ge=0, le=6)] = 4
    targets: list[dict[str, Index]] = []
    extensions: Extensions = UNSET


class MeshEntry(Struct):
    primitives: list[Primitive] = []
    name: str | UnsetType = UNSET


class SparseIndices(Struct):
    bufferView: Index
    componentType: int
    byteOffset: Size = 0


class SparseValues(Struct):
    bufferView: Index
    byteOffset: Size = 0


class Sparse(Struct):
    count: Positive
    indices: SparseIndices
    values: SparseValues


class Accessor(Struct):
    componentType: int
    count: Positive
    type: str
    bufferView: Index | UnsetType = UNSET
    byteOffset: Size = 0
    normalized: bool = False
    sparse: Sparse | UnsetType = UNSET
    min: list[float] | UnsetType = UNSET
    max: list[float] | UnsetType = UNSET
    name: str | UnsetType = UNSET


class BufferView(Struct):
    buffer: Index
    byteLength: Size
    byteOffset: Size = 0
    byteStride: Annotated[int, Meta(ge=0, le=2**16)] = 0
    extensions: Extensions = UNSET


class Buffer(Struct):
    byteLength: Size = 0
    uri: str | UnsetType = UNSET
    extensions: Extensions = UNSET


class Transform(Struct):
    offset: Annotated[list[Number], Meta(min_length=2, max_length=2)] = msgspec.field(
        default_factory=lambda: [0.0, 0.0]
    )
    scale: Annotated[list[Number], Meta(min_length=2, max_length=2)] = msgspec.field(
        default_factory=lambda: [1.0, 1.0]
    )
    rotation: Number = 0.0
    texCoord: Index | UnsetType = UNSET


class InfoExtensions(Struct):
    transform: Transform | UnsetType = msgspec.field(name="KHR_texture_transform", default=UNSET)


class TextureInfo(Struct):
    index: Index = 0
    texCoord: Index = 0
    extensions: InfoExtensions | UnsetType = UNSET


class Pbr(Struct):
    baseColorFactor: Annotated[list[Number], Meta(min_length=3, max_length=4)] | UnsetType = UNSET
    baseColorTexture: TextureInfo | UnsetType = UNSET
    metallicRoughnessTexture: TextureInfo | UnsetType = UNSET


class MaterialEntry(Struct):
    name: str | UnsetType = UNSET
    pbrMetallicRoughness: Pbr | UnsetType = UNSET
    normalTexture: TextureInfo | UnsetType = UNSET
    occlusionTexture: TextureInfo | UnsetType = UNSET
    emissiveTexture: TextureInfo | UnsetType = UNSET


class Image(Struct):
    uri: str | UnsetType = UNSET
    bufferView: Index | UnsetType = UNSET
    mimeType: str | UnsetType = UNSET


class Document(Struct):
    asset: Asset
    scenes: list[SceneEntry] = []
    scene: Index | UnsetType = UNSET
    nodes: list[Node] = []
    meshes: list[MeshEntry] = []
    accessors: list[Accessor] = []
    bufferViews: list[BufferView] = []
    buffers: list[Buffer] = []
    materials: list[MaterialEntry] = []
    images: list[Image] = []
    textures: list[dict[str, Any]] = []
    extensionsUsed: list[str] = []
    extensionsRequired: list[str] = []


prepare(Document)


def decode(name: str, text: bytes) -> dict[str, Any]:
    """The document as plain values, checked.

    Raises
    ------
    FileFormatError
        When it is not JSON, not glTF 2, or any part that is read has the wrong type or points
        nowhere.
    """
    if text[:3] == b"\xef\xbb\xbf":
        text = text[3:]
    fix = "Export it again as glTF 2.0 or GLB."
    try:
        doc = msgspec.json.decode(text.strip(b" \0\r\n\t"))
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise FileFormatError(f"Its JSON cannot be read ({error}).", name, fix) from None
    except RecursionError:
        raise FileFormatError("Its JSON is nested too deeply.", name, fix) from None
    version = doc.get("asset", {}) if isinstance(doc, dict) else None
    version = version.get("version") if isinstance(version, dict) else None
    if version is None:
        raise FileFormatError("This is not a glTF document.", name, fix)
    if not str(version).startswith("2"):
        raise FileFormatError(
            f"It is glTF {str(version)[:20]}.", name, "Only glTF 2.0 is read; export it again."
        )
    try:
        known = msgspec.convert(doc, Document, strict=True)
    except (msgspec.ValidationError, RecursionError) as error:
        raise FileFormatError(
            f"A part of it is of the wrong kind: {str(error)[:200]}.", name, DAMAGED
        ) from None
    _check_indices(name, known)
    return doc  # type: ignore[no-any-return]


def _check_indices(name: str, doc: Document) -> None:
    counts = {
        "node": len(doc.nodes),
        "mesh": len(doc.meshes),
        "accessor": len(doc.accessors),
        "material": len(doc.materials),
        "buffer view": len(doc.bufferViews),
        "buffer": len(doc.buffers),
    }

    def check(kind: str, index: int | UnsetType, where: str) -> None:
        if not isinstance(index, UnsetType) and index >= counts[kind]:
            raise FileFormatError(
                f"It asks for {kind} {index}, but there are {counts[kind]}.",
                f"{name}, {where}",
                DAMAGED,
            )

    for n, scene in enumerate(doc.scenes):
        for node in scene.nodes:
            check("node", node, f"scene {n}")
    for n, entry in enumerate(doc.nodes):
        check("mesh", entry.mesh, f"node {n}")
        for child in entry.children:
            check("node", child, f"node {n}")
    for n, mesh in enumerate(doc.meshes):
        for k, primitive in enumerate(mesh.primitives):
            where = f"mesh {n}, primitive {k}"
            check("accessor", primitive.indices, where)
            check("material", primitive.material, where)
            for holder in (primitive.attributes, *primitive.targets):
                for accessor in holder.values():
                    check("accessor", accessor, where)
    for n, table in enumerate(doc.accessors):
        check("buffer view", table.bufferView, f"accessor {n}")
        if not isinstance(table.sparse, UnsetType):
            check("buffer view", table.sparse.indices.bufferView, f"accessor {n}")
            check("buffer view", table.sparse.values.bufferView, f"accessor {n}")
    for n, view in enumerate(doc.bufferViews):
        check("buffer", view.buffer, f"buffer view {n}")
    for n, image in enumerate(doc.images):
        check("buffer view", image.bufferView, f"image {n}")
