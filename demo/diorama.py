"""Write the diorama as files: a GLB with a hierarchy, an OBJ with materials and a second GLB."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from demo.charts import Chart
from demo.props import LIGHTHOUSE, Prop, lamps, yard
from quilt_core.formats.gltf_build import Node, Primitive, build_glb

FloatArray = NDArray[np.float64]


def layout_of(prop: Prop) -> list[FloatArray]:
    """UVs of the prop's charts: shelves in the 0–1 square, then the faults."""
    boxes = [(c.flat.min(axis=0), c.flat.max(axis=0)) for c in prop.charts]
    sizes = np.array([(high - low) * prop.scale.get(k, 1.0) for k, (low, high) in enumerate(boxes)])
    sizes[:, 0] *= [prop.wide.get(k, 1.0) for k in range(len(boxes))]
    order = np.argsort(-sizes[:, 1], kind="stable")
    scale = prop.fill / np.sqrt((sizes[:, 0] * sizes[:, 1]).sum()) * 1.4
    while True:
        places, fits = _shelves(sizes * scale, order)
        if fits:
            break
        scale *= 0.96
    out: list[FloatArray] = []
    for k, chart in enumerate(prop.charts):
        uv = (chart.flat - boxes[k][0]) * prop.scale.get(k, 1.0) * scale
        uv = uv * np.array([prop.wide.get(k, 1.0), 1.0]) + places[k]
        out.append(uv + np.array(prop.away.get(k, (0.0, 0.0))))
    for k in prop.pile:
        out[k] = out[k] - out[k].min(axis=0) + out[k + 1].min(axis=0) + 0.01
    return out


def _shelves(sizes: FloatArray, order: NDArray[np.int64]) -> tuple[FloatArray, bool]:
    places = np.zeros_like(sizes)
    x = y = 0.01
    shelf = 0.0
    for k in order:
        if x + sizes[k, 0] > 0.99:
            x, y, shelf = 0.01, y + shelf + 0.01, 0.0
        places[k] = (x, y)
        if x + sizes[k, 0] > 0.995 or y + sizes[k, 1] > 0.99:
            return places, False
        x, shelf = x + sizes[k, 0] + 0.01, max(shelf, sizes[k, 1])
    return places, True


def glb(props: list[Prop], root: str) -> bytes:
    """The props as one GLB under a root node."""
    nodes = [Node(root)]
    meshes = []
    for number, prop in enumerate(props):
        matrix = np.eye(4)
        matrix[:3, 3] = prop.place
        nodes.append(Node(prop.name, 0, matrix, number, {"crate": f"HL-{number + 1:02}"}))
        meshes.append((prop.name, [_primitive(prop.charts, layout_of(prop))]))
    material = {
        "name": "painted iron",
        "pbrMetallicRoughness": {"baseColorFactor": [0.82, 0.84, 0.82, 1.0], "metallicFactor": 0.1},
    }
    return build_glb(nodes, meshes, [material])


def _primitive(charts: list[Chart], layouts: list[FloatArray]) -> Primitive:
    points, normals, uvs, index = [], [], [], []
    base = 0
    for chart, uv in zip(charts, layouts, strict=True):
        triangles = [(f[0], f[k], f[k + 1]) for f in chart.faces for k in range(1, len(f) - 1)]
        corners = chart.points[np.array(triangles)]
        faces = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normal = np.zeros_like(chart.points)
        for k in range(3):
            np.add.at(normal, np.array(triangles)[:, k], faces)
        points.append(chart.points)
        normals.append(normal / np.linalg.norm(normal, axis=1, keepdims=True))
        uvs.append(np.column_stack([uv[:, 0], 1 - uv[:, 1]]))
        index.append(np.array(triangles).ravel() + base)
        base += len(chart.points)
    attributes = {"POSITION": points, "NORMAL": normals, "TEXCOORD_0": uvs}
    return Primitive(
        {key: np.concatenate(rows).astype(np.float32) for key, rows in attributes.items()},
        np.concatenate(index).astype(np.uint16 if base < 65535 else np.uint32),
        material=0,
    )


def obj(props: list[Prop]) -> str:
    """The props as one OBJ text; polygons stay polygons."""
    lines = ["# Harbour light, the yard. Unit: metre", "mtllib yard.mtl"]
    v = t = 1
    for number, prop in enumerate(props):
        lines.append(f"o {prop.name}")
        lines.append("s off" if prop.faceted else "s 1")
        lines.append(f"usemtl {('tarred wood', 'red lead', 'rope')[number % 3]}")
        for chart, uv in zip(prop.charts, layout_of(prop), strict=True):
            lines += [
                f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in chart.points + np.array(prop.place)
            ]
            if prop.flat:
                lines += [f"vt {a:.7f} {b:.7f}" for a, b in uv]
                lines += ["f " + " ".join(f"{i + v}/{i + t}" for i in face) for face in chart.faces]
                t += len(uv)
            else:
                lines += ["f " + " ".join(str(i + v) for i in face) for face in chart.faces]
            v += len(chart.points)
    return "\n".join(lines) + "\n"


def _picture(size: int, colour: tuple[int, int, int], seed: int) -> bytes:
    """A mottled picture that stands in for a painted one."""
    grain = np.random.default_rng(seed).normal(0, 10, (size // 16, size // 16, 1))
    small = np.clip(np.array(colour) + grain, 0, 255).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(small).resize((size, size), Image.Resampling.BICUBIC).save(out, "PNG")
    return out.getvalue()


MTL = """newmtl tarred wood
Kd 0.32 0.27 0.22
map_Kd wood_colour.png
map_Pr wood_roughness.png
newmtl red lead
Kd 0.66 0.26 0.18
map_Kd lead_colour.png
map_Pr lead_roughness.png
newmtl rope
Kd 0.72 0.62 0.42
"""


def files() -> dict[str, bytes]:
    """All files of the demo project by name."""
    return {
        "lighthouse.glb": glb([make() for make in LIGHTHOUSE], "Harbour light"),
        "yard.obj": obj(yard()).encode(),
        "yard.mtl": MTL.encode(),
        "wood_colour.png": _picture(1024, (96, 80, 62), 1),
        "wood_roughness.png": _picture(512, (170, 170, 170), 2),
        "lead_colour.png": _picture(512, (170, 70, 48), 3),
        "lead_roughness.png": _picture(512, (110, 110, 110), 4),
        "lamps.glb": glb(lamps(), "Storm lamps"),
    }
