"""A surface cut into charts that lie flat, sewn together piece by piece as far as they stay so.

Every chart is valid at all times: no triangle turned over, nothing covered twice, its stretch below
the limit. Cutting starts with regions around seeds; those that cannot lie flat are halved. Then
seams are closed, the most promising first, each tried by flattening what it would join.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap._sew_loops import sew_charts
from quilt_core.unwrap.shells import Shells


@dataclass(frozen=True)
class Limits:
    """What a chart may have.

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
class Patchwork:
    """Charts of a surface.

    Parameters
    ----------
    shells : Shells
    label : (N,) int64
        Chart of each triangle.
    sewn : (3 N,) bool
        Half-edges that are no seam.
    uv : (N, 3, 2) float64
        Corners of each triangle in its chart's own plane, in the unit of the surface.
    """

    shells: Shells
    label: IntArray
    sewn: BoolArray
    uv: FloatArray

    @property
    def seam(self) -> float:
        """Length of the seams: of edges with a face on both sides that are cut."""
        cut = ~self.sewn & (self.shells.across >= 0)
        return float(self.shells.length[cut].sum()) / 2

    def charts(self) -> list[IntArray]:
        """Triangles of each chart."""
        order = np.argsort(self.label, kind="stable")
        cuts = np.flatnonzero(np.diff(self.label[order])) + 1
        return np.split(order, cuts) if len(order) else []


def sewn_up(
    work: Patchwork,
    limits: Limits,
    jitter: float = 0.0,
    seed: int = 0,
    stop: BoolArray | None = None,
    told: IntArray | None = None,
) -> Patchwork:
    """Close seams until none can be closed any more.

    `stop` (1,) ends it with what there is when it is set from another thread; `told` (2,) counts the
    seams that were closed and tried.
    """
    shells = work.shells
    label, sewn, uv = work.label.copy(), work.sewn.copy(), work.uv.copy()
    stop = np.zeros(1, bool) if stop is None else stop
    told = np.zeros(2, np.int64) if told is None else told
    sew_charts(
        label, shells.across, sewn, shells.rest, shells.sharp, shells.area, shells.length, uv,
        limits.energy, limits.stretch, limits.worst_fit, limits.steps, jitter, seed, stop, told,
    )  # fmt: skip
    label = np.unique(label, return_inverse=True)[1].astype(np.int64)
    return replace(work, label=label, sewn=sewn, uv=uv)


def unpicked(work: Patchwork, base: Patchwork, pieces: BoolArray) -> Patchwork:
    """Open the seams in and around some pieces again.

    Parameters
    ----------
    work : Patchwork
    base : Patchwork
        The pieces that it was sewn from.
    pieces : (P,) bool
        Pieces that are cut loose.
    """
    shells = work.shells
    loose = pieces[base.label]
    half = np.repeat(loose, 3)
    touched = half | (half[shells.across] & (shells.across >= 0))
    sewn = np.where(touched, base.sewn, work.sewn)
    uv = np.where(loose[:, None, None], base.uv, work.uv)
    inside = np.flatnonzero(sewn)
    label = groups(np.stack([inside // 3, shells.across[inside] // 3], axis=1), shells.count)
    return Patchwork(shells, label, sewn, uv)


def near_pieces(base: Patchwork, start: int, share: float) -> BoolArray:
    """(P,) the pieces nearest to a triangle, with about that share of the surface."""
    middle = base.shells.points.mean(axis=1)
    far = np.linalg.norm(middle - middle[start], axis=1)
    order = np.argsort(far)
    held = np.cumsum(base.shells.area[order])
    many = int(np.searchsorted(held, share * held[-1])) + 1
    out = np.zeros(int(base.label.max()) + 1, bool)
    out[base.label[order[:many]]] = True
    return out
