"""What is to be baked, made ready: surfaces, pairs, and how far rays reach."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from quilt_core.bake.pairs import pairs_of
from quilt_core.bake.rays import RayScene
from quilt_core.bake.settings import BakeSettings
from quilt_core.bake.surface import BakeSurface
from quilt_core.bake.values import curvature_of, curvature_range
from quilt_core.errors import LayoutError
from quilt_core.scene.types import Float32, FloatArray, IntArray
from quilt_core.sheet.texture_sheets import id_colours

Colours = Callable[[IntArray, FloatArray], Float32]
Reach = Callable[[FloatArray], FloatArray]


@dataclass(eq=False)
class BakeCase:
    """What is to be baked, made ready: surfaces, pairs and rays.

    Parameters
    ----------
    low, high : BakeSurface
        The low poly surface with its layout, and the fine one; the same for a mesh onto itself.
    settings : BakeSettings
    colours : callable, optional
        Colours of the high poly surface in linear light (K, 3) by triangle and weights of its corners.
    cage : (N, 3, 3) float64, optional
        Corners of a cage around the low poly surface, triangle by triangle, for rays that start from it.
    notes : list of str
        What the user should know.
    own_space : bool
        Whether objects stand about their own origins, and not where they are in the world.
    reach : callable, optional
        What part of the distances holds at points (K, 2) of the tiles' plane, (K,) from 0 to 1: painted weights.
    twin : (N,) int64, optional
        For triangles of the low poly surface that are baked onto themselves the same one of the high poly surface, else -1.
    """

    low: BakeSurface
    high: BakeSurface
    settings: BakeSettings
    colours: Colours | None = None
    cage: FloatArray | None = None
    notes: list[str] = field(default_factory=list)
    own_space: bool = False
    twin: IntArray | None = None
    reach: Reach | None = None

    def __post_init__(self) -> None:
        low, high, settings = self.low, self.high, self.settings
        if not low.count:
            raise LayoutError("There is no face to bake onto.", "", "Bring in meshes with faces.")
        if not high.count:
            raise LayoutError(
                "There is no high poly face.", "", "Bring in the high poly mesh, too."
            )
        if settings.along == "cage" and self.cage is None:
            raise LayoutError(
                "There is no cage mesh.", "along", "Give one, or shoot along smooth normals."
            )
        if self.cage is not None and len(self.cage) != low.count:
            raise LayoutError(
                f"The cage has {len(self.cage):,} triangles, the low poly mesh {low.count:,}.",
                "cage",
                "Make it from the low poly mesh, face by face.",
            )
        if low is high:
            self.twin = np.arange(low.count)
        elif self.twin is None:
            self.twin = np.full(low.count, -1)
        own = self.twin >= 0
        shot = np.ones(high.count, bool)
        shot[self.twin[own]] = False
        # A mesh onto itself has no high poly objects besides.
        others = np.unique(high.obj[shot]).tolist()
        mine = sorted({int(k) for k in low.obj[~own]})
        low_pair = np.arange(len(low.names))
        high_pair = np.zeros(len(high.names), np.int64)
        if mine:
            names = [low.names[k] for k in mine]
            some, theirs, notes = pairs_of(names, [high.names[k] for k in others], settings)
            self.notes += notes
            # Numbers of pairs lie beyond those of objects that meet themselves.
            low_pair[mine] = len(low.names) + some
            high_pair[others] = len(low.names) + theirs
        self.pair_of_low, self.pair_of_high = low_pair[low.obj], high_pair[high.obj]
        self.pair_of_high[self.twin[own]] = self.pair_of_low[own]
        if not settings.by_name and low is high:
            self.pair_of_low, self.pair_of_high = (np.zeros(low.count, np.int64) for _ in range(2))
        self.tangents = low.tangents()
        self.high_faces = high.faces()
        self.out = (
            np.repeat(low.faces()[:, None], 3, 1) if settings.along == "faces" else low.smooth
        )
        self._scenes: dict[int, tuple[RayScene, IntArray]] = {}
        self.lengths = settings.lengths(largest_object(low))
        outward, inward = (np.full(len(low.names), length) for length in self.lengths)
        for k, name in enumerate(low.names):
            outward[k] = settings.distances.get(name, outward[k])
            inward[k] = settings.distances.get(name, inward[k])
        self.outward, self.inward = outward[low.obj], inward[low.obj]
        self.curvature = curvature_of(high) if "curvature" in settings.maps else np.zeros((0, 3, 1))
        self.bend = 1.0
        if "curvature" in settings.maps:
            self.bend = (
                1 / settings.curvature
                if settings.curvature
                else curvature_range(self.curvature, high)
            )
        kinds = {"object": high.names, "material": high.materials}.get(settings.ids, ())
        self.id_of = {"object": high.obj, "material": high.material}.get(settings.ids, low.island)
        if settings.ids == "island":
            kinds = tuple(f"island {k}" for k in range(int(low.island.max(initial=-1)) + 1))
        self.ids = (id_colours(len(kinds)) / 255).astype(np.float32)

    def scene_of(self, pair: int) -> tuple[RayScene, IntArray]:
        """Rays against what a pair may meet, and the triangles' numbers in the high poly surface."""
        key = pair if not self.settings.together and len(np.unique(self.pair_of_high)) > 1 else -1
        if key not in self._scenes:
            rows = (
                np.flatnonzero(self.pair_of_high == key) if key >= 0 else np.arange(self.high.count)
            )
            self._scenes[key] = RayScene(self.high.points[rows]), rows
        return self._scenes[key]


def largest_object(surface: BakeSurface) -> float:
    """Longest side of the largest object, metres; points that are nowhere do not count."""
    sides = []
    for k in np.unique(surface.obj):
        own = surface.points[surface.obj == k].reshape(-1, 3)
        own = own[np.isfinite(own).all(axis=1)]
        if len(own):
            sides.append(float(np.ptp(own, axis=0).max()))
    return max(sides, default=1.0) or 1.0
