"""Write a glTF document back with new UVs in one set.

Float UVs that nothing else shares are overwritten in place and the JSON stays as it is. Otherwise
new accessors are appended. A vertex that two islands share (they touch in one point) is split; then
all its attributes and morph targets are copied for the new vertex.
"""

from __future__ import annotations

import base64
import copy
import json
import re
import struct
from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import quote, unquote

import numpy as np
from numpy.typing import NDArray

from quilt_core.formats._accessors import Buffers
from quilt_core.formats._append import Appender
from quilt_core.formats._texture_transform import to_stored
from quilt_core.formats.gltf_read import (
    BIN_CHUNK,
    JSON_CHUNK,
    GltfSource,
    PrimitivePart,
    further_chunks,
)
from quilt_core.scene.model import Scene
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import weld_ids

ARRAY, ELEMENTS = 34962, 34963


def write_gltf(
    scene: Scene,
    channel: int,
    corner_uvs: Sequence[FloatArray | None],
    side_names: Mapping[str, str] | None = None,
) -> dict[str, bytes]:
    """The file, and its first side file when that changed; see `quilt_core.formats.write_scene`."""
    source: GltfSource = scene.source
    if all(new is None for new in corner_uvs):
        return {scene.name: source.data}
    doc = copy.deepcopy(source.doc)
    buffers = list(source.buffers)
    appender = Appender(doc, buffers)
    writer = _UVWriter(scene.name, doc, buffers, appender, channel, source.transforms)
    for mesh, parts, new in zip(source.mesh_of_object, source.parts, corner_uvs, strict=True):
        if new is not None:
            for part in parts:
                writer.primitive(
                    doc["meshes"][mesh]["primitives"][part.primitive], part, new[part.corners]
                )
    writer.overwrite_in_place()
    appender.finish()
    return pack_document(scene.name, doc, buffers, source, side_names or {})


class _UVWriter:
    def __init__(
        self,
        name: str,
        doc: dict[str, Any],
        buffers: list[bytes],
        appender: Appender,
        channel: int,
        transforms: dict[tuple[int, int], FloatArray],
    ) -> None:
        self.name, self.doc, self.buffers, self.appender = name, doc, buffers, appender
        self.channel, self.transforms = channel, transforms
        self.reader = Buffers(name, doc, list(buffers))
        self.own = _exclusive_accessors(doc, self.reader, f"TEXCOORD_{channel}")
        self.pending: dict[int, tuple[FloatArray, NDArray[np.bool_]]] = {}

    def primitive(self, primitive: dict[str, Any], part: PrimitivePart, seen: FloatArray) -> None:
        key = f"TEXCOORD_{self.channel}"
        attributes = primitive["attributes"]
        flipped = to_stored(
            seen, self.transforms.get((primitive.get("material", -1), self.channel))
        )
        wanted = np.stack([flipped[:, 0], 1.0 - flipped[:, 1]], axis=1)
        has = np.asarray(np.isfinite(wanted).all(axis=1))
        if not has.any():
            return
        count = self.doc["accessors"][attributes["POSITION"]]["count"]
        old = self.reader.numbers(attributes[key]) if key in attributes else np.zeros((count, 2))
        stored = np.where(has[:, None], wanted, old[part.vertex]).astype(np.float32)
        groups = weld_ids(part.vertex, stored[:, 0], stored[:, 1])
        _, first = np.unique(groups, return_index=True)
        _, keeper = np.unique(part.vertex[np.sort(first)], return_index=True)
        keepers = np.sort(first)[keeper]
        values = old.astype(np.float32)
        values[part.vertex[keepers]] = stored[keepers]
        extra = np.setdiff1d(first, keepers)
        if len(extra):
            self._split(primitive, part, groups, extra, values, stored)
            return
        accessor = attributes.get(key)
        if accessor in self.own and self._merge(accessor, part.vertex, values):
            return
        attributes[key] = self._add_uv(values, accessor)

    def _merge(self, accessor: int, vertex: IntArray, values: NDArray[np.float32]) -> bool:
        """Note values for overwriting; False when another primitive wants something else there."""
        merged, taken = self.pending.setdefault(
            accessor, (self.reader.numbers(accessor), np.zeros(len(values), bool))
        )
        used = np.unique(vertex)
        clash = used[taken[used]]
        if not np.array_equal(merged[clash], values[clash].astype(np.float64)):
            return False
        merged[used] = values[used]
        taken[used] = True
        return True

    def _add_uv(self, values: NDArray[np.float32], old: int | None) -> int:
        model: dict[str, Any] = {"componentType": 5126, "type": "VEC2"}
        if old is not None and "name" in self.doc["accessors"][old]:
            model["name"] = self.doc["accessors"][old]["name"]
        return self.appender.add_accessor(values, model, ARRAY)

    def _split(
        self,
        primitive: dict[str, Any],
        part: PrimitivePart,
        groups: IntArray,
        extra: IntArray,
        values: NDArray[np.float32],
        stored: NDArray[np.float32],
    ) -> None:
        count = len(values)
        if primitive.get("mode", 4) != 4:
            # A strip or fan whose vertices part is no strip any more: its triangles are written one
            # by one.
            primitive["mode"] = 4
        index = part.vertex.copy()
        place = np.full(int(groups.max()) + 1, -1, np.int64)
        place[groups[extra]] = count + np.arange(len(extra))
        moved = place[groups] >= 0
        index[moved] = place[groups[moved]]
        origin = part.vertex[extra]
        key = f"TEXCOORD_{self.channel}"
        for holder in [primitive["attributes"], *primitive.get("targets", [])]:
            for name, accessor in list(holder.items()):
                if name == key:
                    continue
                rows = self.reader.raw(accessor)
                model = self.doc["accessors"][accessor]
                holder[name] = self.appender.add_accessor(
                    np.concatenate([rows, rows[origin]]), model, ARRAY
                )
        primitive["attributes"][key] = self._add_uv(
            np.concatenate([values, stored[extra]]), primitive["attributes"].get(key)
        )
        wide = np.uint16 if index.max() < 65535 else np.uint32
        model = {"componentType": 5123 if wide is np.uint16 else 5125, "type": "SCALAR"}
        primitive["indices"] = self.appender.add_accessor(
            index.astype(wide)[:, None], model, ELEMENTS
        )

    def overwrite_in_place(self) -> None:
        """Write the noted values over the old ones, in the stored layout."""
        for accessor, (values, _) in self.pending.items():
            entry = self.doc["accessors"][accessor]
            view = self.doc["bufferViews"][entry["bufferView"]]
            start = view.get("byteOffset", 0) + entry.get("byteOffset", 0)
            stride = view.get("byteStride", 0) or 8
            data = bytearray(self.buffers[view["buffer"]])
            np.ndarray((len(values), 2), "<f4", data, start, (stride, 4))[:] = values
            self.buffers[view["buffer"]] = bytes(data)
            if "min" in entry:
                rows = values.astype(np.float32)
                entry["min"], entry["max"] = rows.min(axis=0).tolist(), rows.max(axis=0).tolist()


