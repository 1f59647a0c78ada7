"""What nobody sees: how much of each island can be looked at, and how large its texels are then.

References: directions over a sphere by the golden angle (Swinbank and Purser 2006, Fibonacci grids); what is seen is a
matter of rays, as for occlusion.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from quilt_core.bake.rays import THREADS, RayScene
from quilt_core.bake.surface import BakeSurface
from quilt_core.errors import LayoutError
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

VIEWS = ("around", "above", "cameras", "band")
DIRECTIONS = 128
LEAST, TOTAL = 24, 120_000
"""Points of an island at least, and of all islands together about."""
LIFT = 2e-5
"""Part of the scene's size that rays start above the surface."""
GRAZING = 0.05
"""Cosine below which a face is edge on: nothing of it is seen."""
NEVER, SELDOM = 0.005, 0.25
"""Parts of an island that are seen: below the first it never is, below the second seldom."""


@dataclass(frozen=True)
class Views:
    """From where a set is looked at.

    Parameters
    ----------
    kind : str
        around (all directions), above (those over the horizon), cameras (from places), band (from all around each spot,
        as far away as `near` to `far`: from within rooms, too).
    cameras : tuple of (x, y, z)
        Places in the world, metres.
    near, far : float
        Of a band, metres.
    up : (x, y, z)
    alone : bool
        Whether each object is looked at without the others.
    both_sides : bool
        Whether faces are seen from behind, too.
    """

    kind: str = "around"
    cameras: tuple[tuple[float, float, float], ...] = ()
    up: tuple[float, float, float] = (0.0, 1.0, 0.0)
    alone: bool = False
    both_sides: bool = False
    near: float = 0.0
    far: float = 0.0

    def __post_init__(self) -> None:
        if self.kind not in VIEWS:
            raise LayoutError(f"“{self.kind}”.", "views", f"Give one of {', '.join(VIEWS)}.")
        if self.kind == "cameras" and not self.cameras:
            raise LayoutError("There is no camera.", "views", "Give the place of one.")
        if self.kind == "band" and not 0 < self.near <= self.far < 1e9:
            raise LayoutError(
                f"From {self.near:g} to {self.far:g} m.",
                "views",
                "Give two lengths, the shorter one first.",
            )


@dataclass(frozen=True, eq=False)
class Seen:
    """How islands are seen.

    Parameters
    ----------
    share : (I,) float64
        Part of the surface that is seen from anywhere.
    above : (I,) float64
        Part that is seen from above the horizon.
    often : (I,) float64
        Part of the views, of the points on the island that are seen at all, from which they are.
    facing : (I,) float64
        Cosine to the views, on average over what is seen: by how much texels are shortened.
    distance : (I,) float64
        To the cameras, on average over what is seen, metres; NaN for views from afar.
    area : (I,) float64
        Square metres.
    points : (I,) int64
        Points that were looked at.
    """

    share: FloatArray
    above: FloatArray
    often: FloatArray
    facing: FloatArray
    distance: FloatArray
    area: FloatArray
    points: IntArray


