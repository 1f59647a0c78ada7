"""Write the diorama as files: a GLB with a hierarchy, an OBJ with materials and a second GLB."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from demo import paint
from demo.islands import Island
from demo.props import LIGHTHOUSE, Prop, lamps, yard
from quilt_core.formats.gltf_build import Node, Primitive, build_glb
from quilt_core.scene.types import FloatArray


def layout_of(prop: Prop) -> list[FloatArray]:
    """UVs of the prop's islands: shelves in the 0–1 square, then the faults."""
    boxes = [(c.flat.min(axis=0), c.flat.max(axis=0)) for c in prop.islands]
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
    for k, island in enumerate(prop.islands):
        uv = (island.flat - boxes[k][0]) * prop.scale.get(k, 1.0) * scale
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


def glb(
    props: list[Prop],
    root: str,
    materials: list[dict[str, Any]],
    images: Sequence[tuple[str, bytes]] = (),
) -> bytes:
    """The props as one GLB under a root node, each with the material of its number, or the last."""
    nodes = [Node(root)]
    meshes = []
    for number, prop in enumerate(props):
        matrix = np.eye(4)
        matrix[:3, 3] = prop.place
        nodes.append(Node(prop.name, 0, matrix, number, {"crate": f"HL-{number + 1:02}"}))
        meshes.append(
            (
                prop.name,
                [_primitive(prop.islands, layout_of(prop), min(number, len(materials) - 1))],
            )
        )
    return build_glb(nodes, meshes, materials, images)


def _primitive(islands: list[Island], layouts: list[FloatArray], material: int) -> Primitive:
    points, normals, uvs, index = [], [], [], []
    base = 0
    for island, uv in zip(islands, layouts, strict=True):
        triangles = [(f[0], f[k], f[k + 1]) for f in island.faces for k in range(1, len(f) - 1)]
        corners = island.points[np.array(triangles)]
        faces = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normal = np.zeros_like(island.points)
        for k in range(3):
            np.add.at(normal, np.array(triangles)[:, k], faces)
        points.append(island.points)
        normals.append(normal / np.linalg.norm(normal, axis=1, keepdims=True))
        uvs.append(np.column_stack([uv[:, 0], 1 - uv[:, 1]]))
        index.append(np.array(triangles).ravel() + base)
        base += len(island.points)
    attributes = {"POSITION": points, "NORMAL": normals, "TEXCOORD_0": uvs}
    return Primitive(
        {key: np.concatenate(rows).astype(np.float32) for key, rows in attributes.items()},
        np.concatenate(index).astype(np.uint16 if base < 65535 else np.uint32),
        material=material,
    )


def obj(props: list[Prop]) -> str:
    """The props as one OBJ text; polygons stay polygons."""
    lines = ["# Harbour light, the yard. Unit: metre", "mtllib yard.mtl"]
    v = t = 1
    for number, prop in enumerate(props):
        lines.append(f"o {prop.name}")
        lines.append("s off" if prop.faceted else "s 1")
        kind = ("tarred wood", "red lead", "rope")[number % 3]
        lines.append(f"usemtl {'notices' if prop.name == 'Notice board' else kind}")
        for island, uv in zip(prop.islands, layout_of(prop), strict=True):
            lines += [
                f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in island.points + np.array(prop.place)
            ]
            if prop.flat:
                lines += [f"vt {a:.7f} {b:.7f}" for a, b in uv]
                lines += [
                    "f " + " ".join(f"{i + v}/{i + t}" for i in face) for face in island.faces
                ]
                t += len(uv)
            else:
                lines += ["f " + " ".join(str(i + v) for i in face) for face in island.faces]
            v += len(island.points)
    return "\n".join(lines) + "\n"


MTL = """newmtl tarred wood
Kd 1 1 1
map_Kd wood_colour.png
map_Pr wood_roughness.png
newmtl red lead
Kd 1 1 1
map_Kd lead_colour.png
map_Pr lead_roughness.png
newmtl rope
Kd 1 1 1
map_Kd rope_colour.png
newmtl notices
Kd 1 1 1
map_Kd notices_colour.png
"""


def _lighthouse() -> bytes:
    """The tower and what is in it, painted: bricks and deck plates have normals, brass is metal."""
    wall, wall_height = paint.bricks(1024)
    plate, plate_height = paint.deck(512)
    images = [
        ("wall colour", paint.png(paint.coloured((0.87, 0.88, 0.85), wall))),
        ("wall normal", paint.normals_of(wall_height, 3.0)),
        ("red colour", paint.png(paint.coloured((0.66, 0.2, 0.15), 0.07 * paint.mottled(512, 3)))),
        ("red surface", paint.surface(0.45, 0.0, 512, 14)),
        (
            "brass colour",
            paint.png(paint.coloured((0.8, 0.63, 0.3), 0.05 * paint.mottled(512, 15, 64))),
        ),
        ("brass surface", paint.surface(0.3, 1.0, 512, 16)),
        ("deck colour", paint.png(paint.coloured((0.5, 0.57, 0.62), plate))),
        ("deck normal", paint.normals_of(plate_height, 4.0)),
    ]
    materials = [
        _painted("painted wall", 0, normal=1, rough=0.9),
        _painted("red lead", 2, surface=3),
        _painted("painted rail", None, colour=(0.82, 0.84, 0.82), rough=0.6),
        _painted("deck plate", 6, normal=7, rough=0.7),
        _painted("brass", 4, surface=5),
    ]
    return glb([make() for make in LIGHTHOUSE], "Harbour light", materials, images)


def _painted(
    name: str,
    image: int | None,
    normal: int | None = None,
    surface: int | None = None,
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0),
    rough: float = 1.0,
) -> dict[str, Any]:
    pbr: dict[str, Any] = {"baseColorFactor": [*colour, 1.0], "roughnessFactor": rough}
    pbr["metallicFactor"] = 1.0 if surface is not None else 0.0
    if image is not None:
        pbr["baseColorTexture"] = {"index": image}
    if surface is not None:
        pbr["metallicRoughnessTexture"] = {"index": surface}
    out: dict[str, Any] = {"name": name, "pbrMetallicRoughness": pbr}
    if normal is not None:
        out["normalTexture"] = {"index": normal}
    return out


@cache
def files() -> dict[str, bytes]:
    """All files of the demo project by name."""
    planks, planks_rough = paint.planks(1024)
    return {
        "lighthouse.glb": _lighthouse(),
        "yard.obj": obj(yard()).encode(),
        "yard.mtl": MTL.encode(),
        "wood_colour.png": paint.png(paint.coloured((0.38, 0.31, 0.24), planks)),
        "wood_roughness.png": paint.png(planks_rough[::2, ::2, None]),
        "lead_colour.png": paint.png(
            paint.coloured((0.67, 0.28, 0.19), 0.08 * paint.mottled(512, 17))
        ),
        "lead_roughness.png": paint.png(0.43 + 0.05 * paint.mottled(512, 18)[..., None]),
        "rope_colour.png": paint.png(paint.coloured((0.68, 0.58, 0.4), paint.rope(512))),
        "notices_colour.png": paint.notices(512),
        "lamps.glb": glb(
            lamps(),
            "Storm lamps",
            [_painted("lamp iron", None, colour=(0.82, 0.84, 0.82), rough=0.5)],
        ),
    }
