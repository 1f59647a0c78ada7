"""Face lines of an OBJ to vertex and texture coordinate indices."""

from __future__ import annotations

import numpy as np

from quilt_core.errors import FileFormatError
from quilt_core.formats.obj_lines import ObjLines
from quilt_core.formats.obj_text import all_words, line_number
from quilt_core.scene.types import IntArray


def parse_corners(
    name: str,
    table: ObjLines,
    where: dict[str, IntArray],
    v_count: int,
    vt_count: int,
    vn_count: int,
) -> tuple[IntArray, IntArray, IntArray, IntArray]:
    """Corner counts per face, and vertex, vt and vn index (from 0, -1 = none) per corner."""
    plain = table.corners(where["f"])
    if plain is not None:
        sizes, numbers, normals = plain
        none = np.zeros(len(numbers), np.int64)
        vertex = numbers[:, 0]
        vt = numbers[:, 1] if numbers.shape[1] > 1 and not normals else none
        vn = numbers[:, -1] if numbers.shape[1] == 3 or normals else none
    else:
        rows = all_words(table.lines, where["f"])
        sizes = np.fromiter(map(len, rows), np.int64, len(rows))
        vertex, vt, vn = _mixed(name, table.lines, where, rows)
    owner = np.repeat(np.arange(len(sizes)), sizes)
    lines = table.lines
    vertex = _resolve(name, lines, where, vertex, owner, "v", v_count)
    vt = _resolve(name, lines, where, vt, owner, "vt", vt_count)
    vn = _resolve(name, lines, where, vn, owner, "vn", vn_count)
    return sizes, vertex, vt, vn


def _mixed(
    name: str, lines: list[bytes], where: dict[str, IntArray], rows: list[list[bytes]]
) -> tuple[IntArray, IntArray, IntArray]:
    vertex: list[int] = []
    vt: list[int] = []
    vn: list[int] = []
    for face, row in enumerate(rows):
        for cell in row:
            parts = cell.split(b"/")
            try:
                vertex.append(int(parts[0]))
                vt.append(int(parts[1]) if len(parts) > 1 and parts[1] else 0)
                vn.append(int(parts[2]) if len(parts) > 2 and parts[2] else 0)
                if max(abs(vertex[-1]), abs(vt[-1]), abs(vn[-1])) > 2**62:
                    raise ValueError
            except ValueError:
                raise FileFormatError(
                    f"“{cell.decode('utf-8', 'replace')[:40]}” is not a face corner.",
                    f"{name}, line {line_number(lines, int(where['f'][face]))}",
                    "Corners are written v, v/vt, v//vn or v/vt/vn.",
                ) from None
    return np.array(vertex, np.int64), np.array(vt, np.int64), np.array(vn, np.int64)


def _resolve(
    name: str,
    lines: list[bytes],
    where: dict[str, IntArray],
    index: IntArray,
    owner: IntArray,
    kind: str,
    count: int,
) -> IntArray:
    """Absolute and relative indices to 0-based ones, with a word about those out of range."""
    relative = index < 0
    out = index - 1
    if relative.any():
        seen = np.searchsorted(where[kind], where["f"])[owner]
        out = np.where(relative, seen + index, out)
    missing = (index == 0) & (kind != "v")
    bad = np.flatnonzero(~missing & ((out < 0) | (out >= count)))
    if len(bad):
        noun = {"v": "vertex", "vt": "texture coordinate", "vn": "normal"}[kind]
        raise FileFormatError(
            f"A face asks for {noun} {index[bad[0]]}, but the file has {count}.",
            f"{name}, line {line_number(lines, int(where['f'][owner[bad[0]]]))}",
            "The file is cut short or was edited; export it again.",
        )
    return np.asarray(np.where(missing, -1, out))
