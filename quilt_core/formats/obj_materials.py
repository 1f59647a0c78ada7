"""OBJ and MTL: materials, and files that share one set of textures.

Reference: Wavefront MTL (Kd, Ks, Ke, d, map_*, options -s -o -clamp -bm) and its common extension for
physically based shading (Pr, Pm, map_Pr, map_Pm, norm): common practice, from memory.
"""

from __future__ import annotations

from pathlib import PurePosixPath

import numpy as np

from quilt_core.errors import QuiltError
from quilt_core.formats._images import mtl_image
from quilt_core.formats.gltf_materials import MaterialBook
from quilt_core.formats.numbered import numbered_set
from quilt_core.formats.obj_read import ObjSource
from quilt_core.formats.obj_text import as_utf8, library_names
from quilt_core.scene.model import Scene, Siblings
from quilt_core.textures.decode import decode
from quilt_core.textures.materials import (
    CLAMP,
    PLAIN,
    REPEAT,
    Slot,
    TextureBinding,
    TexturedMaterial,
)
from quilt_core.textures.painted import Painted

KEYS = {
    "map_kd": "baseColor",
    "map_ke": "emissive",
    "map_ks": "specular",
    "map_pr": "roughness",
    "map_pm": "metal",
    "map_d": "opacity",
    "map_ao": "occlusion",
    "norm": "normal",
    "map_kn": "normal",
    "map_bump": "bump",
    "bump": "bump",
}
SLOTS = (
    Slot("specular", "colour", (0, 1, 2)),
    Slot("roughness", "data", (0,)),
    Slot("metal", "data", (0,)),
    Slot("opacity", "data", (0,)),
    Slot("bump", "data", (0,)),
)
COLOURS = ("baseColor", "emissive", "specular")
WRITTEN = {
    "baseColor": "map_Kd", "emissive": "map_Ke", "specular": "map_Ks", "roughness": "map_Pr",
    "metal": "map_Pm", "opacity": "map_d", "occlusion": "map_ao", "normal": "norm", "bump": "map_Bump",
}  # fmt: skip
OWN = ("kd", "ke", "ks", "d", "tr", "pr", "pm", *KEYS)
"""Words of an MTL that are worked into the new material; all others tell materials apart."""


def obj_materials(scene: Scene, siblings: Siblings | None) -> MaterialBook:
    """Materials of an OBJ's materials; the last one for faces without any."""
    source: ObjSource = scene.source
    blocks: dict[str, list[tuple[str, str]]] = {}
    folder: dict[str, PurePosixPath] = {}
    for library in library_names(as_utf8(source.data)):
        data = siblings(library) if siblings else None
        current = ""
        for line in as_utf8(data or b"").decode("utf-8", "replace").splitlines():
            words = line.strip().split(None, 1)
            if not words or words[0].startswith("#"):
                continue
            rest = words[1].strip() if len(words) > 1 else ""
            if words[0] == "newmtl":
                current = rest
                blocks.setdefault(current, [])
                folder[current] = PurePosixPath(library).parent
            elif current in blocks:
                blocks[current].append((words[0], rest))
    names: list[str] = []
    images: dict[int, bytes | None] = {}
    own_materials = []
    for material in scene.materials:
        own_materials.append(
            _material(material.name, blocks.get(material.name, []), folder, names, images, siblings)
        )
    own_materials.append(TexturedMaterial("plain", {}, _factors({}), "obj"))
    return MaterialBook(tuple(own_materials), images, dict(enumerate(names)))


