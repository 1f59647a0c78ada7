"""Colours of the high poly surface, as its materials have them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from quilt_core.bake.surface import BakeSurface
from quilt_core.errors import QuiltError
from quilt_core.formats.file_materials import material_book, painted_of
from quilt_core.scene.model import Scene, Siblings
from quilt_core.scene.types import Float32, FloatArray, IntArray
from quilt_core.textures.decode import decode
from quilt_core.textures.materials import TextureBinding, TexturedMaterial
from quilt_core.textures.merge_loops import read_points


def colours_of(
    scenes: Sequence[Scene], siblings: Sequence[Siblings | None], surface: BakeSurface
) -> Callable[[IntArray, FloatArray], Float32]:
    """What shows the base colour at points of a surface: image times factor, in linear light (K, 3).

    Parameters
    ----------
    scenes : sequence of Scene
        Those that the surface was made of.
    siblings : sequence of callable
        Readers of the files beside them; none for files that have all inside.
    surface : BakeSurface
    """
    materials: list[tuple[TexturedMaterial, Float32 | None]] = []
    material_at = np.zeros(surface.count, np.int64)
    read = np.zeros((surface.count, 3, 2))
    for number, scene in enumerate(scenes):
        find = siblings[number] if number < len(siblings) else None
        book = material_book(scene, find)
        painted = painted_of(scene, 0)
        first = len(materials)
        materials += [
            (material, _image(book.images, material.bindings.get("baseColor")))
            for material in book.materials
        ]
        for k, (of_scene, of_object) in enumerate(surface.of):
            if of_scene != number:
                continue
            rows = np.flatnonzero(surface.obj == k)
            own = painted[of_object]
            corners = surface.corners[rows]
            material = own.face_materials[own.mesh.corner_face[corners[:, 0]]]
            material_at[rows] = first + material
            for which in np.unique(material):
                binding = materials[first + int(which)][0].bindings.get("baseColor")
                if binding is None or binding.channel >= len(own.stored):
                    continue
                mine = rows[material == which]
                uv = own.stored[binding.channel][surface.corners[mine]]
                read[mine] = uv @ binding.matrix[:, :2].T + binding.matrix[:, 2]

    def colours(triangle: IntArray, bary: FloatArray) -> Float32:
        out = np.ones((len(triangle), 3), np.float32)
        here = material_at[triangle]
        for which in np.unique(here):
            material, image = materials[int(which)]
            rows = np.flatnonzero(here == which)
            out[rows] = material.factors.get("baseColor", (1.0, 1.0, 1.0))[:3]
            if image is None:
                continue
            binding = material.bindings["baseColor"]
            uv = np.einsum("kn,knc->kc", bary[rows], read[triangle[rows]])
            fine = np.isfinite(uv).all(axis=1)
            found = read_points(
                image,
                np.where(fine[:, None], uv, 0.0),
                np.array(binding.wrap, np.int64),
                0 if binding.nearest else 1,
            )
            out[rows] *= np.where(fine[:, None], found[:, :3], 1.0).astype(np.float32)
        return out

    return colours


def _image(images: dict[int, bytes | None], binding: TextureBinding | None) -> Float32 | None:
    data = images.get(binding.image) if binding is not None else None
    if data is None:
        return None
    try:
        return decode("image", data).linear(True)
    except QuiltError:
        return None  # a factor alone stands in