def measure_visibility(
    surface: BakeSurface,
    views: Views = Views(),
    total: int | None = None,
    tell: Callable[[float], bool] = lambda progress: True,
) -> Seen:
    """Look at the islands of a surface from all sides.

    Parameters
    ----------
    surface : BakeSurface
        Its `island` numbers are those of the answer; triangles without one only hide others.
    views : Views
    total : int, optional
        Points to look at, about; `TOTAL` without it.
    tell : callable
        Is told how far it is; False gives up.

    Raises
    ------
    LayoutError
        When it was given up.
    """
    triangle, place, area = _points(surface, total or TOTAL)
    count = len(area)
    normal = surface.faces()[triangle]
    island = surface.island[triangle]
    scenes = _scenes(surface, views.alone)
    up = np.array(views.up, np.float64) / max(float(np.linalg.norm(views.up)), 1e-30)
    ways = np.array(views.cameras) if views.kind == "cameras" else _directions(views, up)
    away = _distances(views, len(ways))
    seen, high = np.zeros(len(triangle), np.int32), np.zeros(len(triangle), bool)
    facing, far = np.zeros(len(triangle)), np.zeros(len(triangle))
    owner = surface.obj[triangle] if views.alone else np.zeros(len(triangle), np.int64)

    def look(number: int) -> tuple[IntArray, FloatArray, FloatArray, BoolArray]:
        if views.kind == "cameras":
            to = ways[number] - place
            distance = np.linalg.norm(to, axis=1)
            along = to / np.maximum(distance[:, None], 1e-30)
        else:
            along = np.broadcast_to(ways[number], place.shape)
            distance = np.full(len(place), away[number])
        cosine = (normal * along).sum(axis=1)
        toward = np.abs(cosine) if views.both_sides else cosine
        rows = np.flatnonzero(toward > GRAZING)
        free = np.zeros(len(rows), bool)
        side = np.where(cosine[rows] < 0, -1.0, 1.0)
        for key, scene in scenes.items():
            mine = np.flatnonzero(owner[rows] == key)
            start = place[rows[mine]] + side[mine, None] * normal[rows[mine]] * (LIFT * scene.size)
            free[mine] = ~scene.blocked(start, along[rows[mine]], distance[rows[mine]] * (1 - 1e-6))
        rows = rows[free]
        return rows, toward[rows], distance[rows], (along[rows] @ up) > 0

    with ThreadPoolExecutor(THREADS) as pool:
        for number, (rows, toward, distance, over) in enumerate(pool.map(look, range(len(ways)))):
            seen[rows] += 1
            facing[rows] += toward
            far[rows] += np.where(np.isfinite(distance), distance, 0.0)
            high[rows] |= over
            if not tell((number + 1) / len(ways)):
                pool.shutdown(wait=False, cancel_futures=True)
                raise LayoutError("The look was given up.", "", "Look again.")
    points = np.bincount(island, minlength=count)
    some = np.maximum(points, 1)
    found = seen > 0
    total_seen = np.bincount(island, seen, minlength=count)
    visible = np.bincount(island, found, minlength=count)
    return Seen(
        share=visible / some,
        above=np.bincount(island, high, minlength=count) / some,
        often=total_seen / np.maximum(visible, 1) / len(ways),
        facing=np.bincount(island, facing, minlength=count) / np.maximum(total_seen, 1),
        distance=np.where(
            (total_seen > 0) & (views.kind in ("cameras", "band")),
            np.bincount(island, far, minlength=count) / np.maximum(total_seen, 1),
            np.nan,
        ),
        area=area,
        points=points,
    )


def screen_px(
    seen: Seen, density: FloatArray, distance: float, height: int = 1080, angle: float = 50.0
) -> FloatArray:
    """(I,) pixels that a texel takes on screen, along an edge, on average over the views.

    Parameters
    ----------
    seen : Seen
    density : (I,) float64
        px per metre.
    distance : float
        Of views from afar, metres; cameras have their own.
    height : int
        Of the screen, px.
    angle : float
        Of the view from bottom to top, degrees.
    """
    away = np.where(np.isfinite(seen.distance), seen.distance, distance)
    per_metre = height / (2 * np.maximum(away, 1e-9) * np.tan(np.radians(angle) / 2))
    return np.asarray(
        np.divide(
            per_metre * np.sqrt(seen.facing), density, out=np.zeros(len(density)), where=density > 0
        )
    )


@dataclass(frozen=True)
class Proposal:
    """A weight that an island may have.

    Parameters
    ----------
    island : int
    weight : float
    kind : str
        never, below (only from below) or seldom.
    text : str
    """

    island: int
    weight: float
    kind: str
    text: str


