"""KHR_draco_mesh_compression: unpack primitives into plain accessors when a file is read.

The document keeps everything else; the extension is gone from it afterwards, so that what is
written is an ordinary glTF. Decoding is done by the DracoPy package.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import FileFormatError
from quilt_core.formats._accessors import COMPONENT_TYPES, WIDTHS
from quilt_core.formats._append import Appender

EXTENSION = "KHR_draco_mesh_compression"
CURE = "Export it again without Draco compression."


def expand_draco(name: str, doc: dict[str, Any], buffers: list[bytes]) -> bool:
    """Replace compressed primitives by uncompressed accessors, in place of `doc` and `buffers`; whether there were any.

    Raises
    ------
    FileFormatError
        When the compressed data cannot be decoded.
    """
    packed = [
        (index, primitive)
        for index, mesh in enumerate(doc.get("meshes", []))
        for primitive in mesh.get("primitives", [])
        if EXTENSION in primitive.get("extensions", {})
    ]
    if not packed:
        return False
    import DracoPy

    appender = Appender(doc, buffers)
    for index, primitive in packed:
        where = f"{name}, mesh {index}"
        try:
            extension = primitive["extensions"].pop(EXTENSION)
            view = doc["bufferViews"][extension["bufferView"]]
            start = view.get("byteOffset", 0)
            decoded = DracoPy.decode(
                bytes(buffers[view["buffer"]][start : start + view["byteLength"]])
            )
            for attribute, unique_id in extension["attributes"].items():
                accessor = doc["accessors"][primitive["attributes"][attribute]]
                values = np.asarray(decoded.get_attribute_by_unique_id(unique_id)["data"])
                _fill(appender, accessor, values)
            if "indices" in primitive:
                _fill(
                    appender,
                    doc["accessors"][primitive["indices"]],
                    np.asarray(decoded.faces).reshape(-1, 1),
                )
        except (KeyError, IndexError, TypeError, ValueError, RuntimeError) as error:
            raise FileFormatError(
                f"Its Draco-compressed data cannot be unpacked ({error}).", where, CURE
            ) from None
        except Exception as error:  # DracoPy raises its own kinds
            raise FileFormatError(
                f"Its Draco-compressed data cannot be unpacked ({error}).", where, CURE
            ) from None
        if not primitive["extensions"]:
            del primitive["extensions"]
    for key in ("extensionsUsed", "extensionsRequired"):
        if EXTENSION in doc.get(key, []):
            doc[key] = [e for e in doc[key] if e != EXTENSION]
            if not doc[key]:
                del doc[key]
    appender.finish()
    return True


def _fill(appender: Appender, accessor: dict[str, Any], values: NDArray[Any]) -> None:
    dtype = COMPONENT_TYPES[accessor["componentType"]]
    rows = values.reshape(-1, WIDTHS[accessor["type"]]).astype(dtype)
    if len(rows) != accessor["count"]:
        accessor["count"] = len(rows)
    accessor["bufferView"] = appender.add_view(
        rows, 34963 if accessor["type"] == "SCALAR" else 34962
    )
    accessor.pop("byteOffset", None)
