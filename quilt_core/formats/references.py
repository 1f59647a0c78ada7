"""Files that a mesh file names: what has to come along for it to stand by itself."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import Any
from urllib.parse import unquote

from quilt_core.errors import QuiltError
from quilt_core.formats._gltf_types import decode
from quilt_core.formats._images import mtl_image
from quilt_core.formats.gltf_read import gltf_text
from quilt_core.formats.obj_text import as_utf8, library_names
from quilt_core.scene.model import Siblings

TEXTURE = re.compile(r"(map_\w+|bump|disp|decal|norm|refl)$", re.IGNORECASE)
"""Words of an MTL that name a texture.

Reference: Wavefront MTL, and what is common practice for physically based materials."""
FIRST_TILE, LAST_TILE = 1001, 1100


def referenced_files(name: str, data: bytes, siblings: Siblings) -> dict[str, bytes | None]:
    """Files that a mesh names, and those that they name.

    Parameters
    ----------
    name : str
        The mesh's; the ending tells the format.
    data : bytes
    siblings : callable
        Reader of files beside it.

    Returns
    -------
    dict
        Names as the mesh writes them, with slashes; None for a file that is not there. A set of tiles that is named by
        <UDIM> is told by its files; it counts as missing when none of them is there.
    """
    out: dict[str, bytes | None] = {}
    for named in _named(name, data, siblings):
        out |= _found(named, siblings)
    return out


def _found(named: str, siblings: Siblings) -> dict[str, bytes | None]:
    plain = named.replace("\\", "/")
    if "<udim>" not in plain.lower():
        return {plain: siblings(plain)}
    tiles = range(FIRST_TILE, LAST_TILE + 1)
    each = {re.sub("<udim>", str(n), plain, flags=re.IGNORECASE): None for n in tiles}
    there = {one: data for one in each if (data := siblings(one)) is not None}
    return dict(there) if there else {plain: None}


def _named(name: str, data: bytes, siblings: Siblings) -> Iterator[str]:
    suffix = Path(name).suffix.lower()
    try:
        if suffix in (".gltf", ".glb"):
            yield from _in_gltf(decode(name, gltf_text(name, data)))
        elif suffix == ".obj":
            yield from _in_obj(data, siblings)
    except QuiltError:
        return


def _in_gltf(doc: dict[str, Any]) -> Iterator[str]:
    for kind in ("buffers", "images"):
        for entry in doc.get(kind, []):
            uri = entry.get("uri") if isinstance(entry, dict) else None
            if isinstance(uri, str) and uri and not uri.startswith("data:"):
                yield unquote(uri)


def _in_obj(data: bytes, siblings: Siblings) -> Iterator[str]:
    for library in library_names(as_utf8(data)):
        whole = siblings(library)
        parts = [library] if whole is not None or " " not in library else library.split()
        for part in parts:
            yield part
            text = as_utf8(siblings(part) or b"").decode("utf-8", "replace")
            for line in text.splitlines():
                words = line.strip().split(None, 1)
                if len(words) == 2 and TEXTURE.match(words[0]):
                    file = mtl_image(words[1]).replace("\\", "/")
                    folder = PurePosixPath(part.replace("\\", "/")).parent
                    beside = str(folder / file)
                    if file:
                        # Some programs write it relative to the OBJ.
                        yield beside if siblings(beside) is not None else file
