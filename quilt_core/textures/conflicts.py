"""Islands that lie on one another and show different things: only one of them can be kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.carry import Skin
from quilt_core.textures.looks import REPEAT, Look, Use
from quilt_core.textures.texels import barycentric, find_texels

SIDE = 512
"""px of the picture in which it is looked for."""
APART = 1.0
"""Texels of the old picture that two places may lie apart and are still the same."""
FEWEST = 4
"""Texels that two objects must share: fewer are borders that touch."""


def contents(looks: Sequence[Look], digest: Callable[[int, Use], str]) -> list[int]:
    """A number for each look, equal for those that show the same pictures with the same factors.

    `digest` tells the picture of a look's use.
    """
    known: dict[Any, int] = {}
    out = []
    for number, look in enumerate(looks):
        uses = tuple(
            (name, digest(number, use), use.channel, use.matrix.tobytes(), use.wrap, use.nearest)
            for name, use in sorted(look.uses.items())
        )
        factors = tuple(sorted((name, tuple(value)) for name, value in look.factors.items()))
        out.append(known.setdefault((uses, factors), len(known)))
    return out


def find_conflicts(
    skin: Skin,
    owner: IntArray,
    looks: Sequence[Look],
    content: Sequence[int],
    sizes: Callable[[int, Use], tuple[int, int] | None],
) -> list[tuple[int, int, float]]:
    """Pairs of objects whose islands lie on one another but show different things.

    Parameters
    ----------
    skin : Skin
        Without triangles that have no place.
    owner : (N,) int64
        Object of each triangle.
    looks : sequence of Look
    content : sequence of int
        See `contents`.
    sizes : callable
        Width and height of the picture of a look's use.

    Returns
    -------
    list of (int, int, float)
        Both objects, which may be one, and the part of the sheet that they share.
    """
    px = skin.px(SIDE, SIDE)
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
    differs = table[skin.look[one]] != table[skin.look[two]]
    for number in np.unique(skin.look[one]):
        mine = (skin.look[one] == number) & ~differs
        for use in looks[int(number)].uses.values():
            size = sizes(int(number), use)
            if size is None or not mine.any():
                continue
            read = skin.read_at(use)
            off = _mapped(px[one[mine]], read[one[mine]], at[mine])
            off -= _mapped(px[two[mine]], read[two[mine]], at[mine])
            if use.wrap == (REPEAT, REPEAT):
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
