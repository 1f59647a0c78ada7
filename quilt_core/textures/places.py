"""Where old textures are read: worked out once for all roles of a material that lie alike."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import BoolArray, FloatArray
from quilt_core.textures.materials import TextureBinding
from quilt_core.textures.texel_loops import mark_places
from quilt_core.textures.texels import THREADS, Texels

Image = NDArray[np.float32]

SIDE = 256
"""px of the blocks that are read at once."""


@dataclass(frozen=True, eq=False)
class Block:
    """A part of a texture.

    Parameters
    ----------
    rows, columns : slice
    place : (R, C, 2) float32
        Texels of the old texture, whole numbers at their centres.
    mask : (R, C) bool, optional
        What may be written; None for all of it.
    """

    rows: slice
    columns: slice
    place: Image
    mask: BoolArray | None


@dataclass(frozen=True, eq=False)
class Reading:
    """All blocks of one material and one way to lay its textures."""

    blocks: list[Block]

    def read(self, pixels: Image, out: Image) -> None:
        """Read a texture (h, w, 4) bilinearly into another; texels without an island may be
        written, too."""

        def work(block: Block) -> None:
            target = out[block.rows, block.columns]
            found = cv2.remap(  # type: ignore[call-overload]
                pixels, block.place, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP
            )
            if block.mask is None:
                target[:] = found
            else:
                np.copyto(target, found, where=block.mask[..., None])

        with ThreadPoolExecutor(THREADS) as pool:
            list(pool.map(work, self.blocks))


@dataclass
class Places:
    """What is known of materials; the last way of each one is kept."""

    known: dict[int, tuple[Any, Reading]] = field(default_factory=dict)

    def reading(
        self,
        material: int,
        binding: TextureBinding,
        texels: Texels,
        now: FloatArray,
        chosen: BoolArray,
        old: FloatArray,
        size: tuple[int, int],
    ) -> Reading:
        """Where the texels of chosen triangles read a texture of some width and height; `now` and
        `old` as `carry` has them."""
        key = (
            id(texels),
            binding.channel,
            binding.matrix.tobytes(),
            binding.wrap,
            size,
            chosen.tobytes(),
        )
        if material not in self.known or self.known[material][0] != key:
            self.known.pop(material, None)
            self.known[material] = (
                key,
                _find(texels, now, chosen, old * np.array(size), size, binding),
            )
        return self.known[material][1]


def _find(
    texels: Texels,
    now: FloatArray,
    chosen: BoolArray,
    old: FloatArray,
    size: tuple[int, int],
    binding: TextureBinding,
) -> Reading:
    straight = _straight(now, old, chosen)
    wrap, shape = np.array(binding.wrap, np.int64), np.array(size, np.int64)
    blocks: list[Block] = []

    def work(band: slice) -> None:
        owner = texels.owner[band]
        place = np.zeros((*owner.shape, 2), np.float32)
        plain = np.zeros(owner.shape, bool)
        mark_places(
            owner, band.start, texels.rim[band], now, chosen, old, straight, shape, wrap,
            place, plain,
        )  # fmt: skip
        for start in range(0, owner.shape[1], SIDE):
            columns = slice(start, min(start + SIDE, owner.shape[1]))
            mine = plain[:, columns]
            if not mine.any():
                continue
            high, wide = (np.flatnonzero(mine.any(axis=k)) for k in (1, 0))
            rows = slice(int(high[0]), int(high[-1]) + 1)
            columns = slice(start + int(wide[0]), start + int(wide[-1]) + 1)
            mine, others = plain[rows, columns], owner[rows, columns] >= 0
            mask = mine.copy() if (others & ~mine).any() else None
            at = slice(band.start + rows.start, band.start + rows.stop)
            blocks.append(Block(at, columns, place[rows, columns].copy(), mask))

    texels.each_band(work)
    return Reading(blocks)


def _straight(now: FloatArray, old: FloatArray, chosen: BoolArray) -> FloatArray:
    """(N, 6) px of the old texture from px of the new one, as a map of each triangle; NaN for those
    without an area."""
    out = np.full((len(now), 6), np.nan)
    t, o = now[chosen], old[chosen]
    a = np.stack([t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]], axis=2)
    b = np.stack([o[:, 1] - o[:, 0], o[:, 2] - o[:, 0]], axis=2)
    fine = np.flatnonzero(np.abs(np.linalg.det(a)) > 1e-9)
    if len(fine):
        turn = b[fine] @ np.linalg.inv(a[fine])
        shift = o[fine, 0] - np.einsum("nij,nj->ni", turn, t[fine, 0])
        rows = np.concatenate([turn, shift[:, :, None]], axis=2).reshape(-1, 6)
        out[np.flatnonzero(chosen)[fine]] = rows
    return out
