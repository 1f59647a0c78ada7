"""Wavefront OBJ, read so that it can be written back line by line.

Reference: the OBJ appendix of the file format's original documentation: `v`, `vt`, `f`, `o`, `g`,
`usemtl`, `mtllib`, relative (negative) indices, lines continued with a backslash.
"""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import PurePath
from typing import NoReturn

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import FileFormatError
from quilt_core.formats._images import image_size, mtl_image
from quilt_core.formats._obj_corners import parse_corners
from quilt_core.formats.obj_lines import ObjLines
from quilt_core.formats.obj_text import (
    all_words,
    as_utf8,
    library_names,
    line_number,
    rest_of,
    split_logical,
    words,
)
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.model import Instance, Material, Scene, SceneObject
from quilt_core.scene.types import FloatArray, IntArray

APART = b" \t"
"""What stands between the word of a line and what follows it."""
NO_FACES = (b"l", b"p")
"""What lines with vertices, but no faces, begin with."""
NO_MESH = "Export it again as OBJ with faces."
FARTHEST, FARTHEST_UV = 1e15, 1e6
"""Positions and UVs beyond these are taken for no numbers."""


@dataclass(frozen=True, eq=False)
class ObjSource:
    """What the writer needs: the bytes and lines as they were and which corners each face line
    holds.

    `other_lines` are lines and faces of fewer than three corners: they are kept, and may name
    texture coordinates too.
    """

    data: bytes
    lines: list[bytes]
    vt_lines: IntArray
    face_lines: IntArray
    face_sizes: IntArray
    corner_vt: IntArray
    object_faces: tuple[IntArray, ...]
    texcoords: FloatArray
    other_lines: IntArray


def read_obj(
    name: str,
    data: bytes,
    siblings: Callable[[str], bytes | None] | None = None,
    metres_per_unit: float = 1.0,
) -> Scene:
    """Read an OBJ file; see `quilt_core.formats.read_scene`."""
    text = as_utf8(data)
    if b"\0" in text[:4096]:
        raise FileFormatError("This is binary data, not an OBJ text.", name, NO_MESH)
    with _no_collection():
        return _read(name, data, text, siblings, metres_per_unit)


