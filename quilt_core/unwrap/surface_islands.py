"""A surface cut into islands that lie flat, joined together piece by piece as far as they stay so.

Every island is valid at all times: no triangle turned over, nothing covered twice, its stretch below
the limit. Cutting starts with regions around seeds; those that cannot lie flat are halved. Then
seams are closed, the most promising first, each tried by flattening what it would join.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap._join_loops import join_islands
from quilt_core.unwrap.features import members
from quilt_core.unwrap.pieces import Pieces


@dataclass(frozen=True)
class Limits:
    """What an island may have.

    Parameters
    ----------
    stretch : float
        L2 stretch.
    energy : float
        Mean symmetric Dirichlet energy; 4 is isometric.
    """

    stretch: float
    energy: float

    @property
    def worst_fit(self) -> float:
        """How far apart the sides of a seam may lie that is tried, in its lengths."""
        return float(10.0 * np.sqrt(self.stretch**2 - 1.0))

    @property
    def steps(self) -> int:
        """Steps of relaxing for each try."""
        return 12 if self.stretch < 1.04 else 24


def limits_for(stretch: float) -> Limits:
    """Limits from the L2 stretch that the user allows.

    Where the two singular values differ from 1 by small independent amounts, L2² - 1 is 3/2 and the
    energy - 4 is 4 times their mean square: 8/3 of it. Less is allowed, the less the smaller it is,
    so that triangles that are stretched far do not hide behind those that are not.
    """
    more = stretch * stretch - 1.0
    return Limits(stretch, 4.0 + 1.8 * more * more / (more + 0.004) + 4.0 * more * more)


@dataclass(frozen=True, eq=False)
class SurfaceIslands:
    """Islands of a surface.

    Parameters
    ----------
    pieces : Pieces
    label : (N,) int64
        Island of each triangle.
    joined : (3 N,) bool
        Half-edges that are no seam.
    uv : (N, 3, 2) float64
        Corners of each triangle in its island's own plane, in the unit of the surface.
    """

    pieces: Pieces
    label: IntArray
    joined: BoolArray
    uv: FloatArray

    @property
    def seam(self) -> float:
        """Length of the seams: of edges with a face on both sides that are cut."""
        cut = ~self.joined & (self.pieces.across >= 0)
        return float(self.pieces.length[cut].sum()) / 2

    def islands(self) -> list[IntArray]:
        """Triangles of each island."""
        return members(self.label)


def joined_up(
    work: SurfaceIslands,
    limits: Limits,
    jitter: float = 0.0,
    seed: int = 0,
    stop: BoolArray | None = None,
    told: IntArray | None = None,
) -> SurfaceIslands:
    """Close seams until none can be closed any more.

    `stop` (1,) ends it with what there is when it is set from another thread; `told` (2,) counts the
    seams that were closed and tried.
    """
    pieces = work.pieces
    label, joined, uv = work.label.copy(), work.joined.copy(), work.uv.copy()
    stop = np.zeros(1, bool) if stop is None else stop
    told = np.zeros(2, np.int64) if told is None else told
    join_islands(
        label, pieces.across, joined, pieces.rest, pieces.sharp, pieces.area, pieces.length, uv,
        limits.energy, limits.stretch, limits.worst_fit, limits.steps, jitter, seed, stop, told,
    )  # fmt: skip
    label = np.unique(label, return_inverse=True)[1].astype(np.int64)
    return replace(work, label=label, joined=joined, uv=uv)


def split_off(work: SurfaceIslands, base: SurfaceIslands, parts: BoolArray) -> SurfaceIslands:
    """Open the seams in and around some parts again.

    Parameters
    ----------
    work : SurfaceIslands
    base : SurfaceIslands
        The parts that it was joined from.
    parts : (P,) bool
        Pieces that are cut loose.
    """
    pieces = work.pieces
    loose = parts[base.label]
    half = np.repeat(loose, 3)
    touched = half | (half[pieces.across] & (pieces.across >= 0))
    joined = np.where(touched, base.joined, work.joined)
    uv = np.where(loose[:, None, None], base.uv, work.uv)
    inside = np.flatnonzero(joined)
    label = groups(np.stack([inside // 3, pieces.across[inside] // 3], axis=1), pieces.count)
    return SurfaceIslands(pieces, label, joined, uv)


def near_pieces(base: SurfaceIslands, start: int, share: float) -> BoolArray:
    """(P,) the pieces nearest to a triangle, with about that share of the surface."""
    middle = base.pieces.points.mean(axis=1)
    far = np.linalg.norm(middle - middle[start], axis=1)
    order = np.argsort(far)
    held = np.cumsum(base.pieces.area[order])
    many = int(np.searchsorted(held, share * held[-1])) + 1
    out = np.zeros(int(base.label.max()) + 1, bool)
    out[base.label[order[:many]]] = True
    return out
