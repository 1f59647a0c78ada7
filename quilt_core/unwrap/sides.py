"""Islands that lie flat as they are joined along whole sides: a box becomes a cross, the teeth of a gear a strip."""

from __future__ import annotations

import heapq
from dataclasses import dataclass

import numpy as np
import shapely

from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._border_loops import crosses
from quilt_core.unwrap.features import sides_of
from quilt_core.unwrap.pieces import Pieces

STRAIGHT = 1e-3
"""How far a side may leave its chord, as a part of its length."""
LEAST_SHARE = 0.2
"""Of the border of the smaller island that a shared side has at least, where the two do not make a longer rectangle."""
LEAST_FULL = 0.42
"""Of the box about two islands, turned as it is smallest, that they cover at least: a cross of six squares covers half of its box."""
RECTANGLE = 0.97
"""Of its box that an island covers at least which counts as a rectangle."""
STUBBY = 0.1
"""Of the border of the smaller one that two rectangles share at least before other islands are joined: thin ones go to what they run along."""
ONE_OF_MANY, THIN = 0.04, 3.0
"""Of the border of an island: a shorter side is one of many. A strip that is longer by this than it is wide is thin."""
CORNER = np.cos(np.radians(15.0))
"""A border that turns by more has a corner there."""


@dataclass
class _Flat:
    """An island on its way: triangles, half-edges of its border, the hull of its UVs, areas of it, of its hull and of its box, length of its border."""

    tris: IntArray
    border: IntArray
    hull: FloatArray
    area: float
    outline: float
    box: float
    length: float


def joined_sides(
    pieces: Pieces, islands: list[IntArray], joined: BoolArray, uv: FloatArray
) -> list[IntArray]:
    """Join islands without stretch along straight sides. First those that make longer rectangles; then those that share a whole side
    of the smaller one, as long as they fill their common box and do not lie on one another.

    Parameters
    ----------
    pieces : Pieces
    islands : list of (K,) int64
    joined : (3 N,) bool
        Changed.
    uv : (N, 3, 2) float64
        Changed: islands are turned and moved, nothing else.

    Returns
    -------
    list of (K,) int64
        The islands that there are then.
    """
    owner = np.full(pieces.count, -1, np.int64)
    flats: dict[int, _Flat] = {}
    for k, tris in enumerate(islands):
        owner[tris] = k
        half = sides_of(tris)
        flats[k] = _flat(pieces, tris, half[~joined[half]], uv[tris].reshape(-1, 2))
    fresh = len(islands)
    for longer, least in ((True, STUBBY), (False, LEAST_SHARE), (True, 0.0)):
        heap: list[tuple[float, int, int]] = []
        for k in flats:
            for other in _beside(pieces, flats[k], owner):
                if other > k:
                    _push(heap, pieces, flats, owner, uv, k, other)
        heapq.heapify(heap)
        while heap:
            _, one, two = heapq.heappop(heap)
            if one not in flats or two not in flats:
                continue
            made = _join(pieces, flats, owner, joined, uv, one, two, longer, least)
            if made is None:
                continue
            flats[fresh] = made
            owner[made.tris] = fresh
            for other in _beside(pieces, made, owner):
                _push(heap, pieces, flats, owner, uv, fresh, other)
            fresh += 1
    return [flat.tris for flat in flats.values()]


def _flat(pieces: Pieces, tris: IntArray, border: IntArray, points: FloatArray) -> _Flat:
    hull = shapely.MultiPoint(points).convex_hull
    box = float(hull.minimum_rotated_rectangle.area)
    ends = shapely.get_coordinates(hull)
    return _Flat(tris, border, ends, float(pieces.area[tris].sum()), float(hull.area), box,
                 float(pieces.length[border].sum()))  # fmt: skip


