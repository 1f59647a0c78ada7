"""What tests of cli unwrap are made of, for others too."""

from __future__ import annotations

import numpy as np


def obj_of(mesh, name):
    """A mesh as an OBJ without UVs."""
    faces = np.split(mesh.corner_vertex + 1, mesh.face_offsets[1:-1])
    lines = [f"o {name}", *(f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in mesh.positions)]
    return "\n".join([*lines, *("f " + " ".join(map(str, face)) for face in faces)]).encode()
