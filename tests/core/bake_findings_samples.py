"""What tests of bake findings are made of, for others too."""

from __future__ import annotations

import numpy as np

from quilt_core.formats.gltf_build import Node, Primitive, build_glb


def glb(**meshes) -> bytes:
    """A GLB of surfaces by name."""
    parts = []
    for name, mesh in meshes.items():
        uv = np.nan_to_num(mesh.uv).reshape(-1, 2) * (1, -1) + (0, 1)
        columns = {
            "POSITION": mesh.points.reshape(-1, 3),
            "NORMAL": mesh.normals.reshape(-1, 3),
            "TEXCOORD_0": uv,
        }
        parts.append(
            (name, [Primitive({k: v.astype(np.float32) for k, v in columns.items()}, material=0)])
        )
    nodes = [Node(name, mesh=k) for k, name in enumerate(meshes)]
    return build_glb(nodes, parts, [{"name": "stuff"}])
