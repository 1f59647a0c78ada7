"""Which triangle each texel of a new picture lies on, and where hidden texels get their colour from."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from quilt_core.pictures._carry_loops import mark_texels

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]

BAND = 256
"""Rows that are worked on at once."""
THREADS = 2


@dataclass(frozen=True, eq=False)
class Texels:
    """Texels of a picture of islands.

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
        """Part of the picture that islands cover."""
        return float((self.owner >= 0).mean())

    def bands(self) -> list[slice]:
        """Rows, band by band."""
        return [slice(a, min(a + BAND, len(self.owner))) for a in range(0, len(self.owner), BAND)]


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
    # Texels beside an island get their colour from those inside it: what its old picture shows beyond
    # the border is its neighbours'. Only where it is thinner than a texel they are read themselves.
    square = np.ones((3, 3), bool)
    owner[~inside & ndimage.binary_dilation(inside, square)] = -1
    bare = owner < 0
    rim = ~bare & ndimage.binary_dilation(bare, square)
    return Texels(owner, rim, _nearest(bare))


def _nearest(bare: BoolArray) -> NDArray[np.int32]:
    height, width = bare.shape
    if bare.all() or not bare.any():
        return np.arange(height * width, dtype=np.int32).reshape(height, width)
    rows, columns = ndimage.distance_transform_edt(
        bare, return_distances=False, return_indices=True
    )
    return np.asarray(rows * np.int32(width) + columns, np.int32)


def bleed(picture: NDArray[np.float32], texels: Texels) -> None:
    """Spread the colours of islands outward, each to the texels that are nearest to it; in place."""
    flat = picture.reshape(-1, picture.shape[2])
    for band in texels.bands():
        # Texels that are read have an owner: they are not written.
        bare = texels.owner[band] < 0
        picture[band][bare] = flat[texels.source[band][bare]]
