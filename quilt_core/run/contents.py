"""What a file holds, by content: a mark of all of it, and marks of its parts to say what has changed."""

from __future__ import annotations

import hashlib
import io
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any

import numpy as np

from quilt_core.document.project.checks import check_records
from quilt_core.document.project.file import CONTENTS, SUFFIX, open_project
from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene
from quilt_core.formats.file_materials import material_book
from quilt_core.scene.model import SceneObject, Siblings


@dataclass(frozen=True)
class Contents:
    """What is in a mesh file and in the files that it reads.

    Parameters
    ----------
    siblings : mapping
        Names of files beside it that it reads to the marks of their bytes; none for those that are not there.
    objects : mapping
        Name to marks of its shape, its UVs and its materials.
    images : mapping
        Name to the mark of its bytes.
    error : str
        What is wrong when it cannot be read.
    """

    siblings: Mapping[str, str]
    objects: Mapping[str, tuple[str, str, str]]
    images: Mapping[str, str]
    error: str = ""

    def to_json(self) -> dict[str, Any]:
        """For keeping."""
        return {
            "siblings": dict(self.siblings),
            "objects": {name: list(digests) for name, digests in self.objects.items()},
            "textures": dict(self.images),
            "error": self.error,
        }

    @staticmethod
    def from_json(given: Mapping[str, Any]) -> Contents:
        """As it was kept."""
        objects = {name: (m[0], m[1], m[2]) for name, m in given["objects"].items()}
        return Contents(given["siblings"], objects, given["textures"], given["error"])


def digest_of(data: bytes, name: str = "") -> str:
    """Equal for equal bytes; for project files whenever they hold the same, whenever they were written."""
    if not name.lower().endswith(SUFFIX):
        return hashlib.sha256(data).hexdigest()
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            rows = sorted((e.filename, e.CRC, e.file_size) for e in archive.infolist())
    except (zipfile.BadZipFile, ValueError, OSError):
        return hashlib.sha256(data).hexdigest()
    held = [row for row in rows if row[0] != CONTENTS]
    return hashlib.sha256(repr(held).encode()).hexdigest()


def project_contents(name: str, data: bytes) -> Contents:
    """What is in a project file: its objects with their files, layouts and textures."""
    try:
        file = open_project(io.BytesIO(data), name)
        check_records(file)
    except QuiltError as error:
        return Contents({}, {}, {}, str(error))
    project = file.project
    given: dict[int, str] = {}
    for texture in project.textures:
        given[texture.source] = digest_of(f"{given.get(texture.source)} {texture}".encode())
    objects = {}
    for atlas in project.atlases:
        if atlas.state is None:
            continue
        islands, begin = file.islands(atlas.state), 0
        for member in project.states[atlas.state].members:
            obj, own = project.objects[member.object], islands[begin : begin + member.islands]
            begin += member.islands
            said = f"{project.bases[member.base].arrays} {member.weight} {digest_of(own.tobytes())}"
            digests = (project.sources[obj.source].sha256, digest_of(said.encode()), given.get(obj.source, ""))  # fmt: skip
            objects[obj.name if obj.name not in objects else f"{obj.name} ({begin})"] = digests
    return Contents({}, objects, {})


def contents_of(name: str, data: bytes, siblings: Siblings) -> Contents:
    """Read a mesh file, or a project file, to know what it depends on."""
    if name.lower().endswith(SUFFIX):
        return project_contents(name, data)
    read: dict[str, str] = {}

    def noting(file: str) -> bytes | None:
        found = siblings(file)
        read[str(PurePosixPath(file.replace("\\", "/")))] = (
            digest_of(found) if found is not None else ""
        )
        return found

    try:
        scene = read_scene(name, data, noting)
        book = material_book(scene, noting)
    except QuiltError as error:
        return Contents(read, {}, {}, str(error))
    material = [
        str(textured.entry or textured.factors) + textured.state for textured in book.materials
    ]
    objects = {obj.name: _marks(obj, material) for obj in scene.objects}
    images = {
        book.names.get(k, f"texture {k}"): digest_of(found) if found else ""
        for k, found in book.images.items()
    }
    # A file that is looked for among many numbered ones and is not there is no matter of its own.
    kept = {file: digest for file, digest in read.items() if digest or not _numbered(file)}
    return Contents(kept, objects, images)


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
    materials = hashlib.sha256(mesh.face_material.tobytes() + "|".join(words).encode()).hexdigest()
    return shape.hexdigest(), uvs.hexdigest(), materials
