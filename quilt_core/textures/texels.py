"""Which triangle each texel of a new texture lies on, and where hidden texels get their colour from."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import BoolArray, FloatArray
from quilt_core.textures.texel_loops import mark_texels, spread

BAND = 256
"""Rows that are worked on at once."""
THREADS = 2


@dataclass(frozen=True, eq=False)
class Texels:
    """Texels of a texture of islands.

    Parameters
    ----------
    owner : (H, W) int32
        Triangle of each texel, -1 for none.
    rim : (H, W) bool
        Texels at the border of an island.
    source : (H, W) int32
        Texel, counted row by row, whose colour each one gets: itself where it has an owner, else
        the nearest that has.
    """

    owner: NDArray[np.int32]
    rim: BoolArray
    source: NDArray[np.int32]

    @property
    def covered(self) -> float:
        """Part of the texture that islands cover."""
        return float((self.owner >= 0).mean())

    @cached_property
    def bare(self) -> bool:
        """Whether no texel has an owner."""
        return not bool((self.owner >= 0).any())

    def bands(self) -> list[slice]:
        """Rows, band by band."""
        return [slice(a, min(a + BAND, len(self.owner))) for a in range(0, len(self.owner), BAND)]

    def each_band(self, work: Callable[[slice], None]) -> None:
        """Do some work for all bands, two at a time."""
        with ThreadPoolExecutor(THREADS) as pool:
            list(pool.map(work, self.bands()))


def find_texels(triangles: FloatArray, width: int, height: int) -> Texels:
    """Rasterize triangles.

    Parameters
    ----------
    triangles : (N, 3, 2) float64
        px from the top left corner.
    width, height : int
    """
    owner = np.full((height, width), -1, np.int32)
    inside = np.zeros((height, width), bool)

    def work(start: int) -> None:
        band = owner[start : start + BAND]
        far = np.full(band.shape, np.inf, np.float32)
        mark_texels(triangles, start, band, far)
        inside[start : start + BAND] = far == 0

    with ThreadPoolExecutor(THREADS) as pool:
        list(pool.map(work, range(0, height, BAND)))
    # Texels beside an island get their colour from those inside it: what its old texture shows beyond
    # the border is its neighbours'. Only where it is thinner than a texel they are read themselves.
    owner[~inside & _grown(inside)] = -1
    bare = owner < 0
    rim = ~bare & _grown(bare)
    return Texels(owner, rim, nearest_texels(bare))


def _grown(mask: BoolArray) -> BoolArray:
    """A mask with the eight neighbours of its texels."""
    return np.asarray(cv2.dilate(mask.view(np.uint8), np.ones((3, 3), np.uint8)) > 0)


def nearest_texels(bare: BoolArray) -> NDArray[np.int32]:
    """For each texel the number of the nearest one that is not bare."""
    height, width = bare.shape
    own = np.arange(height * width, dtype=np.int32).reshape(height, width)
    if bare.all() or not bare.any():
        return own
    _, label = cv2.distanceTransformWithLabels(
        bare.view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    # Each texel that is not bare has a label of its own.
    texel = np.zeros(int(label.max()) + 1, np.int32)
    texel[label[~bare]] = own[~bare]
    return np.asarray(texel[label], np.int32)


def bleed(image: NDArray[np.float32], texels: Texels) -> None:
    """Spread the colours of islands outward, each to the texels that are nearest to it; in place."""
    flat = image.reshape(-1, image.shape[2])

    def work(band: slice) -> None:
        # Texels that are read have an owner: they are not written.
        spread(texels.owner[band], texels.source[band], flat, image[band])

    texels.each_band(work)


def barycentric(corners: FloatArray, at: FloatArray) -> FloatArray:
    """(K, 3) barycentric coordinates of points (K, 2) in triangles (K, 3, 2); -1 for those without an
    area."""
    a, b, p = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0], at - corners[:, 0]
    det = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    fine = np.abs(det) > 1e-9
    safe = np.where(fine, det, 1.0)
    v = (p[:, 0] * b[:, 1] - p[:, 1] * b[:, 0]) / safe
    w = (a[:, 0] * p[:, 1] - a[:, 1] * p[:, 0]) / safe
    return np.where(fine[:, None], np.stack([1 - v - w, v, w], axis=1), -1.0)
