"""Small files for the format tests."""

from __future__ import annotations

import json
import struct

import numpy as np

QUAD_OBJ = b"""# two quads
mtllib props.mtl
o Left plate
usemtl brass
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 0.5 0
vt 0.5 0.5
vt 0 0.5
vn 0 0 1
s 1
f 1/1/1 2/2/1 3/3/1 4/4/1
o Right plate
usemtl iron
v 2 0 0
v 3 0 0
v 3 1 0
v 2 1 0
f 5/1/1 6/2/1 7/3/1 8/4/1
"""


def glb_of(doc: dict, body: bytes) -> bytes:
    """Wrap a document and its buffer."""
    doc["buffers"] = [{"byteLength": len(body)}]
    text = json.dumps(doc).encode()
    text += b" " * (-len(text) % 4)
    body += b"\0" * (-len(body) % 4)
    return (
        struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(body))
        + struct.pack("<II", len(text), 0x4E4F534A) + text
        + struct.pack("<II", len(body), 0x004E4942) + body
    )  # fmt: skip


def json_of(glb: bytes) -> dict:
    """The JSON of a GLB."""
    length = struct.unpack_from("<I", glb, 12)[0]
    return json.loads(glb[20 : 20 + length])


def document(views: list[dict], accessors: list[dict], primitive: dict, **more: object) -> dict:
    """A document with one node and one mesh."""
    return {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "Plate", "mesh": 0}],
        "meshes": [{"name": "plate", "primitives": [primitive]}],
        "bufferViews": views,
        "accessors": accessors,
        **more,
    }


POINTS = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], "<f4")
UVS = np.array([[0, 1], [0.5, 1], [0.5, 0.5], [0, 0.5]], "<f4")
INDEX = np.array([0, 1, 2, 0, 2, 3], "<u2")


def plain_glb(
    uvs: np.ndarray = UVS, points: np.ndarray = POINTS, index: np.ndarray = INDEX, **more: object
) -> bytes:
    """A quad: positions, float UVs, indices, each in its own view."""
    body = points.tobytes() + uvs.tobytes() + index.tobytes()
    views = [
        {"buffer": 0, "byteOffset": 0, "byteLength": points.nbytes, "target": 34962},
        {"buffer": 0, "byteOffset": points.nbytes, "byteLength": uvs.nbytes, "target": 34962},
        {
            "buffer": 0,
            "byteOffset": points.nbytes + uvs.nbytes,
            "byteLength": index.nbytes,
            "target": 34963,
        },
    ]
    accessors = [
        {
            "bufferView": 0,
            "componentType": 5126,
            "count": len(points),
            "type": "VEC3",
            "min": np.nan_to_num(points).min(0).tolist(),
            "max": np.nan_to_num(points).max(0).tolist(),
        },
        {"bufferView": 1, "componentType": 5126, "count": len(uvs), "type": "VEC2"},
        {"bufferView": 2, "componentType": 5123, "count": len(index), "type": "SCALAR"},
    ]
    primitive = {"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2}
    if "materials" in more:
        primitive["material"] = 0
    return glb_of(document(views, accessors, primitive, **more), body)


TWO_PARTS = b"""mtllib boards.mtl
o board
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 3 0 0
v 4 0 0
v 4 1 0
v 3 1 0
v 6 0 0
v 7 0 0
v 7 1 0
vt 0.0 0.0
vt 0.2 0.0
vt 0.2 0.2
vt 0.0 0.2
vt 0.5 0.5
vt 0.7 0.5
vt 0.7 0.7
vt 0.5 0.7
vt 0.8 0.1
vt 0.9 0.1
vt 0.9 0.2
usemtl wood
f 1/1 2/2 3/3 4/4
f 5/5 6/6 7/7 8/8
f 9/9 10/10 11/11
"""
"""One object of three islands that lie apart."""
