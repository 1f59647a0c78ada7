"""Append data to a glTF document without touching what is there."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


class Appender:
    """Collects new buffer views at the end of the first buffer.

    Parameters
    ----------
    doc : dict
        glTF JSON, changed in place.
    buffers : list of bytes
        Its buffers, the first one replaced by `finish`.
    """

    def __init__(self, doc: dict[str, Any], buffers: list[bytes]) -> None:
        self.doc, self.buffers = doc, buffers
        if not buffers:
            buffers.append(b"")
            doc.setdefault("buffers", []).append({"byteLength": 0})
        self._tail: list[bytes] = []
        self._length = len(buffers[0])

    def add_view(self, rows: NDArray[Any], target: int) -> int:
        """Append rows, each padded to 4 bytes as vertex attributes must be; returns the view's
        index."""
        self._pad()
        raw = np.ascontiguousarray(rows)
        item = raw.dtype.itemsize * raw.shape[1]
        stride = -(-item // 4) * 4 if target == 34962 else item
        body = raw.tobytes()
        if stride != item:
            wide = np.zeros((len(raw), stride), np.uint8)
            wide[:, :item] = np.frombuffer(body, np.uint8).reshape(len(raw), item)
            body = wide.tobytes()
        view: dict[str, Any] = {
            "buffer": 0,
            "byteOffset": self._length,
            "byteLength": len(body),
            "target": target,
        }
        if target == 34962 and stride != item:
            view["byteStride"] = stride
        self._tail.append(body)
        self._length += len(body)
        self.doc.setdefault("bufferViews", []).append(view)
        return len(self.doc["bufferViews"]) - 1

    def add_accessor(self, rows: NDArray[Any], model: dict[str, Any], target: int) -> int:
        """Append an accessor like `model` that holds other rows; returns its index."""
        accessor = {
            key: value
            for key, value in model.items()
            if key not in ("bufferView", "byteOffset", "sparse", "min", "max")
        }
        accessor |= {"bufferView": self.add_view(rows, target), "count": len(rows)}
        if "min" in model:
            accessor["min"], accessor["max"] = rows.min(axis=0).tolist(), rows.max(axis=0).tolist()
        self.doc["accessors"].append(accessor)
        return len(self.doc["accessors"]) - 1

    def finish(self) -> None:
        """Join the new data to the first buffer."""
        if not self._tail:
            return
        self._pad()
        self.buffers[0] = b"".join([self.buffers[0], *self._tail])
        self.doc["buffers"][0]["byteLength"] = len(self.buffers[0])

    def _pad(self) -> None:
        short = -self._length % 4
        if short:
            self._tail.append(b"\0" * short)
            self._length += short
