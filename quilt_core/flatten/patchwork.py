"""A surface cut into charts that lie flat, sewn together piece by piece as far as they stay so.

Every chart is valid at all times: no triangle turned over, nothing covered twice, its stretch below
the limit. Cutting starts with regions around seeds; those that cannot lie flat are halved. Then
seams are closed, the most promising first, each tried by flattening what it would join.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from quilt_core.flatten._border_loops import crowded, find_chains, fit_chain
from quilt_core.flatten._chart_loops import (
    chart_vertices,
    covered_share,
    figures,
    near_chain,
    relax,
    rim,
)
from quilt_core.flatten.shells import Shells

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]


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


def limits_for(stretch: float) -> Limits:
    """Limits from the L2 stretch that the user allows.

    Where the two singular values differ from 1 by small independent amounts, L2² - 1 is 3/2 and the
    energy - 4 is 4 times their mean square.
    """
    return Limits(stretch, 4.0 + 2.2 * (stretch * stretch - 1.0))


@dataclass(eq=False)
class Chart:
    """Triangles that lie flat together."""

    tris: IntArray
    energy: float
    area: float
    version: int


@dataclass(eq=False)
class Patchwork:
    """Charts of a surface while they are sewn.

    Parameters
    ----------
    shells : Shells
    limits : Limits
    label : (N,) int64
        Chart of each triangle.
    sewn : (3 N,) bool
        Half-edges that are no seam.
    uv : (N, 3, 2) float64
        Corners of each triangle in its chart's own plane, in the unit of the surface.
    charts : dict
    """

    shells: Shells
    limits: Limits
    label: IntArray
    sewn: BoolArray
    uv: FloatArray
    charts: dict[int, Chart] = field(default_factory=dict)

    def __post_init__(self) -> None:
        count = self.shells.count
        self._place = np.full(count, -1, np.int64)
        self._seen = np.zeros(count, bool)
        self._mark = np.zeros(3 * count, np.int64)
        self._next = 0
        self.tried = 0
        self.failed: dict[tuple[int, int], float] = {}

    def key(self, chain: IntArray) -> tuple[int, int]:
        """What a chain is known by, from either side."""
        return int(min(chain.min(), self.shells.across[chain].min())), len(chain)

    def hopeless(self, chain: IntArray, area: float) -> bool:
        """Whether it failed before, between charts that were not much larger together."""
        return self.failed.get(self.key(chain), np.inf) <= 1.3 * area

    def flatten(
        self, tris: IntArray, steps: int, part: IntArray | None = None
    ) -> tuple[bool, float, FloatArray]:
        """Flatten triangles as they are sewn now, from their present coordinates; only a part of
        them, the others stay, when it is given.

        Returns whether they are a valid chart, its energy, and the new coordinates.
        """
        shells, limits = self.shells, self.limits
        moving = tris if part is None else part
        faces, n = chart_vertices(moving, shells.across, self.sewn, self._place)
        held = np.empty(0, bool)
        if part is not None:
            held = rim(part, faces, n, shells.across, self.sewn, self._place)
        uv = self.uv[moving]
        most = limits.energy if part is None else 5.0
        if not relax(faces, n, shells.rest[moving], uv, steps, 1e-4, most, held):
            return False, np.inf, uv
        if part is not None:
            before = self.uv[part]
            self.uv[part] = uv
            uv = self.uv[tris]
            self.uv[part] = before
            faces, n = chart_vertices(tris, shells.across, self.sewn, self._place)
        energy, stretch, flipped, _ = figures(shells.rest[tris], uv)
        if flipped or energy > limits.energy or stretch > limits.stretch**2:
            return False, np.inf, uv
        fine = not crowded(faces, n, tris, self.sewn, uv)
        return bool(fine), float(energy), uv

    def add(self, tris: IntArray, energy: float, uv: FloatArray) -> int:
        """Make triangles a chart; its number."""
        number = self._next
        self._next += 1
        self.label[tris] = number
        self.uv[tris] = uv
        self.charts[number] = Chart(tris, energy, float(self.shells.area[tris].sum()), number)
        return number

    def chains(self, number: int) -> list[IntArray]:
        """Stretches of a chart's border along which it could be sewn."""
        shells = self.shells
        row, end = find_chains(
            self.charts[number].tris, self.label, shells.across, self.sewn, shells.length, self._mark
        )
        return np.split(row, end[:-1]) if len(end) else []

    def fit(self, chain: IntArray) -> tuple[float, float]:
        """How badly a chain's sides fit on one another, as a part of its length; its length."""
        one, two = self._sides(chain)
        *_, left, length = fit_chain(chain, self.shells.across, self.shells.length, self.uv, one == two)
        return left / max(length, 1e-300), length

    def sew(self, chain: IntArray, steps: int = 12) -> int | None:
        """Close a seam; the number of the new chart, or None when it would not lie flat."""
        shells = self.shells
        across = shells.across[chain]
        one, two = self._sides(chain)
        tris = self.charts[one].tris
        held = None
        if one != two:
            other = self.charts[two].tris
            c, s, dx, dy, _, _ = fit_chain(chain, shells.across, shells.length, self.uv, False)
            held = self.uv[other]
            self.uv[other] = held @ np.array([[c, s], [-s, c]]) + (dx, dy)
            if self._covered(tris, other) > MOST_COVERED:
                self.uv[other] = held
                return None
            tris = np.concatenate([tris, other])
        self.sewn[chain] = self.sewn[across] = True
        self.tried += 1
        fine, energy, uv = False, np.inf, held
        more = False
        if len(tris) > 2 * PART:
            part, more = near_chain(chain, shells.across, self.sewn, PART, self._seen)
            if more:
                fine, energy, uv = self.flatten(tris, steps, part)
        if not fine and not (more and np.isfinite(energy)):
            fine, energy, uv = self.flatten(tris, steps)
        if not fine:
            self.sewn[chain] = self.sewn[across] = False
            if held is not None:
                self.uv[self.charts[two].tris] = held
            return None
        del self.charts[one]
        if one != two:
            del self.charts[two]
        return self.add(tris, energy, uv)

    def _covered(self, one: IntArray, two: IntArray) -> float:
        """Share of the smaller chart that lies on the larger one."""
        if len(one) < len(two):
            one, two = two, one
        return float(covered_share(self.uv[two], self.shells.area[two], self.uv[one]))

    def _sides(self, chain: IntArray) -> tuple[int, int]:
        return int(self.label[chain[0] // 3]), int(self.label[self.shells.across[chain[0]] // 3])


WORST_FIT = 0.8
MOST_COVERED = 0.1
PART = 500


def sew_all(work: Patchwork) -> None:
    """Close seams, the most promising first, until none can be closed any more."""
    heap: list[tuple[float, int, int, int, IntArray]] = []
    count = 0

    def offer(chain: IntArray) -> None:
        """Put a chain, or the parts of it that may fit, on the list."""
        nonlocal count
        one, two = work._sides(chain)
        left, length = work.fit(chain)
        total = work.charts[one].area + work.charts[two].area
        if left > WORST_FIT or work.hopeless(chain, total):
            halve(chain)
            return
        small = min(work.charts[one].area, work.charts[two].area)
        score = length / np.sqrt(small) / (1 + (left / 0.03) ** 2)
        heapq.heappush(heap, (-score, count, one, two, chain))
        count += 1

    def halve(chain: IntArray) -> None:
        if len(chain) > 1:
            offer(chain[: len(chain) // 2])
            offer(chain[len(chain) // 2 :])

    for number in list(work.charts):
        for chain in work.chains(number):
            offer(chain)
    while heap:
        _, _, one, two, chain = heapq.heappop(heap)
        if one not in work.charts or two not in work.charts or work.sewn[chain[0]]:
            continue
        total = work.charts[one].area + work.charts[two].area
        if work.hopeless(chain, total):
            continue
        made = work.sew(chain)
        if made is None:
            work.failed[work.key(chain)] = total
            halve(chain)
        else:
            for new in work.chains(made):
                offer(new)
