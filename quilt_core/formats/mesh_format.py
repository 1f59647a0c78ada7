"""What a mesh format is."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from quilt_core.scene.model import Scene, Siblings
from quilt_core.scene.types import FloatArray

Read = Callable[[str, bytes, Siblings | None, float], Scene]
Write = Callable[
    [Scene, int, Sequence[FloatArray | None], Mapping[str, str] | None], dict[str, bytes]
]


def _none(name: str, data: bytes) -> tuple[str, ...]:
    return ()


@dataclass(frozen=True)
class MeshFormat:
    """A format of mesh files.

    Parameters
    ----------
    name : str
        As it is called in messages.
    suffixes : tuple of str
        Endings of its files, in lower case, with the dot.
    read : callable
        ``read(name, data, siblings, metres_per_unit) -> Scene``: the length of a unit is asked of the user, for formats
        that do not say. What its writer needs goes into `Scene.source`; there `data` is the file's bytes.
    write : callable
        ``write(scene, channel, corner_uvs, side_names) -> {name: bytes}``, see `quilt_core.formats.load.write_scene`.
    side_files : callable
        ``side_files(name, data)``: names of files beside it that hold its geometry.
    """

    name: str
    suffixes: tuple[str, ...]
    read: Read
    write: Write
    side_files: Callable[[str, bytes], tuple[str, ...]] = _none
