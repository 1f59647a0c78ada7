"""Objects whose textures are carried over."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.materials import TextureBinding, TexturedMaterial, reference_binding


@dataclass(frozen=True, eq=False)
class Painted:
    """An object whose textures are carried over.

    Parameters
    ----------
    obj : SceneObject
    metres_per_unit : float
    face_materials : (F,) int64
        Look of each face.
    stored : tuple of (C, 2) float64
        UVs of each channel as the file stores them, origin at the top left; NaN for none.
    """

    obj: SceneObject
    metres_per_unit: float
    face_materials: IntArray
    stored: tuple[FloatArray, ...]

    @property
    def mesh(self) -> Mesh:
        """Its mesh."""
        return self.obj.mesh

    def repeats(self, material: int, binding: TextureBinding) -> bool:
        """Whether some face of a material reaches over more than one repeat of the texture of a binding."""
        if binding.channel >= len(self.stored):
            return False
        mine = self.face_materials[self.mesh.triangle_face] == material
        read = self.stored[binding.channel][self.mesh.triangles[mine]] @ binding.matrix[:, :2].T
        read = read + binding.matrix[:, 2]
        span = np.floor(read.max(axis=1) - 1e-6) - np.floor(read.min(axis=1) + 1e-6)
        return bool((span > 0).any())

    def covered(
        self,
        materials: Sequence[TexturedMaterial],
        sizes: Callable[[int, TextureBinding], tuple[int, int] | None],
    ) -> tuple[float, float]:
        """Texels that its faces cover of the textures that its layout follows, each repeat again, and
        how many texels those have; 0 without any."""
        covered, there = 0.0, {}
        face_materials = self.face_materials[self.mesh.triangle_face]
        for number in np.unique(face_materials):
            binding = reference_binding(materials[int(number)], partial(sizes, int(number)))
            size = sizes(int(number), binding) if binding else None
            if binding is None or size is None or binding.channel >= len(self.stored):
                continue
            mine = self.mesh.triangles[face_materials == number]
            at = self.stored[binding.channel][mine] @ binding.matrix[:, :2].T * size
            a, b = at[:, 1] - at[:, 0], at[:, 2] - at[:, 0]
            covered += float(np.nansum(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])) / 2)
            there[binding.image] = float(size[0] * size[1])
        return covered, sum(there.values())

    def repeats_covered(
        self,
        materials: Sequence[TexturedMaterial],
        sizes: Callable[[int, TextureBinding], tuple[int, int] | None],
    ) -> float:
        """How often its faces cover their textures."""
        covered, there = self.covered(materials, sizes)
        return covered / there if there else 0.0
