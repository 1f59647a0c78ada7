"""Objects whose pictures are carried over."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.pictures.looks import Use
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Painted:
    """An object whose pictures are carried over.

    Parameters
    ----------
    obj : SceneObject
    metres_per_unit : float
    face_look : (F,) int64
        Look of each face.
    stored : tuple of (C, 2) float64
        UVs of each channel as the file stores them, origin at the top left; NaN for none.
    """

    obj: SceneObject
    metres_per_unit: float
    face_look: IntArray
    stored: tuple[FloatArray, ...]

    @property
    def mesh(self) -> Mesh:
        """Its mesh."""
        return self.obj.mesh

    def repeats(self, look: int, use: Use) -> bool:
        """Whether some face of a look reaches over more than one repeat of the picture of a use."""
        if use.channel >= len(self.stored):
            return False
        mine = self.face_look[self.mesh.triangle_face] == look
        read = self.stored[use.channel][self.mesh.triangles[mine]] @ use.matrix[:, :2].T
        read = read + use.matrix[:, 2]
        span = np.floor(read.max(axis=1) - 1e-6) - np.floor(read.min(axis=1) + 1e-6)
        return bool((span > 0).any())