def _beside(pieces: Pieces, flat: _Flat, owner: IntArray) -> list[int]:
    far = pieces.across[flat.border]
    near = np.unique(owner[far[far >= 0] // 3])
    return [int(k) for k in near if k >= 0 and k != owner[flat.tris[0]]]


def _push(
    heap: list[tuple[float, int, int]],
    pieces: Pieces,
    flats: dict[int, _Flat],
    owner: IntArray,
    uv: FloatArray,
    one: int,
    two: int,
) -> None:
    """Two islands, the larger part of the smaller one's border that they share the sooner."""
    run = _shared(pieces, flats[one], owner, uv, two)
    if run is not None:
        share = pieces.length[run].sum() / min(flats[one].length, flats[two].length)
        heapq.heappush(heap, (-round(float(share), 6), one, two))


def _shared(
    pieces: Pieces, flat: _Flat, owner: IntArray, uv: FloatArray, other: int
) -> IntArray | None:
    """Half-edges of the longest straight stretch of an island's border with another one; None where it is bent."""
    far = pieces.across[flat.border]
    run = flat.border[(far >= 0) & (owner[far // 3] == other)]
    if not len(run):
        return None
    # What is one line here may be bent on the other side.
    run = _longest_line(run, uv, pieces.length)
    run = pieces.across[_longest_line(pieces.across[run], uv, pieces.length)]
    back = pieces.across[run]
    return (
        run
        if _is_straight(run, uv, pieces.length) and _is_straight(back, uv, pieces.length)
        else None
    )


def _ends(run: IntArray, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
    return uv[run // 3, run % 3], uv[run // 3, (run % 3 + 1) % 3]


def _longest_line(run: IntArray, uv: FloatArray, length: FloatArray) -> IntArray:
    """Of half-edges, those on the line on which most of their length lies without a gap."""
    a, b = _ends(run, uv)
    way = (b - a) / np.maximum(np.linalg.norm(b - a, axis=1, keepdims=True), 1e-300)
    lead = int(np.argmax(length[run]))
    along, off = (a - a[lead]) @ way[lead], (a - a[lead]) @ np.array([-way[lead][1], way[lead][0]])
    total = max(float(np.ptp(along)), float(length[run].max()))
    same = (np.abs(off) < STRAIGHT * total) & (way @ way[lead] > 0.999)
    run, along = run[same], along[same]
    order = np.argsort(along)
    run, along = run[order], along[order]
    breaks = np.flatnonzero(along[1:] - (along + length[run])[:-1] > STRAIGHT * total) + 1
    parts = np.split(run, breaks)
    return max(parts, key=lambda part: float(length[part].sum()))


def _is_straight(run: IntArray, uv: FloatArray, length: FloatArray) -> bool:
    a, b = _ends(run, uv)
    points = np.concatenate([a, b])
    far = points[np.argmax(np.linalg.norm(points - points[0], axis=1))]
    start = points[np.argmax(np.linalg.norm(points - far, axis=1))]
    chord = far - start
    size = float(np.linalg.norm(chord))
    off = np.abs((points - start) @ np.array([-chord[1], chord[0]])) / max(size, 1e-300)
    return (
        bool(off.max() <= STRAIGHT * size)
        and abs(float(length[run].sum()) - size) <= STRAIGHT * size
    )


def _has_corners(flat: _Flat, run: IntArray, uv: FloatArray) -> bool:
    """Whether the border turns at both ends of a straight stretch of it."""
    a, b = _ends(run, uv)
    way = (b - a).sum(axis=0)
    size = float(np.linalg.norm(way))
    way = way / max(size, 1e-300)
    rest = np.setdiff1d(flat.border, run, assume_unique=True)
    p, q = _ends(rest, uv)
    step = (q - p) / np.maximum(np.linalg.norm(q - p, axis=1, keepdims=True), 1e-300)
    along = a @ way
    first, last = a[np.argmin(along)], b[np.argmax(b @ way)]
    goes_on = step @ way > CORNER
    near = 1e-6 * size
    return not bool(
        (
            goes_on
            & ((np.abs(q - first).max(axis=1) < near) | (np.abs(p - last).max(axis=1) < near))
        ).any()
    )


def _join(
    pieces: Pieces,
    flats: dict[int, _Flat],
    owner: IntArray,
    joined: BoolArray,
    uv: FloatArray,
    one: int,
    two: int,
    longer: bool,
    least: float,
) -> _Flat | None:
    """Two islands as one, where that is good; they are gone then."""
    if flats[one].area < flats[two].area:
        one, two = two, one
    large, small = flats[one], flats[two]
    run = _shared(pieces, large, owner, uv, two)
    if run is None:
        return None
    back = pieces.across[run]
    share = float(pieces.length[run].sum()) / small.length
    if not _has_corners(small, back, uv):
        return None
    if longer and not _has_corners(large, run, uv):
        return None
    if share < least or (not longer and _is_petal(pieces, large, small, run)):
        return None
    a, b = _ends(run, uv)
    p, q = _ends(back, uv)
    # The stretch runs from the first a to the last b; on the other side from the last q to the first p.
    way = (b - a).sum(axis=0)
    i, j = int(np.argmin(a @ way)), int(np.argmax(b @ way))
    turn = complex(*(b[j] - a[i])) / complex(*(p[j] - q[i]))
    turn /= abs(turn)
    matrix = np.array([[turn.real, turn.imag], [-turn.imag, turn.real]])
    move = (a[i] + b[j]) / 2 - (q[i] + p[j]) / 2 @ matrix
    hull = np.concatenate([large.hull, small.hull @ matrix + move])
    area = large.area + small.area
    box = float(shapely.MultiPoint(hull).minimum_rotated_rectangle.area)
    full = area / max(box, 1e-300)
    if longer:
        # Windows in a plate do not matter: its outline does.
        outline = float(shapely.MultiPoint(hull).convex_hull.area)
        full = min(outline / box, large.outline / large.box, small.outline / small.box)
    if full < (RECTANGLE if longer else LEAST_FULL):
        return None
    held = uv[small.tris].copy()
    uv[small.tris] = held @ matrix + move
    tris = np.concatenate([large.tris, small.tris])
    # The two sides of the joined stretch have the very same numbers from now on.
    moved = np.concatenate([np.zeros(len(large.tris), bool), np.ones(len(small.tris), bool)])
    joined[run] = joined[back] = True
    if _lies_on_itself(pieces, tris, joined, uv, moved, run):
        joined[run] = joined[back] = False
        uv[small.tris] = held
        return None
    border = np.concatenate([np.setdiff1d(large.border, run), np.setdiff1d(small.border, back)])
    del flats[one], flats[two]
    whole = shapely.MultiPoint(hull).convex_hull
    return _Flat(tris, border, shapely.get_coordinates(whole), area, float(whole.area), box,
                 float(pieces.length[border].sum()))  # fmt: skip


def _is_petal(pieces: Pieces, large: _Flat, small: _Flat, run: IntArray) -> bool:
    """Whether a shared side is one of many of the larger island, and the smaller one a thin strip along it: the rim of a wheel is
    no row of petals."""
    long = float(pieces.length[run].sum())
    return long < ONE_OF_MANY * large.length and long * long > THIN * small.box


def _lies_on_itself(
    pieces: Pieces,
    tris: IntArray,
    joined: BoolArray,
    uv: FloatArray,
    moved: BoolArray,
    run: IntArray,
) -> bool:
    """Whether islands that were brought together over a stretch overlap: their borders may meet at its ends alone."""
    a, b = _ends(run, uv)
    p, q = _ends(pieces.across[run], uv)
    flat = uv[tris].copy()
    # Ends of the stretch are equal up to rounding; the test of borders asks for equal numbers.
    points = flat.reshape(-1, 2)
    size = float(np.abs(points).max())
    for from_, to in ((q, a), (p, b)):
        for x, y in zip(from_, to, strict=True):
            points[np.abs(points - x).max(axis=1) <= 1e-9 * size] = y
    return bool(crosses(tris, joined, flat, moved))
