"""Objects whose pictures are carried over."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.looks import Look, Use, reference_use


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

    def covered(
        self, looks: Sequence[Look], sizes: Callable[[int, Use], tuple[int, int] | None]
    ) -> tuple[float, float]:
        """Texels that its faces cover of the pictures that its layout follows, each repeat again, and
        how many texels those have; 0 without any."""
        covered, there = 0.0, {}
        face_look = self.face_look[self.mesh.triangle_face]
        for number in np.unique(face_look):
            use = reference_use(looks[int(number)], partial(sizes, int(number)))
            size = sizes(int(number), use) if use else None
            if use is None or size is None or use.channel >= len(self.stored):
                continue
            mine = self.mesh.triangles[face_look == number]
            at = self.stored[use.channel][mine] @ use.matrix[:, :2].T * size
            a, b = at[:, 1] - at[:, 0], at[:, 2] - at[:, 0]
            covered += float(np.nansum(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])) / 2)
            there[use.picture] = float(size[0] * size[1])
        return covered, sum(there.values())

    def repeats_covered(
        self, looks: Sequence[Look], sizes: Callable[[int, Use], tuple[int, int] | None]
    ) -> float:
        """How often its faces cover their pictures."""
        covered, there = self.covered(looks, sizes)
        return covered / there if there else 0.0
