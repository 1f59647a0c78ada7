"""A mesh format: a line for each corner of a triangle, x y z u v, in metres."""

from dataclasses import dataclass

import numpy as np

from quilt_core.errors import FileFormatError
from quilt_core.formats.mesh_format import MeshFormat
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.model import Instance, Scene, SceneObject


@dataclass(frozen=True)
class Source:
    data: bytes
    rows: np.ndarray


def read(name, data, siblings, metres_per_unit):
    try:
        rows = np.array([line.split() for line in data.decode().splitlines()], float)
    except ValueError as error:
        raise FileFormatError(f"A line is wrong: {error}.", name, "Export it again.") from None
    if rows.ndim != 2 or rows.shape[1] != 5 or len(rows) % 3:
        raise FileFormatError(
            "Triangles have three lines of five numbers.", name, "Export it again."
        )
    count = len(rows)
    points, vertex = np.unique(rows[:, :3], axis=0, return_inverse=True)
    mesh = Mesh(
        points,
        np.arange(0, count + 1, 3),
        vertex.reshape(-1),
        (UVChannel("UV 1", rows[:, 3:].copy(), np.arange(count)),),
        np.full(count // 3, -1),
    )
    title = name.rsplit(".", 1)[0]
    place = Instance(title, "", np.eye(4))
    return Scene(name, (SceneObject(title, mesh, (place,)),), (), 1.0, Source(data, rows))


def write(scene, channel, corner_uvs, side_names):
    rows = scene.source.rows.copy()
    if corner_uvs[0] is not None:
        known = np.isfinite(corner_uvs[0]).all(axis=1)
        rows[known, 3:] = corner_uvs[0][known]
    text = "\n".join(" ".join(f"{value:.9g}" for value in row) for row in rows)
    return {scene.name: f"{text}\n".encode()}


CORNERS = MeshFormat("corners", (".corners",), read, write)
