"""Build a GLB from arrays: what the browser is sent, and what made-up scenes are written with."""

from __future__ import annotations

import json
import struct
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}
COMPONENT_TYPES = {"float32": 5126, "uint8": 5121, "uint16": 5123, "uint32": 5125}
TRIANGLES, LINES = 4, 1


@dataclass(frozen=True, eq=False)
class Primitive:
    """One draw call.

    Parameters
    ----------
    attributes : dict
        glTF attribute name to (N, width) array of float32, uint8, uint16 or uint32.
    indices : (K,) array, optional
    mode : int
        4 triangles, 1 lines.
    material : int, optional
    """

    attributes: dict[str, NDArray[Any]]
    indices: NDArray[Any] | None = None
    mode: int = TRIANGLES
    material: int | None = None


@dataclass(frozen=True, eq=False)
class Node:
    """A node; `parent` is an index into the list of nodes or -1, `matrix` (4, 4) column vectors."""

    name: str
    parent: int = -1
    matrix: NDArray[np.float64] | None = None
    mesh: int | None = None
    extras: dict[str, Any] = field(default_factory=dict)


def build_glb(
    nodes: Sequence[Node],
    meshes: Sequence[tuple[str, Sequence[Primitive]]],
    materials: Sequence[dict[str, Any]] = (),
    images: Sequence[tuple[str, bytes]] = (),
) -> bytes:
    """Bytes of a GLB.

    Parameters
    ----------
    nodes : sequence of Node
    meshes : sequence of (name, primitives)
    materials : sequence of dict
        glTF material objects.
    images : sequence of (name, bytes)
        PNGs; each one is the texture of its number.
    """
    body = bytearray()
    doc: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Untold Quilt"},
        "scene": 0,
        "scenes": [{"nodes": [i for i, node in enumerate(nodes) if node.parent < 0]}],
        "nodes": [_node(i, nodes) for i in range(len(nodes))],
        "meshes": [],
        "accessors": [],
        "bufferViews": [],
    }
    if materials:
        doc["materials"] = list(materials)
    for name, primitives in meshes:
        entries: list[dict[str, Any]] = []
        for primitive in primitives:
            entry: dict[str, Any] = {
                "attributes": {
                    key: _add(doc, body, rows, 34962, key == "POSITION")
                    for key, rows in primitive.attributes.items()
                },
                "mode": primitive.mode,
            }
            if primitive.indices is not None:
                entry["indices"] = _add(
                    doc, body, np.asarray(primitive.indices)[:, None], 34963, False
                )
            if primitive.material is not None:
                entry["material"] = primitive.material
            entries.append(entry)
        doc["meshes"].append({"name": name, "primitives": entries})
    for name, data in images:
        view = {"buffer": 0, "byteOffset": len(body), "byteLength": len(data)}
        doc["bufferViews"].append(view)
        body += data + b"\0" * (-len(data) % 4)
        image = {"name": name, "mimeType": "image/png", "bufferView": len(doc["bufferViews"]) - 1}
        doc.setdefault("images", []).append(image)
        doc.setdefault("textures", []).append({"source": len(doc["images"]) - 1})
    doc["buffers"] = [{"byteLength": len(body)}]
    text = json.dumps(doc, separators=(",", ":"), ensure_ascii=False).encode()
    text += b" " * (-len(text) % 4)
    total = 12 + 8 + len(text) + 8 + len(body)
    head = struct.pack("<4sII", b"glTF", 2, total)
    return (
        head
        + struct.pack("<II", len(text), 0x4E4F534A)
        + text
        + struct.pack("<II", len(body), 0x004E4942)
        + bytes(body)
    )


def _node(index: int, nodes: Sequence[Node]) -> dict[str, Any]:
    node = nodes[index]
    out: dict[str, Any] = {"name": node.name}
    children = [i for i, other in enumerate(nodes) if other.parent == index]
    if children:
        out["children"] = children
    if node.mesh is not None:
        out["mesh"] = node.mesh
    if node.matrix is not None and not np.array_equal(node.matrix, np.eye(4)):
        out["matrix"] = [float(v) for v in node.matrix.T.ravel()]
    if node.extras:
        out["extras"] = node.extras
    return out


def _add(
    doc: dict[str, Any], body: bytearray, rows: NDArray[Any], target: int, bounds: bool
) -> int:
    data = np.ascontiguousarray(rows)
    doc["bufferViews"].append(
        {"buffer": 0, "byteOffset": len(body), "byteLength": data.nbytes, "target": target}
    )
    accessor: dict[str, Any] = {
        "bufferView": len(doc["bufferViews"]) - 1,
        "componentType": COMPONENT_TYPES[str(data.dtype)],
        "count": len(data),
        "type": TYPES[data.shape[1]],
    }
    if bounds:
        accessor["min"], accessor["max"] = data.min(axis=0).tolist(), data.max(axis=0).tolist()
    doc["accessors"].append(accessor)
    body += data.tobytes()
    body += b"\0" * (-len(body) % 4)
    return len(doc["accessors"]) - 1
