"""What tests of channels are made of, for others too."""

from __future__ import annotations

import base64
import json

import numpy as np

POINTS = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)


def uvs(number):
    """UVs that tell their channel."""
    return (np.array([[0, 0], [1, 0], [0, 1]]) * 0.1 + number).astype(np.float32)


def two_meshes(first=3, second=1, **materials):
    """A .gltf of two triangles with so many channels each; both have material 0, which reads
    channels 1 and 2."""
    rows = [POINTS, *[uvs(k) for k in range(first)]]
    views, data = [], b""
    for row in rows:
        views.append({"buffer": 0, "byteOffset": len(data), "byteLength": row.nbytes})
        data += row.tobytes()
    accessors = [
        {"bufferView": k, "componentType": 5126, "count": 3, "type": "VEC3" if k == 0 else "VEC2"}
        for k in range(len(rows))
    ]
    accessors[0] |= {"min": [0, 0, 0], "max": [1, 1, 0]}

    def mesh(name, count):
        attributes = {"POSITION": 0, **{f"TEXCOORD_{k}": k + 1 for k in range(count)}}
        return {"name": name, "primitives": [{"attributes": attributes, "material": 0}]}

    image = {"uri": "data:image/png;base64,"}
    doc = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0, 1]}],
        "nodes": [{"mesh": 0}, {"mesh": 1}],
        "meshes": [mesh("one", first), mesh("two", second)],
        "accessors": accessors,
        "bufferViews": views,
        "buffers": [
            {
                "byteLength": len(data),
                "uri": "data:application/octet-stream;base64," + base64.b64encode(data).decode(),
            }
        ],
        "materials": [
            {
                "name": "brass",
                "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}},
                "occlusionTexture": {"index": 0, "texCoord": 1} if first > 1 else {"index": 0},
                **materials,
            }
        ],
        "textures": [{"source": 0}],
        "images": [image],
    }
    return json.dumps(doc).encode()


def channels_of(scene, obj=0):
    """The number that each channel's UVs tell."""
    return [int(np.floor(c.per_corner[:, 0].min())) for c in scene.objects[obj].mesh.channels]
