"""Meshes in another folder that go on naming files at their old place."""

from __future__ import annotations

import json
import os
import posixpath
import re
import struct
from collections.abc import Collection
from pathlib import Path
from urllib.parse import quote, unquote

from quilt_core.formats.gltf_read import gltf_text


def renamed(name: str, data: bytes, folder: Path, target: Path, own: Collection[str]) -> bytes:
    """A mesh that names the files in a folder from another one, but for those that lie beside it.

    Parameters
    ----------
    name : str
        Of the mesh; the ending tells the format.
    data : bytes
    folder, target : Path
        Where the files lie that it names, and where it is written to; whole paths.
    own : collection of str
        Names of files that are written beside it.
    """
    suffix = Path(name).suffix.lower()
    if suffix == ".obj":
        return _obj(data, _way(folder, target), own)
    if suffix == ".gltf":
        return _uris(data.decode("utf-8"), _way(folder, target), own).encode("utf-8")
    return _glb(name, data, _way(folder, target), own)


def _way(folder: Path, target: Path) -> str:
    return Path(os.path.relpath(folder, target)).as_posix()


def _obj(data: bytes, way: str, own: Collection[str]) -> bytes:
    def place(found: re.Match[bytes]) -> bytes:
        library = found[2].decode("utf-8", "replace").strip()
        if library in own or Path(library).is_absolute():
            return found[0]
        return found[1] + posixpath.join(way, library.replace("\\", "/")).encode() + found[3]

    return re.sub(rb"(?m)^(\s*mtllib[ \t]+)([^\r\n]*?)([ \t]*)$", place, data)


def _uris(text: str, way: str, own: Collection[str]) -> str:
    """JSON with the addresses of files changed, letter by letter the same else."""

    def place(found: re.Match[str]) -> str:
        uri = json.loads(f'"{found[2]}"')
        if uri.startswith("data:") or unquote(uri) in own or "://" in uri:
            return found[0]
        return found[1] + json.dumps(quote(posixpath.join(way, unquote(uri))))

    return re.sub(r'("uri"\s*:\s*)"((?:[^"\\]|\\.)*)"', place, text)


def _glb(name: str, data: bytes, way: str, own: Collection[str]) -> bytes:
    text = gltf_text(name, data)
    new = _uris(text.decode("utf-8"), way, own).encode("utf-8")
    if new == text:
        return data
    new += b" " * (-len(new) % 4)
    length = struct.unpack_from("<I", data, 12)[0]
    rest = data[20 + length :]
    head = struct.pack("<4sII", b"glTF", 2, 12 + 8 + len(new) + len(rest))
    return head + struct.pack("<I4s", len(new), b"JSON") + new + rest