def _material(
    name: str,
    lines: list[tuple[str, str]],
    folder: dict[str, PurePosixPath],
    names: list[str],
    images: dict[int, bytes | None],
    siblings: Siblings | None,
) -> TexturedMaterial:
    bindings: dict[str, TextureBinding] = {}
    said: dict[str, list[float]] = {}
    state = []
    for word, rest in lines:
        key = word.lower()
        if key in KEYS:
            file = str(folder.get(name, PurePosixPath(".")) / mtl_image(rest).replace("\\", "/"))
            file = file.removeprefix("./")
            try:
                many = numbered_set(file, siblings, KEYS[key] in COLOURS)
            except QuiltError:
                many = None  # told as a texture that cannot be read
            file = many.name if many else file
            if file not in names:
                data = siblings(file) if siblings and not many else None
                images[len(names)] = many.data if many else data
                names.append(file)
            number = names.index(file)
            slot = KEYS[key]
            if slot == "bump" and _is_normal_map(file, images[number]):
                slot = "normal"
            binding = _binding(rest, number)
            bindings[slot] = many.binding(binding) if many else binding
        elif key in ("kd", "ke", "ks", "d", "tr", "pr", "pm"):
            said[key] = _numbers(rest)
        else:
            state.append(f"{key} {rest}")
    factors = _factors(said)
    for slot in ("baseColor", "emissive"):
        # Black behind a texture is what exporters write that mean the texture as it is.
        if slot in bindings and max(factors[slot][:3]) < 1e-3:
            factors[slot] = (1.0, 1.0, 1.0, *factors[slot][3:])
    see_through = "opacity" in bindings or factors["opacity"][0] < 1.0
    alpha = "BLEND" if see_through else "OPAQUE"
    return TexturedMaterial(
        name, bindings, factors, f"obj {alpha} " + "; ".join(sorted(state)), alpha, SLOTS,
        {"lines": lines},
    )  # fmt: skip


def _is_normal_map(name: str, data: bytes | None) -> bool:
    """Whether a texture that is named as a bump map holds normals: mostly blue."""
    try:
        pixels = decode(name, data or b"").pixels
    except QuiltError:
        return False
    red, _, blue = pixels[..., :3].reshape(-1, 3).mean(axis=0) / np.iinfo(pixels.dtype).max
    return bool(blue > 0.7 and abs(red - 0.5) < 0.15)


def _factors(said: dict[str, list[float]]) -> dict[str, tuple[float, ...]]:
    def three(key: str, usual: float) -> tuple[float, ...]:
        values = said.get(key) or [usual]
        return tuple(values[:3]) if len(values) >= 3 else (values[0],) * 3

    seen = said.get("d", [1.0])[:1] or [1.0]
    if "tr" in said and "d" not in said and said["tr"]:
        seen = [1.0 - said["tr"][0]]
    return dict(PLAIN) | {
        "baseColor": (*tuple(three("kd", 1.0)), 1.0),
        "emissive": tuple(three("ke", 0.0)),
        "specular": tuple(three("ks", 1.0)),
        "roughness": tuple(said.get("pr", [1.0])[:1] or [1.0]),
        "metal": tuple(said.get("pm", [0.0])[:1] or [0.0]),
        "opacity": tuple(seen),
        "bump": (1.0,),
    }


def _numbers(text: str) -> list[float]:
    out = []
    for word in text.split():
        try:
            out.append(float(word))
        except ValueError:
            break
    return out


def _binding(rest: str, image: int) -> TextureBinding:
    words, at = rest.split(), 0
    scale, offset, clamp = [1.0, 1.0], [0.0, 0.0], False
    while at < len(words) and words[at].startswith("-"):
        option = words[at].lower()
        if option in ("-s", "-o"):
            values = _numbers(" ".join(words[at + 1 : at + 4]))
            target = scale if option == "-s" else offset
            target[: min(2, len(values))] = values[:2]
        elif option == "-clamp" and at + 1 < len(words):
            clamp = words[at + 1].lower() == "on"
        at += 1
    # Read at u s + o with the origin at the bottom left: the same from the top.
    matrix = np.array([[scale[0], 0.0, offset[0]], [0.0, scale[1], 1.0 - scale[1] - offset[1]]])
    wrap = (CLAMP, CLAMP) if clamp else (REPEAT, REPEAT)
    return TextureBinding(image, 0, matrix, wrap)


def painted_obj(scene: Scene, first_material: int) -> list[Painted]:
    """The objects of an OBJ with their UVs; see `painted_objects`."""
    none = first_material + len(scene.materials)
    out = []
    for obj in scene.objects:
        uv = obj.mesh.channels[0].per_corner
        stored = np.stack([uv[:, 0], 1.0 - uv[:, 1]], axis=1)
        material = obj.mesh.face_material
        textured = np.where(material >= 0, first_material + material, none)
        out.append(Painted(obj, scene.metres_per_unit, textured, (stored,)))
    return out
