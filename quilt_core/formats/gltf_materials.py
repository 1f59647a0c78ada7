"""Materials of a glTF document, with the bytes of their textures."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.formats._images import image_bytes, image_of
from quilt_core.formats._texture_transform import to_stored
from quilt_core.formats.gltf_read import GltfSource
from quilt_core.scene.model import Scene, Siblings
from quilt_core.textures.materials import (
    CLAMP,
    MIRRORED,
    PLAIN,
    REPEAT,
    Slot,
    TextureBinding,
    TexturedMaterial,
    texture_matrix,
)
from quilt_core.textures.painted import Painted

WRAPS = {33071: CLAMP, 33648: MIRRORED, 10497: REPEAT}
NEAREST = (9728, 9984, 9986)
COLOURS = ("sheenColorTexture", "specularColorTexture", "diffuseTexture")
ALPHA_COLOURS = ("specularGlossinessTexture",)
"""Textures of extensions whose colours are sRGB."""
STRENGTH = "KHR_materials_emissive_strength"
NO_STATE = ("pbrMetallicRoughness", "normalTexture", "occlusionTexture", "emissiveTexture",
            "emissiveFactor", "name")  # fmt: skip


@dataclass(frozen=True, eq=False)
class MaterialBook:
    """Materials of a file, the last one for faces without any.

    Parameters
    ----------
    materials : tuple of TexturedMaterial
    images : dict
        Number to bytes of those that are used; None where they are not there.
    names : dict
        What each texture is called in the file.
    """

    materials: tuple[TexturedMaterial, ...]
    images: dict[int, bytes | None]
    names: dict[int, str]


def gltf_materials(
    doc: dict[str, Any], buffers: Sequence[bytes], siblings: Siblings | None
) -> MaterialBook:
    """Read the materials of a checked glTF document."""
    own_materials = [_material(doc, i, entry) for i, entry in enumerate(doc.get("materials", []))]
    own_materials.append(TexturedMaterial("plain", {}, dict(PLAIN), state_of({})))
    used = {binding.image for textured in own_materials for binding in textured.bindings.values()}
    images = {k: image_bytes(doc, buffers, siblings, k) for k in sorted(used)}
    names = {}
    for k in images:
        entry = doc["images"][k]
        uri = str(entry.get("uri", ""))
        names[k] = str(
            entry.get("name") or ("" if uri.startswith("data:") else uri) or f"image {k}"
        )
    return MaterialBook(tuple(own_materials), images, names)


def _material(doc: dict[str, Any], number: int, entry: dict[str, Any]) -> TexturedMaterial:
    pbr = entry.get("pbrMetallicRoughness", {})
    extensions = entry.get("extensions", {})
    infos: dict[str, dict[str, Any] | None] = {
        "baseColor": pbr.get("baseColorTexture"),
        "metallicRoughness": pbr.get("metallicRoughnessTexture"),
        "normal": entry.get("normalTexture"),
        "occlusion": entry.get("occlusionTexture"),
        "emissive": entry.get("emissiveTexture"),
    }
    slots: list[Slot] = []
    for name, what in sorted(extensions.items()):
        for key, info in sorted(what.items()) if isinstance(what, dict) else ():
            if key.endswith("Texture") and isinstance(info, dict):
                slot = _extension_slot(name, key)
                slots.append(slot)
                infos[slot.name] = info
    strength = _number(extensions.get(STRENGTH), "emissiveStrength")
    factors = {
        "baseColor": _numbers(pbr.get("baseColorFactor"), (1.0,) * 4),
        "metallicRoughness": (_number(pbr, "roughnessFactor"), _number(pbr, "metallicFactor")),
        "normal": (_number(entry.get("normalTexture"), "scale"),),
        "occlusion": (_number(entry.get("occlusionTexture"), "strength"),),
        "emissive": tuple(
            strength * value for value in _numbers(entry.get("emissiveFactor"), (0.0,) * 3)
        ),
    }
    for slot in slots:
        if slot.kind == "normal":
            factors[slot.name] = (_number(infos[slot.name], "scale"),)
    bindings = {
        name: binding
        for name, info in infos.items()
        if info and (binding := _binding(doc, info)) is not None
    }
    return TexturedMaterial(
        str(entry.get("name") or f"material {number}"), bindings, factors, state_of(entry),
        str(entry.get("alphaMode", "OPAQUE")), tuple(slots), entry,
    )  # fmt: skip


def _number(holder: Any, key: str) -> float:
    """A factor; 1 where there is none, or what is there is no number."""
    return _numbers([holder.get(key)] if isinstance(holder, dict) else None, (1.0,))[0]


def _numbers(values: Any, usual: tuple[float, ...]) -> tuple[float, ...]:
    if not isinstance(values, list) or len(values) != len(usual):
        return usual
    fine = all(
        isinstance(v, int | float) and not isinstance(v, bool) and abs(v) < 1e30 for v in values
    )
    return tuple(float(v) for v in values) if fine else usual


def _extension_slot(extension: str, key: str) -> Slot:
    name = f"{extension}.{key}"
    if key.endswith("NormalTexture"):
        return Slot(name, "normal", (0, 1, 2))
    if key in ALPHA_COLOURS or key == "diffuseTexture":
        return Slot(name, "alpha colour", (0, 1, 2, 3))
    return Slot(name, "colour" if key in COLOURS else "data", (0, 1, 2, 3))


def state_of(entry: dict[str, Any]) -> str:
    """Of materials with equal texts one can be made."""
    state = {key: value for key, value in entry.items() if key not in NO_STATE}
    extensions = {
        name: {
            # What has normals of its own is not what has none.
            key: value if not key.endswith("Texture") else True
            for key, value in what.items()
            if not key.endswith("Texture") or key.endswith("NormalTexture")
        }
        if isinstance(what, dict)
        else what
        for name, what in entry.get("extensions", {}).items()
        if name != STRENGTH
    }
    state["extensions"] = extensions
    if state.get("alphaMode", "OPAQUE") != "MASK":
        state.pop("alphaCutoff", None)
    else:
        state.setdefault("alphaCutoff", 0.5)
    state.setdefault("alphaMode", "OPAQUE")
    state.setdefault("doubleSided", False)
    return json.dumps(state, sort_keys=True, default=str)


def _binding(doc: dict[str, Any], info: dict[str, Any]) -> TextureBinding | None:
    image = image_of(doc, info)
    if image is None:
        return None
    texture = doc["textures"][info.get("index", 0)]
    samplers = doc.get("samplers", [])
    number = texture.get("sampler", -1)
    sampler = samplers[number] if 0 <= number < len(samplers) else {}
    transform = info.get("extensions", {}).get("KHR_texture_transform") or {}
    return TextureBinding(
        image=image,
        channel=int(transform.get("texCoord", info.get("texCoord", 0))),
        matrix=texture_matrix(transform),
        wrap=(
            WRAPS.get(sampler.get("wrapS", 10497), REPEAT),
            WRAPS.get(sampler.get("wrapT", 10497), REPEAT),
        ),
        nearest=sampler.get("magFilter") == 9728,
    )


def painted_objects(scene: Scene, first_material: int) -> list[Painted]:
    """The objects of a file with their stored UVs; materials count from `first_material`, faces without
    one have the last look of the file."""
    source: GltfSource = scene.source
    none = first_material + len(scene.materials)
    out = []
    for obj in scene.objects:
        material = obj.mesh.face_material
        corner_material = material[obj.mesh.corner_face]
        stored = []
        for k, channel in enumerate(obj.mesh.channels):
            uv = channel.per_corner.copy()
            for number in np.unique(corner_material):
                matrix = source.transforms.get((int(number), k))
                if matrix is not None:
                    mine = corner_material == number
                    uv[mine] = to_stored(uv[mine], matrix)
            stored.append(np.stack([uv[:, 0], 1.0 - uv[:, 1]], axis=1))
        textured = np.where(material >= 0, first_material + material, none)
        out.append(Painted(obj, scene.metres_per_unit, textured, tuple(stored)))
    return out
