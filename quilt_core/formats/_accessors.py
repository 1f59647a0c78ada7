"""glTF accessors to arrays: packed, interleaved, sparse, quantized.

Reference: glTF 2.0 specification, sections 3.6 (binary data) and 3.11 (accessor encodings).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import FileFormatError
from quilt_core.scene.types import FloatArray

LEAST_ROWS = 65536
COMPONENT_TYPES: dict[int, np.dtype[Any]] = {
    5120: np.dtype("<i1"),
    5121: np.dtype("<u1"),
    5122: np.dtype("<i2"),
    5123: np.dtype("<u2"),
    5125: np.dtype("<u4"),
    5126: np.dtype("<f4"),
}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
DAMAGED = "The file is cut short or damaged; export it again."


class Buffers:
    """Read accessors of one document.

    Parameters
    ----------
    name : str
        File name for error messages.
    doc : dict
        The glTF JSON.
    buffers : list of bytes
        Contents of ``doc["buffers"]`` in order.
    """

    def __init__(self, name: str, doc: dict[str, Any], buffers: list[bytes]) -> None:
        self.name, self.doc, self.buffers = name, doc, buffers

    def fail(self, what: str, where: str) -> FileFormatError:
        """An error about this file."""
        return FileFormatError(what, f"{self.name}, {where}", DAMAGED)

    def raw(self, index: int) -> NDArray[Any]:
        """(count, width) array of an accessor in its stored type, sparse values applied."""
        where = f"accessor {index}"
        accessor = self.doc["accessors"][index]
        dtype = COMPONENT_TYPES.get(accessor["componentType"])
        width, count = WIDTHS.get(accessor["type"]), accessor["count"]
        if dtype is None or width is None:
            raise self.fail(
                f"Its type {accessor['type']!r} of {accessor['componentType']} is unknown.", where
            )
        if "bufferView" in accessor:
            out = self._view(
                int(accessor["bufferView"]),
                int(accessor.get("byteOffset", 0)),
                dtype,
                width,
                count,
                where,
            )
        else:
            # Nothing is stored for these rows; what is there bounds how many there can be.
            if count > max(sum(map(len, self.buffers)), LEAST_ROWS):
                raise self.fail(f"It says it has {count:,} elements, without any data.", where)
            out = np.zeros((count, width), dtype)
        sparse = accessor.get("sparse")
        if sparse:
            at, values = sparse["indices"], sparse["values"]
            n = int(sparse["count"])
            kind = COMPONENT_TYPES.get(at["componentType"])
            if kind is None or kind.kind != "u":
                raise self.fail("Its sparse indices are no whole numbers.", where)
            rows = self._view(at["bufferView"], at.get("byteOffset", 0), kind, 1, n, where)[
                :, 0
            ].astype(np.int64)
            if n and rows.max() >= count:
                raise self.fail("A sparse index is out of range.", where)
            out = out.copy()
            out[rows] = self._view(
                values["bufferView"], values.get("byteOffset", 0), dtype, width, n, where
            )
        return out

    def numbers(self, index: int, width: int | None = None) -> FloatArray:
        """Like `raw`, as float64 with normalized integers scaled to 0–1 or -1–1; refused in another
        width."""
        out = self.raw(index)
        if width is not None and out.shape[1] != width:
            raise self.fail(
                f"It has {out.shape[1]} numbers a row where {width} belong.", f"accessor {index}"
            )
        if not self.doc["accessors"][index].get("normalized") or out.dtype.kind == "f":
            return out.astype(np.float64)
        top = np.iinfo(out.dtype).max
        return np.asarray(np.maximum(out.astype(np.float64) / top, -1.0))

    def whole_numbers(self, index: int) -> NDArray[np.int64]:
        """Values of a scalar accessor of whole numbers, as those of indices must be."""
        out = self.raw(index)
        if out.shape[1] != 1 or out.dtype.kind == "f":
            raise self.fail("Indices must be single whole numbers.", f"accessor {index}")
        return out[:, 0].astype(np.int64)

    def byte_range(self, index: int) -> tuple[int, int, int] | None:
        """Buffer, first and last byte that an accessor may touch."""
        accessor = self.doc["accessors"][index]
        if "bufferView" not in accessor:
            return None
        view = self.doc["bufferViews"][accessor["bufferView"]]
        start = int(view.get("byteOffset", 0)) + int(accessor.get("byteOffset", 0))
        item = COMPONENT_TYPES[accessor["componentType"]].itemsize * WIDTHS[accessor["type"]]
        stride = int(view.get("byteStride", 0)) or item
        return int(view["buffer"]), start, start + stride * (int(accessor["count"]) - 1) + item

    def _view(
        self, view_index: int, offset: int, dtype: np.dtype[Any], width: int, count: int, where: str
    ) -> NDArray[Any]:
        try:
            view = self.doc["bufferViews"][view_index]
            data = self.buffers[view["buffer"]]
            base, length = int(view.get("byteOffset", 0)), int(view["byteLength"])
        except (KeyError, IndexError, TypeError):
            raise self.fail(
                f"It points at buffer view {view_index}, which is not there.", where
            ) from None
        item = dtype.itemsize * width
        stride = int(view.get("byteStride", 0)) or item
        if stride < item:
            raise self.fail(f"Its rows of {item} bytes lie only {stride} bytes apart.", where)
        need = offset + (stride * (count - 1) + item if count else 0)
        if need > length or base + need > len(data) or base < 0 or offset < 0:
            raise self.fail(
                f"It needs {base + need:,} bytes of buffer {view['buffer']}, which has {len(data):,}.",
                where,
            )
        out = np.ndarray((count, width), dtype, data, base + offset, (stride, dtype.itemsize))
        return out.copy()