def _exclusive_accessors(doc: dict[str, Any], reader: Buffers, key: str) -> set[int]:
    """Plain float accessors that are used as `key` only and whose bytes no other accessor
    touches."""
    as_key: set[int] = set()
    otherwise: set[int] = set()
    for mesh in doc.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            for name, accessor in primitive.get("attributes", {}).items():
                (as_key if name == key else otherwise).add(accessor)
            for target in primitive.get("targets", []):
                otherwise.update(target.values())
    out: set[int] = set()
    views: dict[int, list[int]] = {}
    for index, entry in enumerate(doc.get("accessors", [])):
        views.setdefault(entry.get("bufferView", -1), []).append(index)
    for accessor in as_key - otherwise:
        entry = doc["accessors"][accessor]
        if entry["componentType"] != 5126 or "sparse" in entry or "bufferView" not in entry:
            continue
        mine = reader.byte_range(accessor)
        rivals = [reader.byte_range(i) for i in views[entry["bufferView"]] if i != accessor]
        stride = doc["bufferViews"][entry["bufferView"]].get("byteStride", 0)
        if mine is None:
            continue
        # Interleaved neighbours overlap as ranges; within one stride their bytes stay apart.
        if all(
            r is None
            or r[1] >= mine[2]
            or r[2] <= mine[1]
            or (stride and abs(r[1] - mine[1]) < stride)
            for r in rivals
        ):
            out.add(accessor)
    return out


def json_like(before: bytes, doc: dict[str, Any]) -> bytes:
    """A document as JSON text, indented, with the line ends, and ended as the text that it was read from."""
    text = before.decode("utf-8-sig", "replace")
    found = re.match(r"\s*[{\[](\r?\n)([ \t]*)", text)
    if found is None:
        compact = re.match(r'\s*\{"[^"]*":\S', text)
        separators = (",", ":") if compact else (", ", ": ")
        out = json.dumps(doc, ensure_ascii=False, separators=separators)
    else:
        out = json.dumps(doc, ensure_ascii=False, indent=found[2]).replace("\n", found[1])
    return (out + text[len(text.rstrip()) :]).encode()


def pack_document(
    name: str,
    doc: dict[str, Any],
    buffers: list[bytes],
    source: GltfSource,
    side_names: Mapping[str, str],
) -> dict[str, bytes]:
    """A document and its buffers as files: the file itself, and side files; `side_names` are new
    names for those that changed."""
    out: dict[str, bytes] = {}
    for index, data in enumerate(buffers):
        entry = doc["buffers"][index]
        uri = entry.get("uri")
        if uri is None and source.binary:
            continue
        if uri is None or uri.startswith("data:"):
            head = uri.partition(",")[0] if uri else "data:application/octet-stream;base64"
            if uri is None or data != source.buffers[index]:
                entry["uri"] = head + "," + base64.b64encode(data).decode()
        else:
            own = unquote(uri)
            if own in side_names and data != source.buffers[index]:
                own = side_names[own]
                entry["uri"] = quote(own)
            out[own] = data
    if not source.binary:
        out[name] = json_like(source.data, doc)
        return out
    text = json.dumps(doc, ensure_ascii=False, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), JSON_CHUNK) + text
    if buffers and "uri" not in doc["buffers"][0]:
        body = buffers[0] + b"\0" * (-len(buffers[0]) % 4)
        chunks += struct.pack("<II", len(body), BIN_CHUNK) + body
    chunks += further_chunks(source.data)
    out[name] = struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks
    return out
