"""Bake maps of a fine mesh onto the layout of a coarse one."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.bake._bake_loops import averaged, weights_of
from quilt_core.bake.occlusion import Spots, occlusion, thickness
from quilt_core.bake.pairs import pairs_of
from quilt_core.bake.rays import THREADS, Hits, RayScene
from quilt_core.bake.settings import MAPS, BakeSettings
from quilt_core.bake.surface import BakeSurface, unit
from quilt_core.bake.values import (
    Points,
    at_hits,
    at_points,
    curvature_of,
    curvature_range,
    seen_normals,
    tangent_normals,
)
from quilt_core.errors import LayoutError
from quilt_core.pictures.texels import Texels, bleed, find_texels, nearest_texels
from quilt_core.scene.tiles import TileSize
from quilt_core.sheet.picture_sets import id_colours

FloatArray = NDArray[np.float64]
Float32 = NDArray[np.float32]
IntArray = NDArray[np.int64]

NOTHING, MET, BACK, OTHER, MISSED = 0, 1, 2, 3, 4
"""What became of a texel's ray: no surface; met; met a back; met an object of another pair; met nothing."""
ROWS = 64
"""Rows of texels that are baked at once."""
Tell = Callable[[float, str], bool]
Colours = Callable[[IntArray, FloatArray], Float32]


@dataclass(frozen=True, eq=False)
class BakedTile:
    """Maps of a tile.

    Parameters
    ----------
    tile : TileSize
    maps : dict
        Map to (H, W, C) float32: normals from -1 to 1, height in metres, all else from 0 to 1, colours in linear light.
    texels : Texels
    triangles : (N,) int64
        Triangles of the coarse surface that lie in the tile, which `texels.owner` counts.
    rays : (H, W) uint8
        What became of each texel's ray.
    skew : (H, W) float32
        Cosine between the ray and the face that it starts from, 0 elsewhere.
    whole : bool
        Whether all rows were baked.
    """

    tile: TileSize
    maps: dict[str, Float32]
    texels: Texels
    triangles: IntArray
    rays: NDArray[np.uint8]
    skew: Float32
    whole: bool = True


@dataclass(eq=False)
class Rehearsal:
    """What is to be baked, made ready: surfaces, pairs and rays.

    Parameters
    ----------
    low, high : BakeSurface
        The coarse surface with its layout, and the fine one; the same for a mesh onto itself.
    settings : BakeSettings
    colours : callable, optional
        Colours of the fine surface in linear light (K, 3) by triangle and weights of its corners.
    shell : (N, 3, 3) float64, optional
        Corners of a shell around the coarse surface, triangle by triangle, for rays that start from it.
    notes : list of str
        What the user should know.
    own_space : bool
        Whether objects stand about their own origins, and not where they are in the world.
    twin : (N,) int64, optional
        For triangles of the coarse surface that are baked onto themselves the same one of the fine surface, else -1.
    """

    low: BakeSurface
    high: BakeSurface
    settings: BakeSettings
    colours: Colours | None = None
    shell: FloatArray | None = None
    notes: list[str] = field(default_factory=list)
    own_space: bool = False
    twin: IntArray | None = None

    def __post_init__(self) -> None:
        low, high, settings = self.low, self.high, self.settings
        if not low.count:
            raise LayoutError("There is no face to bake onto.", "", "Bring in meshes with faces.")
        if not high.count:
            raise LayoutError("There is no fine face.", "", "Bring in the fine mesh, too.")
        if settings.along == "shell" and self.shell is None:
            raise LayoutError(
                "There is no shell mesh.", "--along", "Give one, or shoot along smooth normals."
            )
        if self.shell is not None and len(self.shell) != low.count:
            raise LayoutError(
                f"The shell has {len(self.shell):,} triangles, the coarse mesh {low.count:,}.",
                "shell",
                "Make it from the coarse mesh, face by face.",
            )
        if low is high:
            self.twin = np.arange(low.count)
        elif self.twin is None:
            self.twin = np.full(low.count, -1)
        own = self.twin >= 0
        shot = np.ones(high.count, bool)
        shot[self.twin[own]] = False
        # A mesh onto itself has no fine objects besides.
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
        if settings.match == "all" and low is high:
            self.pair_of_low, self.pair_of_high = (np.zeros(low.count, np.int64) for _ in range(2))
        self.tangents = low.tangents()
        self.high_faces = high.faces()
        self.out = (
            np.repeat(low.faces()[:, None], 3, 1) if settings.along == "faces" else low.smooth
        )
        self._scenes: dict[int, tuple[RayScene, IntArray]] = {}
        outward, inward = (
            np.full(len(low.names), settings.outward),
            np.full(len(low.names), settings.inward),
        )
        for k, name in enumerate(low.names):
            outward[k], inward[k] = settings.distances.get(name, (outward[k], inward[k]))
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
        """Rays against what a pair may meet, and the triangles' numbers in the fine surface."""
        key = pair if self.settings.apart and len(np.unique(self.pair_of_high)) > 1 else -1
        if key not in self._scenes:
            rows = (
                np.flatnonzero(self.pair_of_high == key) if key >= 0 else np.arange(self.high.count)
            )
            self._scenes[key] = RayScene(self.high.points[rows]), rows
        return self._scenes[key]


