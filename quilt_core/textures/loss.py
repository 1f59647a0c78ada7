"""What carrying over costs: old and new textures compared at points of the surface."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import IntArray
from quilt_core.textures.bakings import Baking
from quilt_core.textures.carry import SurfaceTriangles
from quilt_core.textures.decode import DecodedImage
from quilt_core.textures.materials import CLAMP, Slot, TexturedMaterial
from quilt_core.textures.merge_loops import read_points
from quilt_core.textures.texels import Texels

POINTS = 1500
"""Of each object."""
INNER = 2
"""px from the border of an island within which nothing is compared."""
BEST = 99.0
"""dB that stand for no difference at all."""


def losses(
    surface: SurfaceTriangles,
    owner: IntArray,
    slot: Slot,
    materials: Sequence[TexturedMaterial],
    bakings: Mapping[int, Baking],
    images: Callable[[int, int], DecodedImage | None],
    new: NDArray[np.float32],
    texels: Texels,
) -> dict[int, float]:
    """Peak signal-to-noise ratio of a role for each object, in linear light.

    Parameters
    ----------
    surface : SurfaceTriangles
    owner : (N,) int64
        Object of each triangle.
    slot : Slot
        Not one of normals, whose vectors turn.
    looks, bakings, textures
        See `carry`.
    new : (H, W, 4) float32
        The new texture, in linear light.
    texels : Texels
        Of that texture. Points near the border of an island are left out: there the old texture shows
        its neighbours, and the new one does not.

    Returns
    -------
    dict
        Object to dB; objects without a texture in this role are left out. A peak is 1.
    """
    rng = np.random.default_rng(9)
    height, width = new.shape[:2]
    side = np.ones((2 * INNER + 1, 2 * INNER + 1), np.uint8)
    inner = cv2.erode((texels.owner >= 0).view(np.uint8), side) > 0
    px = surface.px(width, height)
    a, b = px[:, 1] - px[:, 0], px[:, 2] - px[:, 0]
    area = 0.5 * np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    area = np.where(np.isfinite(area), area, 0.0)
    out: dict[int, float] = {}
    textured = [k for k in bakings if slot.name in materials[k].bindings]
    for number in np.unique(owner):
        mine = np.flatnonzero((owner == number) & (area > 0) & np.isin(surface.material, textured))
        if not len(mine):
            continue
        chosen = rng.choice(mine, POINTS, p=area[mine] / area[mine].sum())
        bary = rng.dirichlet((1.0, 1.0, 1.0), POINTS)
        at = np.einsum("nk,nkc->nc", bary, px[chosen])
        i = np.clip(np.floor(at).astype(np.int64), 0, (width - 1, height - 1))
        deep = inner[i[:, 1], i[:, 0]]
        if not deep.any():
            continue
        chosen, bary, there = chosen[deep], bary[deep], at[deep] / (width, height)
        error, count = 0.0, 0
        for material in np.unique(surface.material[chosen]):
            own = surface.material[chosen] == material
            binding = materials[material].bindings[slot.name]
            image = images(int(material), binding.image)
            if image is None:
                continue
            old = np.einsum("nk,nkc->nc", bary[own], surface.read_at(binding)[chosen[own]])
            known = np.isfinite(old).all(axis=1)
            wrap = np.array(binding.wrap, np.int64)
            before = read_points(
                image.linear(slot.srgb), old[known], wrap, 0 if binding.nearest else 1
            )
            after = read_points(new, there[own][known], np.array((CLAMP, CLAMP)), 1)
            channels = [c for c in slot.channels if c < 3]
            factors = np.ones(4)
            factors[list(slot.channels)[: len(bakings[int(material)].factors)]] = bakings[
                int(material)
            ].factors
            wanted = before * factors
            if slot.name == "occlusion":
                wanted = 1.0 + factors * (before - 1.0)
            error += float(((wanted - after)[:, channels] ** 2).sum())
            count += int(known.sum()) * len(channels)
        if count:
            out[int(number)] = min(BEST, float(-10.0 * np.log10(max(error / count, 1e-12))))
    return out
