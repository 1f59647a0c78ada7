"""Islands that lie on one another and show different things: only one of them can be kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.carry import SurfaceTriangles
from quilt_core.textures.materials import REPEAT, TextureBinding, TexturedMaterial
from quilt_core.textures.texels import barycentric, find_texels

SIDE = 512
"""px of the texture in which it is looked for."""
APART = 1.0
"""Texels of the old texture that two places may lie apart and are still the same."""
FEWEST = 4
"""Texels that two objects must share: fewer are borders that touch."""


def contents(
    materials: Sequence[TexturedMaterial], digest: Callable[[int, TextureBinding], str]
) -> list[int]:
    """A number for each material, equal for those that show the same textures with the same factors.

    `digest` tells the texture of a material's use.
    """
    known: dict[Any, int] = {}
    out = []
    for number, material in enumerate(materials):
        bindings = tuple(
            (
                name,
                digest(number, binding),
                binding.channel,
                binding.matrix.tobytes(),
                binding.wrap,
                binding.nearest,
            )
            for name, binding in sorted(material.bindings.items())
        )
        factors = tuple(sorted((name, tuple(value)) for name, value in material.factors.items()))
        out.append(known.setdefault((bindings, factors), len(known)))
    return out


def find_conflicts(
    surface: SurfaceTriangles,
    owner: IntArray,
    materials: Sequence[TexturedMaterial],
    content: Sequence[int],
    sizes: Callable[[int, TextureBinding], tuple[int, int] | None],
) -> list[tuple[int, int, float]]:
    """Pairs of objects whose islands lie on one another but show different things.

    Parameters
    ----------
    surface : SurfaceTriangles
        Without triangles that have no place.
    owner : (N,) int64
        Object of each triangle.
    materials : sequence of TexturedMaterial
    content : sequence of int
        See `contents`.
    sizes : callable
        Width and height of the texture of a material's use.

    Returns
    -------
    list of (int, int, float)
        Both objects, which may be one, and the part of the sheet that they share.
    """
    px = surface.px(SIDE, SIDE)
    first = find_texels(px, SIDE, SIDE).owner
    last = find_texels(px[::-1], SIDE, SIDE).owner
    last = np.where(last >= 0, len(px) - 1 - last, -1)
    both = (first >= 0) & (last >= 0) & (first != last)
    rows, columns = np.nonzero(both)
    one, two = first[both].astype(np.int64), last[both].astype(np.int64)
    at = np.stack([columns + 0.5, rows + 0.5], axis=1)
    deep = _inside(px[one], at) & _inside(px[two], at)
    one, two, at = one[deep], two[deep], at[deep]
    table = np.array(content, np.int64)
    differs = table[surface.material[one]] != table[surface.material[two]]
    for number in np.unique(surface.material[one]):
        mine = (surface.material[one] == number) & ~differs
        for binding in materials[int(number)].bindings.values():
            size = sizes(int(number), binding)
            if size is None or not mine.any():
                continue
            read = surface.read_at(binding)
            off = _mapped(px[one[mine]], read[one[mine]], at[mine])
            off -= _mapped(px[two[mine]], read[two[mine]], at[mine])
            if binding.wrap == (REPEAT, REPEAT):
                off -= np.rint(off)
            apart = np.abs(off * size).max(axis=1) > APART * max(1.0, max(size) / SIDE)
            differs[np.flatnonzero(mine)[apart]] = True
    pairs = np.sort(np.stack([owner[one[differs]], owner[two[differs]]], axis=1), axis=1)
    found, count = np.unique(pairs, axis=0, return_counts=True)
    return [
        (int(a), int(b), float(n) / SIDE**2)
        for (a, b), n in zip(found, count, strict=True)
        if n >= FEWEST
    ]


def _inside(corners: FloatArray, at: FloatArray) -> NDArray[np.bool_]:
    """Whether points lie in triangles by more than half a pixel of rounding."""
    return np.asarray((barycentric(corners, at) > 1e-3).all(axis=1))


def _mapped(corners: FloatArray, read: FloatArray, at: FloatArray) -> FloatArray:
    return np.asarray(np.einsum("nk,nkc->nc", barycentric(corners, at), read))
