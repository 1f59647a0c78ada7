"""One door for all mesh formats."""

from __future__ import annotations

from collections.abc import Callable, Container, Mapping, Sequence
from functools import cache
from pathlib import Path, PurePosixPath
from posixpath import normpath

from quilt_core.errors import FileFormatError, QuiltError
from quilt_core.formats._gltf_types import DAMAGED
from quilt_core.formats.gltf_read import data_files, read_gltf
from quilt_core.formats.gltf_write import write_gltf
from quilt_core.formats.mesh_format import MeshFormat
from quilt_core.formats.obj_read import read_obj
from quilt_core.formats.obj_write import write_obj
from quilt_core.plugins import installed
from quilt_core.scene.model import Scene, Siblings
from quilt_core.scene.types import FloatArray

OBJ = MeshFormat(
    "OBJ",
    (".obj",),
    read_obj,
    lambda scene, channel, corner_uvs, side_names: {scene.name: write_obj(scene, corner_uvs)},
)
GLTF = MeshFormat(
    "glTF",
    (".gltf", ".glb"),
    lambda name, data, siblings, metres_per_unit: read_gltf(name, data, siblings),
    write_gltf,
    data_files,
)


@cache
def formats_by_suffix() -> dict[str, MeshFormat]:
    """Formats of this program, and those of packages that are installed beside it."""
    out = {suffix: one for one in (OBJ, GLTF) for suffix in one.suffixes}
    taken = (OBJ.name, GLTF.name, *out)
    added = installed("formats", MeshFormat, taken, lambda one: one.suffixes)
    return out | {suffix: one for one in added.values() for suffix in one.suffixes}


def format_of(name: str) -> MeshFormat | None:
    """The format of a file, by the ending of its name; None for no mesh."""
    return formats_by_suffix().get(Path(name).suffix.lower())


def is_mesh(name: str) -> bool:
    """Whether a file is a mesh, by the ending of its name."""
    return format_of(name) is not None


def read_scene(
    name: str, data: bytes, siblings: Siblings | None = None, obj_metres_per_unit: float = 1.0
) -> Scene:
    """Read a mesh file.

    Parameters
    ----------
    name : str
        File name; the ending tells the format.
    data : bytes
    siblings : callable, optional
        Reader of files that belong to it (.mtl, .bin). Without it only what is in `data` is read.
    obj_metres_per_unit : float
        Length of an OBJ unit; the format itself has none. glTF is always in metres.

    Raises
    ------
    FileFormatError
        With file and line or object, and what to do.
    """
    if not data:
        raise FileFormatError("The file is empty.", name, "Export it again from where it was made.")
    own = format_of(name)
    if own is None:
        raise FileFormatError(
            f"Files ending in “{Path(name).suffix.lower() or 'nothing'}” are not read.",
            name,
            f"Give a file that ends in {one_of(tuple(formats_by_suffix()))}.",
        )
    try:
        return own.read(name, data, siblings, obj_metres_per_unit)
    except QuiltError:
        raise
    except MemoryError:
        raise FileFormatError(
            "There is not enough memory for it.", name, "Split it into smaller files."
        ) from None
    except Exception as error:
        # Whatever a broken file does that nobody thought of: the user hears of the file, not of the
        # code.
        raise FileFormatError(
            f"It is damaged in a way that was not foreseen ({type(error).__name__}).", name, DAMAGED
        ) from error


def one_of(words: Sequence[str]) -> str:
    """Words in a row, the last after “or”."""
    return " or ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


def write_scene(
    scene: Scene,
    channel: int,
    corner_uvs: Sequence[FloatArray | None],
    side_names: Mapping[str, str] | None = None,
) -> dict[str, bytes]:
    """Write a scene back in its own format with new UVs in one channel.

    Parameters
    ----------
    scene : Scene
        As returned by `read_scene`.
    channel : int
        UV channel to change, from 0.
    corner_uvs : sequence of (C, 2) float64 or None
        New coordinates per object and face corner; NaN keeps the corner as it was, None the object.
    side_names : mapping, optional
        New names for side files that other meshes use as well, by the names in the file; taken
        where they change.

    Returns
    -------
    dict
        File name to bytes. Files that did not change are not repeated.
    """
    own = format_of(scene.name)
    assert own is not None, "it was read"
    return own.write(scene, channel, corner_uvs, side_names)


def side_files(name: str, data: bytes) -> tuple[str, ...]:
    """Names of the files beside a mesh that hold its geometry, as the mesh names them; empty when
    it cannot be read."""
    own = format_of(name)
    try:
        return own.side_files(name, data) if own else ()
    except QuiltError:
        return ()


def shared_side_names(meshes: Mapping[str, Sequence[str]]) -> dict[str, dict[str, str]]:
    """Names of their own for side files that several meshes use: one of them may change what is
    none of the others' business.

    Parameters
    ----------
    meshes : mapping
        Path of each mesh and the side files that it names, relative to its folder.

    Returns
    -------
    dict
        For each mesh, new names by the old ones, relative to its folder; for files of its own there
        is none.

    Examples
    --------
    >>> shared_side_names({"a/one.gltf": ["all.bin"], "a/two.gltf": ["all.bin", "two.bin"]})["a/two.gltf"]
    {'all.bin': 'all.two.bin'}
    """
    users: dict[str, list[str]] = {}
    for mesh, names in meshes.items():
        for name in dict.fromkeys(names):
            users.setdefault(normpath(PurePosixPath(mesh).parent / name), []).append(mesh)
    taken = set(users)
    out: dict[str, dict[str, str]] = {mesh: {} for mesh in meshes}
    for mesh, names in meshes.items():
        for name in dict.fromkeys(names):
            path = normpath(PurePosixPath(mesh).parent / name)
            if len(users[path]) < 2:
                continue
            old, number = PurePosixPath(name), 1
            new = old.with_name(f"{old.stem}.{PurePosixPath(mesh).stem}{old.suffix}")
            while normpath(PurePosixPath(mesh).parent / new) in taken:
                number += 1
                new = old.with_name(f"{old.stem}.{PurePosixPath(mesh).stem}-{number}{old.suffix}")
            taken.add(normpath(PurePosixPath(mesh).parent / new))
            out[mesh][name] = str(new)
    return out


def siblings_in(files: Container[str], name: str, read: Callable[[str], bytes]) -> Siblings:
    """Reader of files that came together with a mesh, by paths relative to it; never of others.

    Parameters
    ----------
    files : container of str
        Names of them, with slashes.
    name : str
        Of the mesh.
    read : callable
        Gives the bytes of a name.
    """
    base = PurePosixPath(name).parent

    def find(wanted: str) -> bytes | None:
        parts: list[str] = []
        for part in (base / wanted.replace("\\", "/")).parts:
            if part == "..":
                if not parts:
                    return None
                parts.pop()
            elif part == "/":
                return None
            elif part != ".":
                parts.append(part)
        path = "/".join(parts)
        return read(path) if path in files else None

    return find


def folder_siblings(folder: Path, limit: int = 2**31) -> Siblings:
    """Read files beside a mesh on disk, never above or outside its folder."""
    root = folder.resolve()

    def read(name: str) -> bytes | None:
        path = (root / name).resolve()
        if not path.is_relative_to(root) or not path.is_file() or path.stat().st_size > limit:
            return None
        return path.read_bytes()

    return read