def bake(
    case: Rehearsal, tiles: Sequence[TileSize], tell: Tell = lambda progress, what: True
) -> Iterator[BakedTile]:
    """Bake the maps of each tile in which something lies.

    Parameters
    ----------
    case : Rehearsal
    tiles : sequence of TileSize
    tell : callable
        Is told how far it is, and at what; False ends with what there is: the last tile is not whole then.
    """
    middle = case.low.uv.mean(axis=1)
    known = np.isfinite(middle).all(axis=1)
    place = np.floor(np.where(known[:, None], middle, -1.0)).astype(np.int64)
    here = [
        np.flatnonzero(known & (place == np.array(tile.corner, np.int64)).all(axis=1))
        for tile in tiles
    ]
    wanted = [(tile, rows) for tile, rows in zip(tiles, here, strict=True) if len(rows)]
    if not wanted:
        raise LayoutError("Nothing lies in the tiles.", "", "Pack the islands first.")
    for number, (tile, rows) in enumerate(wanted):

        def tell_more(done: float, number: int = number, tile: TileSize = tile) -> bool:
            name = f"tile {tile.number}" if len(wanted) > 1 else "rays"
            return tell((number + done) / len(wanted), name)

        baked = _bake_tile(case, tile, rows, tell_more)
        yield baked
        if not baked.whole:
            return


def _bake_tile(
    case: Rehearsal, tile: TileSize, rows: IntArray, tell: Callable[[float], bool]
) -> BakedTile:
    side = case.settings.side
    width, height = tile.width, tile.height
    uv = case.low.uv[rows] - np.array(tile.corner)
    px = np.stack([uv[..., 0] * width * side, (1.0 - uv[..., 1]) * height * side], axis=2)
    fine = find_texels(px, width * side, height * side)
    maps = {name: np.zeros((height, width, MAPS[name]), np.float32) for name in case.settings.maps}
    rays = np.zeros((height, width), np.uint8)
    skew = np.zeros((height, width), np.float32)
    seen = np.zeros((height, width), bool)
    for pair in np.unique(case.pair_of_low[rows]):
        case.scene_of(int(pair))  # built by one thread
    stopped = False
    done = 0

    def work(first: int) -> None:
        nonlocal stopped, done
        if stopped:
            return
        band = slice(first, min(first + ROWS, height))
        _bake_band(case, rows, px, fine.owner, band, width, maps, rays, skew, seen)
        done += 1
        stopped = stopped or not tell(min(done * ROWS / height, 1.0))

    with ThreadPoolExecutor(THREADS) as pool:
        list(pool.map(work, range(0, height, ROWS)))
    texels = fine if side == 1 else find_texels(px / side, width, height)
    owner = np.where(seen, texels.owner, -1).astype(np.int32)
    # What lies outside gets its colours from where rays met something, if they did anywhere.
    good = seen & (rays != MISSED)
    texels = Texels(owner, texels.rim & seen, nearest_texels(~(good if good.any() else seen)))
    for name, picture in maps.items():
        _spread(picture, texels, seen, name)
    return BakedTile(tile, maps, texels, rows, rays, skew, not stopped)


