"""Write an OBJ back: every line as it was, but for `vt` lines and the vt index in face lines."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from quilt_core.formats.obj_read import ObjSource, ranges_of
from quilt_core.formats.obj_text import encoded_as
from quilt_core.scene.model import Scene
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import weld_ids

_CORNER = re.compile(rb"(-?\d+)(?:/(-?\d*)(/-?\d*)?)?")
_VT = "vt %.10g %.10g"
_PLAIN = re.compile(rb"vt +[-+.\de]+ +[-+.\de]+ *\n")
"""A line of two numbers."""


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
            corners = ranges_of(offsets[faces], source.face_sizes[faces])
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

    # The first new value of a vt line takes its place, others follow before the face they are first used in.
    first = np.sort(first)
    owner = source.corner_vt[first]
    vts, at = np.unique(owner, return_index=True)
    at, vts = at[vts >= 0], vts[vts >= 0]
    in_place = np.full(len(source.vt_lines), -1)
    in_place[vts] = keys[first[at]]
    more = np.ones(len(first), bool)
    more[at] = False
    corner_face = np.repeat(np.arange(len(source.face_sizes)), source.face_sizes)
    extra = first[more]
    # Indices first: a face may point at a vt line further down the file.
    before = np.searchsorted(source.face_lines[corner_face[extra]], source.vt_lines)
    place_of = np.arange(len(source.vt_lines)) + before + 1
    index_of = np.zeros(int(keys.max(initial=-1)) + 2, np.int64)
    index_of[in_place[vts]] = place_of[vts]
    index_of[keys[extra]] = (
        np.arange(len(extra))
        + np.searchsorted(source.vt_lines, source.face_lines[corner_face[extra]])
        + 1
    )
    # A corner whose vt is no number keeps that one.
    kept = np.where(source.corner_vt >= 0, place_of[source.corner_vt], 0) if len(place_of) else 0
    index = np.where(keys >= 0, index_of[keys], kept)

    value_of = np.full((len(index_of), 2), np.nan)
    value_of[keys[first]] = values[first]
    out = list(source.lines)
    new = np.where((in_place >= 0)[:, None], value_of[in_place], source.texcoords)
    changed = np.flatnonzero((in_place >= 0) & (new != source.texcoords).any(axis=1))
    at_lines = source.vt_lines[changed].tolist()
    for line, text in zip(at_lines, _vt_lines(new[changed], out, at_lines), strict=True):
        out[line] = text
    rows = np.arange(len(source.face_sizes))
    if not len(extra):
        # All vt lines are where they were: so are their numbers, also those counted from the end.
        rows = np.unique(corner_face[index != source.corner_vt + 1])
    for face in rows.tolist():
        line = int(source.face_lines[face])
        out[line] = _face_line(out[line], index[offsets[face] : offsets[face + 1]].tolist())
    by_face: dict[int, list[bytes]] = {}
    for corner in extra.tolist():
        line = int(source.face_lines[corner_face[corner]])
        by_face.setdefault(line, []).append(_vt_line(values[corner], source.lines[line]))
    for line, more_lines in by_face.items():
        out[line] = b"".join([*more_lines, out[line]])
    if len(extra):
        places = place_of.tolist()
        for line in source.other_lines.tolist():
            seen = int(np.searchsorted(source.vt_lines, line))
            out[line] = _other_line(out[line], seen, places)
    return b"".join(out)


def _vt_lines(values: FloatArray, lines: list[bytes], which: list[int]) -> list[bytes]:
    """Lines (N,) with other values (N, 2)."""
    text = (f"{_VT}\n" * len(values)) % tuple(values.reshape(-1).tolist())
    plain = text.encode().splitlines(keepends=True)
    return [
        new if _PLAIN.fullmatch(lines[line]) else _vt_line(value, lines[line])
        for new, line, value in zip(plain, which, values, strict=True)
    ]


def _vt_line(value: FloatArray, model: bytes) -> bytes:
    end = b"\r\n" if model.endswith(b"\r\n") else b"\n"
    third = model.split()[3:4] if model.lstrip().startswith(b"vt") else []
    return b" ".join([(_VT % tuple(value)).encode(), *third]) + end


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