def proposals(seen: Seen, weights: FloatArray | None = None) -> tuple[Proposal, ...]:
    """Weights for islands that are little seen, the largest gain of area first; those that have no more already are left
    out."""
    out = []
    for k in range(len(seen.share)):
        if not seen.points[k] or seen.area[k] <= 0:
            continue
        now = 1.0 if weights is None else float(weights[k])
        if seen.share[k] < NEVER:
            what = Proposal(k, 0.1, "never", "It is never visible.")
        elif seen.above[k] < NEVER:
            what = Proposal(k, 0.5, "below", "It is visible from below only.")
        elif seen.share[k] < SELDOM:
            what = Proposal(k, 0.5, "seldom", f"{seen.share[k]:.0%} of it are visible.")
        else:
            continue
        if what.weight < now * (1 - 1e-6):  # kept as 32-bit floats
            out.append(what)
    return tuple(sorted(out, key=lambda p: (1 - p.weight**2) * seen.area[p.island], reverse=True))


def freed(seen: Seen, found: Sequence[Proposal], weights: FloatArray | None = None) -> float:
    """Part of all texels that proposals would free at the same density for the rest."""
    now = np.ones(len(seen.area)) if weights is None else np.asarray(weights, np.float64)
    before = float((now**2 * seen.area).sum())
    after = now.copy()
    for one in found:
        after[one.island] = one.weight
    return float(1 - (after**2 * seen.area).sum() / before) if before > 0 else 0.0


def _directions(views: Views, up: FloatArray) -> FloatArray:
    k = np.arange(DIRECTIONS) + 0.5
    z = 1 - 2 * k / DIRECTIONS
    turn = np.pi * (1 + 5**0.5) * k
    ring = np.sqrt(1 - z * z)
    out = np.stack([ring * np.cos(turn), z, ring * np.sin(turn)], axis=1)
    if views.kind == "above":
        out = out[out @ up > 0]
    return out


def _distances(views: Views, count: int) -> FloatArray:
    """How far away each view is from what it looks at: a band is gone through in four steps, over and over."""
    if views.kind != "band":
        return np.full(count, np.inf)
    return np.asarray(views.near * (views.far / views.near) ** ((np.arange(count) % 4) / 3))


def _scenes(surface: BakeSurface, alone: bool) -> dict[int, RayScene]:
    if not alone:
        return {0: RayScene(surface.points)}
    return {int(k): RayScene(surface.points[surface.obj == k]) for k in np.unique(surface.obj)}


def _points(surface: BakeSurface, total: int) -> tuple[IntArray, FloatArray, FloatArray]:
    """Points spread evenly over each island: their triangles and places; and the islands' areas."""
    sides = surface.points[:, 1:] - surface.points[:, :1]
    own = 0.5 * np.linalg.norm(np.cross(sides[:, 0], sides[:, 1]), axis=1)
    own = np.where((surface.island >= 0) & np.isfinite(own), own, 0.0)
    count = int(surface.island.max(initial=-1)) + 1
    known = surface.island >= 0
    area = np.bincount(surface.island[known], own[known], minlength=count)
    whole = float(area.sum())
    if whole <= 0:
        raise LayoutError("There is no island with an area.", "", "Unwrap the meshes first.")
    wanted = np.where(area > 0, np.maximum(np.ceil(total * area / whole), LEAST), 0).astype(
        np.int64
    )
    order = np.argsort(np.where(known, surface.island, count), kind="stable")[: int(known.sum())]
    run = np.cumsum(own[order])
    first = np.concatenate([[0.0], np.cumsum(area)[:-1]])
    island = np.repeat(np.arange(count), wanted)
    number = np.arange(len(island)) - np.repeat(np.cumsum(wanted) - wanted, wanted)
    at = first[island] + (number + 0.5) / wanted[island] * area[island]
    triangle = order[np.minimum(np.searchsorted(run, at), len(order) - 1)]
    u = (number * 0.7548776662466927 + 0.5) % 1.0
    v = (number * 0.5698402909980532 + 0.5) % 1.0
    over = u + v > 1
    u, v = np.where(over, 1 - u, u), np.where(over, 1 - v, v)
    corner = surface.points[triangle]
    place = (
        corner[:, 0]
        + u[:, None] * (corner[:, 1] - corner[:, 0])
        + v[:, None] * (corner[:, 2] - corner[:, 0])
    )
    return triangle, place, np.asarray(area, np.float64)