def _spread(picture: Float32, texels: Texels, seen: NDArray[np.bool_], name: str) -> None:
    """Bleed a map of whatever channels, in place."""
    if not seen.any():
        return
    four = np.zeros((*picture.shape[:2], 4), np.float32)
    four[..., : picture.shape[2]] = picture
    bleed(four, texels)
    picture[:] = four[..., : picture.shape[2]]


def _bake_band(
    case: Rehearsal,
    rows: IntArray,
    px: FloatArray,
    owner: NDArray[np.int32],
    band: slice,
    width: int,
    maps: dict[str, Float32],
    rays: NDArray[np.uint8],
    skew: Float32,
    seen: NDArray[np.bool_],
) -> None:
    side = case.settings.side
    first = band.start * side
    rows_here = (band.stop - band.start) * side
    # One row more: what lies between two bands is worked out from both of them.
    own = np.ascontiguousarray(owner[first : band.stop * side + 1])
    at = np.flatnonzero(own >= 0)
    if not len(at):
        return
    points = _points(case, rows, px, own, first, at)
    hits, pair_of = _meet(case, points)
    became = _became(case, points, hits, pair_of)
    here = own[:rows_here]
    inside = at < here.size
    know = here >= 0
    for name, picture in maps.items():
        values = _values(case, name, points, hits, pair_of, at, own.shape)
        fine = np.zeros((*here.shape, picture.shape[2]), np.float32)
        fine.reshape(-1, picture.shape[2])[at[inside]] = values[inside]
        if name == "id" and side > 1:
            # Ids are never mixed: the sample in the middle decides.
            picture[band] = fine[side // 2 :: side, side // 2 :: side]
            _fill_ids(picture[band], fine, know, side)
            continue
        averaged(fine, know, side, picture[band], seen[band])
        if name in ("normal", "objectNormal"):
            length = np.linalg.norm(picture[band], axis=2, keepdims=True)
            picture[band] = np.where(
                length > 1e-6, picture[band] / np.maximum(length, 1e-6), picture[band]
            )
    faces = case.low.points[points.triangle]
    face = unit(np.cross(faces[:, 1] - faces[:, 0], faces[:, 2] - faces[:, 0]))
    slope = np.abs((face * points.out).sum(axis=1))
    blocks = (len(here) // side, side, width, side)
    both: tuple[tuple[NDArray[Any], NDArray[Any]], ...] = ((rays, became), (skew, slope))
    for whole, values in both:
        samples = np.zeros(here.shape, whole.dtype)
        samples.reshape(-1)[at[inside]] = values[inside]
        whole[band] = samples.reshape(blocks).max(axis=(1, 3))
    seen[band] = know.reshape(blocks).any(axis=(1, 3))


def _fill_ids(picture: Float32, fine: Float32, known: NDArray[np.bool_], side: int) -> None:
    """Texels whose middle sample lies beside the islands get another sample of theirs."""
    for j in range(side):
        for i in range(side):
            own = known[j::side, i::side]
            lost = own & (picture.sum(axis=2) == 0)
            picture[lost] = fine[j::side, i::side][lost]


def _points(
    case: Rehearsal,
    rows: IntArray,
    px: FloatArray,
    own: NDArray[np.int32],
    first: int,
    at: IntArray,
) -> Points:
    bary = np.zeros((len(at), 3))
    weights_of(own, first, px, at, bary)
    triangle = rows[own.reshape(-1)[at]]
    place = at_points(case.low.points, triangle, bary)
    outward = case.outward[triangle]
    if case.shell is not None and case.settings.along == "shell":
        away = at_points(case.shell, triangle, bary) - place
        out, outward = unit(away), np.linalg.norm(away, axis=1)
    else:
        out = unit(at_points(case.out, triangle, bary))
    return Points(
        triangle, bary, place, out, outward, at_points(case.low.normals, triangle, bary),
        at_points(case.tangents, triangle, bary),
    )  # fmt: skip


def _meet(case: Rehearsal, points: Points) -> tuple[Hits, IntArray]:
    """Where the rays of points meet the fine surface."""
    pair_of = case.pair_of_low[points.triangle]
    assert case.twin is not None
    # A surface meets itself where it lies: no ray can go astray.
    triangle = case.twin[points.triangle]
    own = triangle >= 0
    distance = np.where(own, 0.0, np.inf)
    bary = np.where(own[:, None], points.bary, 0.0)
    outward, inward = points.outward, case.inward[points.triangle]
    for pair in np.unique(pair_of[~own]):
        mine = (pair_of == pair) & ~own
        scene, numbers = case.scene_of(int(pair))
        start = points.place[mine] + outward[mine, None] * points.out[mine]
        hits = scene.hit(start, -points.out[mine], (outward + inward)[mine])
        triangle[mine] = np.where(hits.found, numbers[np.maximum(hits.triangle, 0)], -1)
        distance[mine], bary[mine] = hits.distance - outward[mine], hits.bary
    return Hits(triangle, distance, bary), pair_of


def _became(case: Rehearsal, points: Points, hits: Hits, pair_of: IntArray) -> NDArray[np.uint8]:
    """What became of each ray."""
    out = np.where(hits.found, MET, MISSED).astype(np.uint8)
    met = np.maximum(hits.triangle, 0)
    back = (case.high_faces[met] * points.out).sum(axis=1) < 0
    assert case.twin is not None
    shot = hits.found & (case.twin[points.triangle] < 0)
    out[shot & back] = BACK
    out[shot & (case.pair_of_high[met] != pair_of)] = OTHER
    return out


def _values(
    case: Rehearsal,
    name: str,
    points: Points,
    hits: Hits,
    pair_of: IntArray,
    at: IntArray,
    shape: tuple[int, int],
) -> Float32:
    settings, high = case.settings, case.high
    met = np.maximum(hits.triangle, 0)
    if name == "normal":
        return tangent_normals(seen_normals(hits, high, points), points, settings.green_down)
    if name == "objectNormal":
        return seen_normals(hits, high, points).astype(np.float32)
    if name == "height":
        return np.where(hits.found, -hits.distance, 0.0).astype(np.float32)[:, None]
    where = np.where(hits.found[:, None], at_hits(high.points, hits), points.place)
    if name == "position":
        flat = case.low.points.reshape(-1, 3)
        centre = 0.5 * (np.nanmin(flat, axis=0) + np.nanmax(flat, axis=0))
        return np.asarray(0.5 + (where - centre) / case.low.size, np.float32)
    if name == "curvature":
        bend = np.nan_to_num(at_hits(case.curvature, hits)) / case.bend
        return (0.5 + 0.5 * np.clip(bend, -1.0, 1.0)).astype(np.float32)
    if name == "id":
        number = case.id_of[points.triangle if settings.ids == "island" else met]
        known = (number >= 0) & (hits.found | (settings.ids == "island"))
        return np.where(
            known[:, None], case.ids[np.maximum(number, 0)] if len(case.ids) else 0.0, 0.0
        ).astype(np.float32)
    if name == "colour":
        if case.colours is None:
            return np.ones((len(at), 3), np.float32)
        return np.where(hits.found[:, None], case.colours(met, hits.bary), 0.0).astype(np.float32)
    return _seen(case, name, points, hits, pair_of, where, at, shape)


def _seen(
    case: Rehearsal,
    name: str,
    points: Points,
    hits: Hits,
    pair_of: IntArray,
    where: FloatArray,
    at: IntArray,
    shape: tuple[int, int],
) -> Float32:
    """Occlusion or thickness; 1 where nothing was met."""
    settings = case.settings
    normals = seen_normals(hits, case.high, points)
    faces = case.high_faces[np.maximum(hits.triangle, 0)]
    # A sheet that is met from behind is seen from there.
    assert case.twin is not None
    back = ((faces * points.out).sum(axis=1) < 0) & (case.twin[points.triangle] < 0)
    if back.any():
        faces, normals = (
            np.where(back[:, None], -faces, faces),
            np.where(back[:, None], -normals, normals),
        )
    out = np.ones((len(at), 1), np.float32)
    for pair in np.unique(pair_of):
        rows = np.flatnonzero(hits.found & (pair_of == pair))
        scene = case.scene_of(int(pair))[0]
        spots = Spots(where[rows], normals[rows], faces[rows], at[rows], shape)
        if name == "occlusion":
            far = settings.occlusion_distance or np.inf
            out[rows, 0] = occlusion(scene, spots, settings.occlusion_rays, far)
        else:
            far = settings.thickness_distance or 0.5 * case.high.size
            out[rows, 0] = thickness(scene, spots, settings.occlusion_rays, far)
    return out
