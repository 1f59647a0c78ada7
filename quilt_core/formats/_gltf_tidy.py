"""Take out of a glTF document what nothing refers to any more: materials, textures, images, samplers
and the bytes behind them.

Reference: glTF 2.0 specification (ISO/IEC 12113:2022), 3.6 and 3.8.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from quilt_core.formats.channels import material_holders

OF_TEXTURES = ("KHR_texture_transform", "EXT_texture_webp", "EXT_texture_avif", "MSFT_texture_dds",
               "KHR_texture_basisu")  # fmt: skip
"""Extensions that are named as used only while some texture uses them."""


def tidied(doc: dict[str, Any], buffers: list[bytes]) -> tuple[dict[str, Any], list[bytes]]:
    """The document and its buffers without what nothing refers to; the document is changed in
    place."""
    holders = [
        holder
        for mesh in doc.get("meshes", [])
        for primitive in mesh.get("primitives", [])
        for holder in material_holders(primitive)
    ]
    _keep_used(doc, "materials", [(holder, "material") for holder in holders])
    infos = list(_texture_infos(doc.get("materials", [])))
    _keep_used(doc, "textures", [(info, "index") for info in infos])
    textures = doc.get("textures", [])
    sources = [
        (holder, "source")
        for texture in textures
        for holder in [texture, *texture.get("extensions", {}).values()]
        if isinstance(holder, dict) and "source" in holder
    ]
    _keep_used(doc, "images", sources)
    _keep_used(
        doc, "samplers", [(texture, "sampler") for texture in textures if "sampler" in texture]
    )
    _keep_used(doc, "accessors", list(_accessor_holders(doc)))
    _keep_used(doc, "bufferViews", list(_holders(doc, "bufferView")))
    buffers = _compact(doc, buffers)
    text = repr([doc.get(key) for key in ("materials", "textures")])
    for key in ("extensionsUsed", "extensionsRequired"):
        if key in doc:
            doc[key] = [name for name in doc[key] if name not in OF_TEXTURES or name in text]
            if not doc[key]:
                del doc[key]
    return doc, buffers


def _keep_used(doc: dict[str, Any], kind: str, holders: list[tuple[dict[str, Any], str]]) -> None:
    """Only those entries of a list that some holder names; the holders follow."""
    rows = doc.get(kind, [])
    used = sorted({h[key] for h, key in holders if type(h.get(key)) is int and h[key] >= 0})
    number = {old: new for new, old in enumerate(used)}
    for holder, key in holders:
        if type(holder.get(key)) is int and holder[key] >= 0:
            holder[key] = number[holder[key]]
    kept = [rows[k] for k in used]
    if kept:
        doc[kind] = kept
    else:
        doc.pop(kind, None)


def _texture_infos(where: Any) -> Iterator[dict[str, Any]]:
    """All dicts below keys that end in Texture and name one by index."""
    if isinstance(where, dict):
        for key, value in where.items():
            if key == "extras":
                continue
            if key.endswith("Texture") and isinstance(value, dict) and "index" in value:
                yield value
            yield from _texture_infos(value)
    elif isinstance(where, list):
        for value in where:
            yield from _texture_infos(value)


def _accessor_holders(doc: dict[str, Any]) -> Iterator[tuple[dict[str, Any], str]]:
    for mesh in doc.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            if "indices" in primitive:
                yield primitive, "indices"
            for own in [primitive.get("attributes", {}), *primitive.get("targets", [])]:
                for key in own:
                    yield own, key
    for skin in doc.get("skins", []):
        if "inverseBindMatrices" in skin:
            yield skin, "inverseBindMatrices"
    for animation in doc.get("animations", []):
        for sampler in animation.get("samplers", []):
            yield sampler, "input"
            yield sampler, "output"
    for node in doc.get("nodes", []):
        instancing = (node.get("extensions") or {}).get("EXT_mesh_gpu_instancing")
        own = instancing.get("attributes", {}) if isinstance(instancing, dict) else {}
        for key in own:
            yield own, key


def _holders(where: Any, name: str) -> Iterator[tuple[dict[str, Any], str]]:
    if isinstance(where, dict):
        if type(where.get(name)) is int:
            yield where, name
        for key, value in where.items():
            if key != "extras":
                yield from _holders(value, name)
    elif isinstance(where, list):
        for value in where:
            yield from _holders(value, name)


def _compact(doc: dict[str, Any], buffers: list[bytes]) -> list[bytes]:
    """Buffers with only what the views show, each view on a multiple of 8 bytes; views that overlap
    stay as they lie."""
    out: list[bytes] = []
    views = doc.get("bufferViews", [])
    for index, data in enumerate(buffers):
        own = [view for view in views if view["buffer"] == index]
        spans = sorted(
            (v.get("byteOffset", 0), v.get("byteOffset", 0) + v["byteLength"]) for v in own
        )
        merged: list[list[int]] = []
        for start, end in spans:
            if merged and start < merged[-1][1]:
                merged[-1][1] = max(merged[-1][1], end)
            else:
                merged.append([start, end])
        if sum(end - start for start, end in merged) > 0.98 * len(data):
            out.append(data)
            continue
        body, moved = bytearray(), []
        for start, end in merged:
            # What was aligned to 8 bytes stays so.
            body += b"\0" * ((start - len(body)) % 8)
            moved.append((start, end, len(body) - start))
            body += data[start:end]
        find = _mover(moved)
        for view in own:
            view["byteOffset"] = find(view.get("byteOffset", 0))
        out.append(bytes(body))
        doc["buffers"][index]["byteLength"] = len(body)
    return out


def _mover(moved: list[tuple[int, int, int]]) -> Callable[[int], int]:
    def find(offset: int) -> int:
        for start, end, by in moved:
            if start <= offset < end or (start == offset == end):
                return offset + by
        return offset

    return find
