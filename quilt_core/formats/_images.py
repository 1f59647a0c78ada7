"""Sizes of the textures that materials use, read from their headers."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Sequence
from typing import Any
from urllib.parse import unquote

from quilt_core.errors import QuiltError
from quilt_core.scene.model import Siblings
from quilt_core.textures.pictures import opened

Size = tuple[int, int]

ROLES = ("normalTexture", "occlusionTexture", "emissiveTexture")
SOURCES = ("EXT_texture_webp", "EXT_texture_avif", "MSFT_texture_dds")
"""Extensions that name another image of a texture."""
MOST_TEXTURES = 512


def image_size(data: bytes) -> Size | None:
    """Width and height of a texture in px, from its header; None when it cannot be read."""
    try:
        with opened("", data) as pixels:
            width, height = pixels.size
    except QuiltError:  # whatever is wrong with a texture is no fault of the mesh
        return None
    return (width, height) if width > 0 and height > 0 else None


def gltf_image_sizes(
    doc: dict[str, Any], buffers: Sequence[bytes], siblings: Siblings | None
) -> list[Size | None]:
    """Size of each material's texture: that of its base colour, else the first of another role.

    Parameters
    ----------
    doc : dict
        A checked glTF document.
    buffers : sequence of bytes
    siblings : callable, optional
        Reader of files beside the mesh.
    """
    known: dict[int, Size | None] = {}

    def size_of(image: int) -> Size | None:
        if image not in known:
            data = (
                image_bytes(doc, buffers, siblings, image) if len(known) < MOST_TEXTURES else None
            )
            known[image] = image_size(data) if data else None
        return known[image]

    out: list[Size | None] = []
    for material in doc.get("materials", []):
        pbr = material.get("pbrMetallicRoughness", {})
        infos = [
            pbr.get("baseColorTexture"),
            *(material.get(r) for r in ROLES),
            pbr.get("metallicRoughnessTexture"),
        ]
        found = None
        for info in infos:
            image = image_of(doc, info) if info else None
            found = size_of(image) if image is not None else None
            if found:
                break
        out.append(found)
    return out


def image_of(doc: dict[str, Any], info: dict[str, Any]) -> int | None:
    textures, images = doc.get("textures", []), doc.get("images", [])
    number = info.get("index", 0)
    texture = textures[number] if number < len(textures) else {}
    choices = [texture.get("source")]
    extensions = texture.get("extensions")
    if isinstance(extensions, dict):
        choices += [
            e.get("source") for key in SOURCES if isinstance(e := extensions.get(key), dict)
        ]
    return next((c for c in choices if type(c) is int and 0 <= c < len(images)), None)


def image_bytes(
    doc: dict[str, Any], buffers: Sequence[bytes], siblings: Siblings | None, number: int
) -> bytes | None:
    entry = doc["images"][number]
    uri = entry.get("uri")
    if uri is None:
        view = doc.get("bufferViews", [])[entry["bufferView"]] if "bufferView" in entry else None
        if view is None or view["buffer"] >= len(buffers):
            return None
        start = view.get("byteOffset", 0)
        return bytes(buffers[view["buffer"]][start : start + view["byteLength"]])
    if uri.startswith("data:"):
        try:
            return base64.b64decode(uri.partition(",")[2])
        except (binascii.Error, ValueError):
            return None
    try:
        return siblings(unquote(uri)) if siblings else None
    except (OSError, ValueError):
        return None


def mtl_image(words: str) -> str:
    """File name in a map line of an MTL, behind its options (MTL specification: ``-name value…``).

    Examples
    --------
    >>> mtl_image("-s 1 1 1 -clamp on wood grain.png")
    'wood grain.png'
    """
    counts = {
        "-bm": 1,
        "-blendu": 1,
        "-blendv": 1,
        "-boost": 1,
        "-cc": 1,
        "-clamp": 1,
        "-imfchan": 1,
        "-mm": 2,
        "-texres": 1,
        "-type": 1,
        "-colorspace": 1,
    }
    parts = words.split()
    at = 0
    while at < len(parts) and parts[at].startswith("-"):
        option = parts[at].lower()
        at += 1
        if option in ("-o", "-s", "-t"):
            taken = 0
            while taken < 3 and at < len(parts) and _is_number(parts[at]):
                at, taken = at + 1, taken + 1
        else:
            at += counts.get(option, 0)
    if at == 0:
        return words.strip()
    return words.split(None, at)[at].strip() if at < len(parts) else ""


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True