@contextmanager
def _no_collection() -> Iterator[None]:
    """Hold Python's cycle collector back while millions of short lists are made: it doubles the
    time."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def _read(
    name: str, data: bytes, text: bytes, siblings: Callable[[str], bytes | None] | None, metres_per_unit: float
) -> Scene:  # fmt: skip
    lines = split_logical(text)
    table = ObjLines(lines)
    where = {kind: table.beginning(kind.encode(), APART) for kind in ("v", "vt", "vn", "f")}
    if not len(where["v"]):
        raise FileFormatError("There is no vertex in it: this is not an OBJ mesh.", name, NO_MESH)
    short = _short_faces(table, where["f"])
    short_lines = where["f"][short]
    notes: list[str] = []
    if short.any():
        where["f"] = where["f"][~short]
        notes.append(
            f"{name}: {int(short.sum()):,} faces have fewer than three corners; they stay in the file and have no place in the layout."
        )
    if not len(where["f"]):
        raise FileFormatError("It has 0 faces.", name, NO_MESH)
    positions = _within(_numbers(name, table, where, "v", 3, "vertex"), FARTHEST)
    texcoords = _within(_numbers(name, table, where, "vt", 2, "texture coordinate"), FARTHEST_UV)
    step = _step(lines, where["vt"])
    normals = _numbers(name, table, where, "vn", 3, "normal")
    sizes, vertex, vt, vn = parse_corners(
        name, table, where, len(positions), len(texcoords), len(normals)
    )
    offsets = np.concatenate([[0], np.cumsum(sizes)])

    groups, material_names = _structure(table, where["f"], PurePath(name).stem)
    part = _parts(table, where["f"])
    smoothing = _smoothing(table, where["f"])
    warnings: list[str] = []
    materials = _materials(name, material_names, library_names(text), siblings, warnings)
    objects: list[SceneObject] = []
    others = np.sort(np.concatenate([table.beginning(word, APART) for word in NO_FACES]))
    idle = _idle_vertices(lines, others, vertex, len(positions))
    firsts = [int(vertex[ranges_of(offsets[g[1]], sizes[g[1]])].min()) for g in groups]
    for number, (group_name, faces, face_material) in enumerate(groups):
        corner = ranges_of(offsets[faces], sizes[faces])
        used, local = np.unique(vertex[corner], return_inverse=True)
        used_vt, local_vt = np.unique(vt[corner], return_inverse=True)
        if len(used_vt) and used_vt[0] < 0:
            used_vt, local_vt = used_vt[1:], local_vt - 1
        channel = UVChannel("UV 1", texcoords[used_vt], local_vt.astype(np.int64), step)
        mesh = Mesh(
            positions[used],
            np.concatenate([[0], np.cumsum(sizes[faces])]).astype(np.int64),
            local.astype(np.int64),
            (channel,),
            face_material,
            _rows_or_nan(normals, vn[corner]),
            None if smoothing is None else smoothing[faces],
            None if part is None else part[faces],
            loose=int((_owners(idle, firsts) == number).sum()),
        )
        objects.append(SceneObject(group_name, mesh, (Instance(group_name, "", np.eye(4)),)))
    source = ObjSource(
        data=data,
        lines=lines,
        vt_lines=where["vt"],
        face_lines=where["f"],
        face_sizes=sizes,
        corner_vt=vt,
        object_faces=tuple(g[1] for g in groups),
        texcoords=texcoords,
        other_lines=np.sort(np.concatenate([short_lines, others])),
    )
    return Scene(name, tuple(objects), materials, metres_per_unit, source, (*notes, *warnings))


def _idle_vertices(lines: list[bytes], others: IntArray, vertex: IntArray, count: int) -> IntArray:
    """Vertices that neither a face nor a line uses."""
    idle = np.ones(count, bool)
    idle[vertex] = False
    for row in all_words(lines, others):
        for word in row:
            number = word.partition(b"/")[0]
            if not number.isdigit():
                return np.empty(0, np.int64)  # counted from the end: not worth the work
            if 0 < int(number) <= count:
                idle[int(number) - 1] = False
    return np.flatnonzero(idle)


def _owners(vertices: IntArray, firsts: list[int]) -> IntArray:
    """Object among whose vertices others are written: the last one that began before them."""
    order = np.argsort(firsts, kind="stable")
    place = np.searchsorted(np.array(firsts)[order], vertices, side="right") - 1
    return np.asarray(order[np.maximum(place, 0)])


def _short_faces(table: ObjLines, face_lines: IntArray) -> NDArray[np.bool_]:
    """(F,) face lines with fewer than three corners."""
    plain = table.words(face_lines, 1)
    if plain is not None:
        return plain[1] < 3
    return np.array([len(row) < 3 for row in all_words(table.lines, face_lines)], bool)


def _within(values: FloatArray, limit: float) -> FloatArray:
    """Numbers beyond a limit are no numbers: nothing can be measured there."""
    return np.where(np.abs(values) < limit, values, np.nan)


def _step(lines: list[bytes], vt_lines: IntArray) -> float:
    """Spacing of texture coordinates that are written with few digits, 0 where there are many."""
    digits = 0
    for i in vt_lines[:: max(1, len(vt_lines) // 500)].tolist():
        for cell in words(lines[i])[:2]:
            if b"e" in cell.lower():
                return 0.0
            digits = max(digits, len(cell.partition(b".")[2]))
    return 10.0**-digits if 2 < digits < 7 else 0.0


def _fail(name: str, lines: list[bytes], logical: int, what: str, fix: str) -> NoReturn:
    raise FileFormatError(what, f"{name}, line {line_number(lines, logical)}", fix)


def _numbers(
    name: str, table: ObjLines, lines_of: dict[str, IntArray], kind: str, want: int, noun: str
) -> FloatArray:
    """The first `want` numbers of each line of a kind; vertex colours and weights behind them are
    left."""
    lines, where = table.lines, lines_of[kind]
    plain = table.numbers(where, len(kind), want)
    if plain is not None:
        plain[~np.isfinite(plain)] = np.nan
        return plain
    rows = all_words(lines, where)
    try:
        if any(len(row) < want for row in rows) and want == 2:
            rows = [row if len(row) > 1 else row + [b"0"] for row in rows]
        out = np.array([float(cell) for row in rows for cell in row[:want]]).reshape(
            len(rows), want
        )
    except ValueError:
        for i, row in zip(where, rows, strict=True):
            try:
                ok = len([float(cell) for cell in row[:want]]) == want
            except ValueError:
                ok = False
            if not ok:
                text = lines[i].decode("utf-8", "replace").strip()[:60]
                _fail(
                    name,
                    lines,
                    int(i),
                    f"“{text}” is not a {noun} with {want} numbers.",
                    "Correct the line or export the file again.",
                )
        raise
    out[~np.isfinite(out)] = np.nan
    return out


def _rows_or_nan(table: FloatArray, index: IntArray) -> FloatArray | None:
    """Rows of a table, NaN where the index is -1; None when no row is asked for."""
    if (index < 0).all():
        return None
    return np.where((index >= 0)[:, None], table[index], np.nan)


def _smoothing(table: ObjLines, face_lines: IntArray) -> IntArray | None:
    """Smoothing group of each face by the `s` lines; None in a file that has none."""
    marks = table.beginning(b"s", APART)
    if not len(marks):
        return None
    groups = [0]
    for i in marks.tolist():
        word = table.lines[i].split()[1:2]
        groups.append(min(int(word[0][:20]), 2**62) if word and word[0].isdigit() else 0)
    return np.array(groups, np.int64)[np.searchsorted(marks, face_lines)]


def _parts(table: ObjLines, face_lines: IntArray) -> IntArray | None:
    """Group of each face by the `g` lines; None in a file whose groups are its objects."""
    marks = table.beginning(b"g", APART)
    if not len(marks) or not len(table.beginning(b"o", APART)):
        return None
    numbers: dict[bytes, int] = {}
    groups = [-1]
    for i in marks.tolist():
        label = b" ".join(table.lines[i].split()[1:])
        groups.append(numbers.setdefault(label, len(numbers)))
    return np.array(groups, np.int64)[np.searchsorted(marks, face_lines)]


def ranges_of(starts: IntArray, sizes: IntArray) -> IntArray:
    """Concatenated ``arange(start, start + size)`` of all rows."""
    total = int(sizes.sum())
    shift = np.repeat(starts - np.concatenate([[0], np.cumsum(sizes)[:-1]]), sizes)
    return np.asarray(np.arange(total) + shift)


Group = tuple[str, IntArray, IntArray]


def _structure(
    table: ObjLines, face_lines: IntArray, unnamed: str
) -> tuple[list[Group], list[str]]:
    """Objects by `o`, or by `g` in a file that has no `o`; material of each face.

    What has no name is called `unnamed`.
    """
    lines = table.lines
    objects = table.beginning(b"o", APART + b"\r\n")
    parts = objects if len(objects) else table.beginning(b"g", APART + b"\r\n")
    begins_object = set(parts.tolist())
    marks = np.union1d(parts, table.beginning(b"usemtl")).tolist()
    names: list[str] = []
    number_of: dict[str, int] = {}
    material_of: dict[str, int] = {}
    face_object = np.zeros(len(face_lines), np.int64)
    face_material = np.full(len(face_lines), -1, np.int64)
    current, material = -1, -1
    previous = 0

    def fill(until: int) -> None:
        nonlocal previous, current
        stop = int(np.searchsorted(face_lines, until))
        if stop > previous and current < 0:
            current = number_of.setdefault(unnamed, len(names))
            if current == len(names):
                names.append(unnamed)
        face_object[previous:stop] = current
        face_material[previous:stop] = material
        previous = stop

    for i in marks:
        rest = rest_of(lines[i])
        if i in begins_object:
            fill(i)
            label = rest or unnamed
            current = number_of.setdefault(label, len(names))
            if current == len(names):
                names.append(label)
        else:
            fill(i)
            material = material_of.setdefault(rest, len(material_of))
    fill(len(lines))
    order = np.argsort(face_object, kind="stable")
    cuts = np.searchsorted(face_object[order], np.arange(len(names) + 1))
    groups = [
        (label, faces, face_material[faces])
        for number, label in enumerate(names)
        if len(faces := order[cuts[number] : cuts[number + 1]])
    ]
    return groups, list(material_of)


def _materials(
    name: str,
    wanted: list[str],
    libraries: list[str],
    siblings: Callable[[str], bytes | None] | None,
    warnings: list[str],
) -> tuple[Material, ...]:
    colours: dict[str, tuple[float, float, float]] = {}
    images: dict[str, tuple[int, int] | None] = {}
    for library in libraries:
        data = siblings(library) if siblings else None
        if data is None and siblings and " " in library:
            # Several names in one line.
            several = [found for word in library.split() if (found := siblings(word)) is not None]
            data = b"\n".join(several) if several else None
        if data is None:
            if siblings:
                warnings.append(
                    f"{name}: the material file “{library}” is not beside it; materials keep their names only."
                )
            continue
        current = ""
        for line in as_utf8(data).decode("utf-8", "replace").splitlines():
            parts = line.split()
            if parts[:1] == ["newmtl"]:
                current = line.strip().split(None, 1)[1] if len(parts) > 1 else ""
            elif parts[:1] == ["Kd"] and len(parts) >= 4:
                try:
                    colours[current] = (float(parts[1]), float(parts[2]), float(parts[3]))
                except ValueError:
                    warnings.append(f"{library}: the colour of “{current}” cannot be read.")
            elif parts[:1] == ["map_Kd"] and len(parts) > 1 and siblings and current in wanted:
                file = mtl_image(line.strip().split(None, 1)[1])
                image = siblings(file) if file else None
                if image is None:
                    warnings.append(
                        f"{library}: the texture “{file}” is not there; its proportions are taken to be square."
                    )
                images[current] = image_size(image) if image else None
    return tuple(
        Material(label, colours.get(label, (0.8, 0.8, 0.8)), images.get(label)) for label in wanted
    )
