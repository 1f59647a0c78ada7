"""What tests of unwrap are made of, for others too."""

from __future__ import annotations

import numpy as np

from tests.core.meshes import glb_of

CUBE = [(x, y, z) for z in (0, 1) for y in (0, 1) for x in (0, 1)]


SIDES = ["1 3 4 2", "5 6 8 7", "1 2 6 5", "3 7 8 4", "1 5 7 3", "2 4 8 6"]


def bare_obj(name="Crate"):
    lines = [f"o {name}", *(f"v {x} {y} {z}" for x, y, z in CUBE), *(f"f {side}" for side in SIDES)]
    return "\n".join(lines).encode()


def point_obj():
    """A square all of whose UVs are one point."""
    return b"o Sign\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0.5 0.5\nf 1/1 2/1 3/1 4/1\n"


def bare_glb():
    """A tetrahedron with positions and nothing else."""
    points = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 1)], np.float32)
    index = np.array([0, 2, 1, 0, 1, 3, 1, 2, 3, 0, 3, 2], np.uint16)
    body = points.tobytes() + index.tobytes()
    doc = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "Float"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "bufferViews": [
            {"buffer": 0, "byteLength": 48, "target": 34962},
            {"buffer": 0, "byteOffset": 48, "byteLength": 24, "target": 34963},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 1]},
            {"bufferView": 1, "componentType": 5123, "count": 12, "type": "SCALAR"},
        ],
    }  # fmt: skip
    return glb_of(doc, body)
