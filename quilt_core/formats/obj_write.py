"""Write an OBJ back: every line as it was, but for `vt` lines and the vt index in face lines."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from quilt_core.formats.obj_read import ObjSource
from quilt_core.formats.obj_text import encoded_as
from quilt_core.scene.model import Scene
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import weld_ids

_CORNER = re.compile(rb"(-?\d+)(?:/(-?\d*)(/-?\d*)?)?")


def write_obj(scene: Scene, corner_uvs: Sequence[FloatArray | None]) -> bytes:
    """The file's bytes with new UVs; see `quilt_core.formats.write_scene`.

    A `vt` line that keeps one value keeps its place. Where one line was shared by corners that now
    differ, the extra values follow right before the first face that needs them.
    """
    source: ObjSource = scene.source
    offsets = np.concatenate([[0], np.cumsum(source.face_sizes)])
    values = np.full((len(source.corner_vt), 2), np.nan)
    has = source.corner_vt >= 0
    values[has] = source.texcoords[source.corner_vt[has]]
    for faces, new in zip(source.object_faces, corner_uvs, strict=True):
        if new is not None:
            corners = np.concatenate([np.arange(offsets[f], offsets[f + 1]) for f in faces])
            keep = np.asarray(np.isnan(new).any(axis=1))
            values[corners] = np.where(keep[:, None], values[corners], new)
    old = np.full_like(values, np.nan)
    old[has] = source.texcoords[source.corner_vt[has]]
    if np.array_equal(old, values, equal_nan=True):
        return source.data
    return encoded_as(source.data, _emit(source, values, offsets))


def _emit(source: ObjSource, values: FloatArray, offsets: IntArray) -> bytes:
    # One key per (old vt, new value): corners with equal keys can share one vt line.
    known = np.flatnonzero(np.isfinite(values).all(axis=1))
    keys = np.full(len(values), -1, np.int64)
    keys[known] = weld_ids(source.corner_vt[known], values[known, 0], values[known, 1])
    _, first = np.unique(keys[known], return_index=True)
    first = known[first]

    in_place: dict[int, int] = {}
    extras: dict[int, list[int]] = {}
    corner_face = np.repeat(np.arange(len(source.face_sizes)), source.face_sizes)
    for corner in first[np.argsort(first)]:
        key, vt = int(keys[corner]), int(source.corner_vt[corner])
        if vt >= 0 and vt not in in_place:
            in_place[vt] = key
        else:
            extras.setdefault(int(corner_face[corner]), []).append(key)

    value_of = dict(zip(keys[first].tolist(), values[first].tolist(), strict=True))
    out: list[bytes] = []
    index_of: dict[int, int] = {}
    written = 0
    # Indices first: a face may point at a vt line further down the file.
    events = sorted(
        [(int(line), 0, vt) for vt, line in enumerate(source.vt_lines)]
        + [(int(source.face_lines[face]), 1, face) for face in extras]
    )
    place_of: list[int] = [0] * len(source.vt_lines)
    for _, kind, item in events:
        if kind == 0:
            place_of[item] = written + 1
        for key in [in_place.get(item, -1)] if kind == 0 else extras[item]:
            written += 1
            if key >= 0:
                index_of[key] = written

    vt_at = {int(line): vt for vt, line in enumerate(source.vt_lines)}
    face_at = {int(line): face for face, line in enumerate(source.face_lines)}
    keys_list = keys.tolist()
    others = set(source.other_lines.tolist())
    for number, line in enumerate(source.lines):
        if number in vt_at:
            vt = vt_at[number]
            key = in_place.get(vt, -1)
            new = value_of.get(key)
            unchanged = new is None or new == source.texcoords[vt].tolist()
            out.append(line if unchanged else _vt_line(new, line))
        elif number in face_at:
            face = face_at[number]
            out.extend(_vt_line(value_of[key], line) for key in extras.get(face, ()))
            corners = range(offsets[face], offsets[face + 1])
            # A corner whose vt is no number keeps that one.
            kept = [
                place_of[vt] if vt >= 0 else 0
                for vt in source.corner_vt[corners.start : corners.stop]
            ]
            indices = [
                index_of.get(keys_list[c], old) for c, old in zip(corners, kept, strict=True)
            ]
            out.append(_face_line(line, indices))
        elif number in others:
            out.append(_other_line(line, int(np.searchsorted(source.vt_lines, number)), place_of))
        else:
            out.append(line)
    return b"".join(out)


def _vt_line(value: list[float] | None, model: bytes) -> bytes:
    assert value is not None
    end = b"\r\n" if model.endswith(b"\r\n") else b"\n"
    third = model.split()[3:4] if model.lstrip().startswith(b"vt") else []
    return b" ".join([f"vt {value[0]:.10g} {value[1]:.10g}".encode(), *third]) + end


def _other_line(line: bytes, seen: int, place_of: list[int]) -> bytes:
    """Point the vt indices of a line element at where these vt lines stand now; `seen` of them were
    before it."""

    def swap(match: re.Match[bytes]) -> bytes:
        vertex, vt, normal = match.group(1), match.group(2), match.group(3)
        if not vt:
            return match.group(0)
        old = int(vt) - 1 if int(vt) > 0 else seen + int(vt)
        now = str(place_of[old]).encode() if 0 <= old < len(place_of) else vt
        return vertex + b"/" + now + (normal or b"")

    body, mark, comment = line.partition(b"#")
    return _CORNER.sub(swap, body) + mark + comment


def _face_line(line: bytes, indices: list[int]) -> bytes:
    """Replace the vt part of each corner; spaces, comments and continuations stay."""
    left = iter(indices)

    def swap(match: re.Match[bytes]) -> bytes:
        vt = next(left, 0)
        vertex, normal = match.group(1), match.group(3)
        middle = str(vt).encode() if vt else b""
        if normal is not None:
            return vertex + b"/" + middle + normal
        return vertex + b"/" + middle if vt else match.group(0)

    body, mark, comment = line.partition(b"#")
    return _CORNER.sub(swap, body) + mark + comment
