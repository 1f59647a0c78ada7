"""What a file holds, by content: a mark of all of it, and marks of its parts to say what has changed."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any

import numpy as np

from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene
from quilt_core.formats.look_facts import look_book
from quilt_core.scene.model import SceneObject

Siblings = Callable[[str], bytes | None]


@dataclass(frozen=True)
class Contents:
    """What is in a mesh file and in the files that it reads.

    Parameters
    ----------
    siblings : mapping
        Names of files beside it that it reads to the marks of their bytes; none for those that are not there.
    objects : mapping
        Name to marks of its shape, its UVs and its materials.
    pictures : mapping
        Name to the mark of its bytes.
    error : str
        What is wrong when it cannot be read.
    """

    siblings: Mapping[str, str]
    objects: Mapping[str, tuple[str, str, str]]
    pictures: Mapping[str, str]
    error: str = ""

    def to_json(self) -> dict[str, Any]:
        """For keeping."""
        return {
            "siblings": dict(self.siblings),
            "objects": {name: list(marks) for name, marks in self.objects.items()},
            "pictures": dict(self.pictures),
            "error": self.error,
        }

    @staticmethod
    def from_json(given: Mapping[str, Any]) -> Contents:
        """As it was kept."""
        objects = {name: (m[0], m[1], m[2]) for name, m in given["objects"].items()}
        return Contents(given["siblings"], objects, given["pictures"], given["error"])


def mark_of(data: bytes) -> str:
    """Equal for equal bytes."""
    return hashlib.sha256(data).hexdigest()


def contents_of(name: str, data: bytes, siblings: Siblings) -> Contents:
    """Read a mesh file to know what it depends on."""
    read: dict[str, str] = {}

    def noting(file: str) -> bytes | None:
        found = siblings(file)
        read[str(PurePosixPath(file.replace("\\", "/")))] = (
            mark_of(found) if found is not None else ""
        )
        return found

    try:
        scene = read_scene(name, data, noting)
        book = look_book(scene, noting)
    except QuiltError as error:
        return Contents(read, {}, {}, str(error))
    material = [str(look.entry or look.factors) + look.state for look in book.looks]
    objects = {obj.name: _marks(obj, material) for obj in scene.objects}
    pictures = {
        book.names.get(k, f"picture {k}"): mark_of(found) if found else ""
        for k, found in book.pictures.items()
    }
    # A file that is looked for among many numbered ones and is not there is no matter of its own.
    kept = {file: mark for file, mark in read.items() if mark or not _numbered(file)}
    return Contents(kept, objects, pictures)


def _numbered(name: str) -> bool:
    stem = PurePosixPath(name).stem
    return len(stem) > 4 and stem[-4:].isdigit() and stem[-4] == "1"


def _marks(obj: SceneObject, material: list[str]) -> tuple[str, str, str]:
    mesh = obj.mesh
    shape = hashlib.sha256()
    for array in (mesh.positions, mesh.face_offsets, mesh.corner_vertex, mesh.corner_normal):
        shape.update(b"none" if array is None else np.ascontiguousarray(array).tobytes())
    for instance in obj.instances:
        shape.update(np.ascontiguousarray(instance.matrix).tobytes())
    uvs = hashlib.sha256()
    for channel in mesh.channels:
        uvs.update(np.nan_to_num(channel.per_corner, nan=-9e9).tobytes())
    used = np.unique(mesh.face_material)
    words = [material[k] if 0 <= k < len(material) else "" for k in used.tolist()]
    looks = hashlib.sha256(mesh.face_material.tobytes() + "|".join(words).encode()).hexdigest()
    return shape.hexdigest(), uvs.hexdigest(), looks
