"""Bake maps of a high poly mesh onto the layout of a coarse one."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.bake._bake_loops import averaged, weights_of
from quilt_core.bake.case import BakeCase
from quilt_core.bake.rays import THREADS, Hits
from quilt_core.bake.settings import MAPS
from quilt_core.bake.shown import map_values
from quilt_core.bake.surface import unit
from quilt_core.bake.values import Points, at_points
from quilt_core.errors import LayoutError
from quilt_core.scene.tiles import TileSize
from quilt_core.scene.types import Float32, FloatArray, IntArray
from quilt_core.textures.texels import Texels, bleed, find_texels, nearest_texels

NOTHING, MET, BACK, OTHER, MISSED = 0, 1, 2, 3, 4
"""What became of a texel's ray: no surface; met; met a back; met an object of another pair; met nothing."""
ROWS = 64
"""Rows of texels that are baked at once."""
Tell = Callable[[float, str], bool]


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
        Triangles of the low poly surface that lie in the tile, which `texels.owner` counts.
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


def bake(
    case: BakeCase, tiles: Sequence[TileSize], tell: Tell = lambda progress, what: True
) -> Iterator[BakedTile]:
    """Bake the maps of each tile in which something lies.

    Parameters
    ----------
    case : BakeCase
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
    case: BakeCase, tile: TileSize, rows: IntArray, tell: Callable[[float], bool]
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
    for name, image in maps.items():
        _spread(image, texels, seen, name)
    return BakedTile(tile, maps, texels, rows, rays, skew, not stopped)


def _spread(image: Float32, texels: Texels, seen: NDArray[np.bool_], name: str) -> None:
    """Bleed a map of whatever channels, in place."""
    if not seen.any():
        return
    four = np.zeros((*image.shape[:2], 4), np.float32)
    four[..., : image.shape[2]] = image
    bleed(four, texels)
    image[:] = four[..., : image.shape[2]]


def _bake_band(
    case: BakeCase,
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
    for name, image in maps.items():
        values = map_values(case, name, points, hits, pair_of, at, own.shape)
        fine = np.zeros((*here.shape, image.shape[2]), np.float32)
        fine.reshape(-1, image.shape[2])[at[inside]] = values[inside]
        if name == "id" and side > 1:
            # Ids are never mixed: the sample in the middle decides.
            image[band] = fine[side // 2 :: side, side // 2 :: side]
            _fill_ids(image[band], fine, know, side)
            continue
        averaged(fine, know, side, image[band], seen[band])
        if name in ("normal", "objectNormal"):
            length = np.linalg.norm(image[band], axis=2, keepdims=True)
            image[band] = np.where(
                length > 1e-6, image[band] / np.maximum(length, 1e-6), image[band]
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


def _fill_ids(image: Float32, fine: Float32, known: NDArray[np.bool_], side: int) -> None:
    """Texels whose middle sample lies beside the islands get another sample of theirs."""
    for j in range(side):
        for i in range(side):
            own = known[j::side, i::side]
            lost = own & (image.sum(axis=2) == 0)
            image[lost] = fine[j::side, i::side][lost]


def _points(
    case: BakeCase,
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
    outward, inward = case.outward[triangle], case.inward[triangle]
    if case.reach is not None:
        painted = case.reach(at_points(case.low.uv, triangle, bary))
        outward, inward = outward * painted, inward * painted
    if case.cage is not None and case.settings.along == "cage":
        away = at_points(case.cage, triangle, bary) - place
        out, outward = unit(away), np.linalg.norm(away, axis=1)
    else:
        out = unit(at_points(case.out, triangle, bary))
    return Points(
        triangle, bary, place, out, outward, inward, at_points(case.low.normals, triangle, bary),
        at_points(case.tangents, triangle, bary),
    )  # fmt: skip


def _meet(case: BakeCase, points: Points) -> tuple[Hits, IntArray]:
    """Where the rays of points meet the high poly surface."""
    pair_of = case.pair_of_low[points.triangle]
    assert case.twin is not None
    # A surface meets itself where it lies: no ray can go astray.
    triangle = case.twin[points.triangle]
    own = triangle >= 0
    distance = np.where(own, 0.0, np.inf)
    bary = np.where(own[:, None], points.bary, 0.0)
    outward, inward = points.outward, points.inward
    for pair in np.unique(pair_of[~own]):
        mine = (pair_of == pair) & ~own
        scene, numbers = case.scene_of(int(pair))
        start = points.place[mine] + outward[mine, None] * points.out[mine]
        hits = scene.hit(start, -points.out[mine], (outward + inward)[mine])
        triangle[mine] = np.where(hits.found, numbers[np.maximum(hits.triangle, 0)], -1)
        distance[mine], bary[mine] = hits.distance - outward[mine], hits.bary
    return Hits(triangle, distance, bary), pair_of


def _became(case: BakeCase, points: Points, hits: Hits, pair_of: IntArray) -> NDArray[np.uint8]:
    """What became of each ray."""
    out = np.where(hits.found, MET, MISSED).astype(np.uint8)
    met = np.maximum(hits.triangle, 0)
    back = (case.high_faces[met] * points.out).sum(axis=1) < 0
    assert case.twin is not None
    shot = hits.found & (case.twin[points.triangle] < 0)
    out[shot & back] = BACK
    out[shot & (case.pair_of_high[met] != pair_of)] = OTHER
    return out
