"""Colours of the high poly surface, as its materials have them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from quilt_core.bake.surface import BakeSurface
from quilt_core.errors import QuiltError
from quilt_core.formats.look_facts import look_book, painted_of
from quilt_core.scene.model import Scene, Siblings
from quilt_core.scene.types import Float32, FloatArray, IntArray
from quilt_core.textures.decode import decode
from quilt_core.textures.looks import Look, Use
from quilt_core.textures.merge_loops import read_points


def colours_of(
    scenes: Sequence[Scene], siblings: Sequence[Siblings | None], surface: BakeSurface
) -> Callable[[IntArray, FloatArray], Float32]:
    """What shows the base colour at points of a surface: picture times factor, in linear light (K, 3).

    Parameters
    ----------
    scenes : sequence of Scene
        Those that the surface was made of.
    siblings : sequence of callable
        Readers of the files beside them; none for files that have all inside.
    surface : BakeSurface
    """
    looks: list[tuple[Look, Float32 | None]] = []
    look_of = np.zeros(surface.count, np.int64)
    read = np.zeros((surface.count, 3, 2))
    for number, scene in enumerate(scenes):
        find = siblings[number] if number < len(siblings) else None
        book = look_book(scene, find)
        painted = painted_of(scene, 0)
        first = len(looks)
        looks += [
            (look, _picture(book.pictures, look.uses.get("baseColor"))) for look in book.looks
        ]
        for k, (of_scene, of_object) in enumerate(surface.of):
            if of_scene != number:
                continue
            rows = np.flatnonzero(surface.obj == k)
            own = painted[of_object]
            corners = surface.corners[rows]
            look = own.face_look[own.mesh.corner_face[corners[:, 0]]]
            look_of[rows] = first + look
            for which in np.unique(look):
                use = looks[first + int(which)][0].uses.get("baseColor")
                if use is None or use.channel >= len(own.stored):
                    continue
                mine = rows[look == which]
                uv = own.stored[use.channel][surface.corners[mine]]
                read[mine] = uv @ use.matrix[:, :2].T + use.matrix[:, 2]

    def colours(triangle: IntArray, bary: FloatArray) -> Float32:
        out = np.ones((len(triangle), 3), np.float32)
        here = look_of[triangle]
        for which in np.unique(here):
            look, picture = looks[int(which)]
            rows = np.flatnonzero(here == which)
            out[rows] = look.factors.get("baseColor", (1.0, 1.0, 1.0))[:3]
            if picture is None:
                continue
            use = look.uses["baseColor"]
            uv = np.einsum("kn,knc->kc", bary[rows], read[triangle[rows]])
            fine = np.isfinite(uv).all(axis=1)
            found = read_points(
                picture,
                np.where(fine[:, None], uv, 0.0),
                np.array(use.wrap, np.int64),
                0 if use.nearest else 1,
            )
            out[rows] *= np.where(fine[:, None], found[:, :3], 1.0).astype(np.float32)
        return out

    return colours


def _picture(pictures: dict[int, bytes | None], use: Use | None) -> Float32 | None:
    data = pictures.get(use.picture) if use is not None else None
    if data is None:
        return None
    try:
        return decode("picture", data).linear(True)
    except QuiltError:
        return None  # a factor alone stands in
