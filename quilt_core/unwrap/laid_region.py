"""A smooth region laid flat: unrolled as it is, or as a grid with straight rows and columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._island_loops import figures, island_vertices
from quilt_core.unwrap.features import Region, as_region, sides_of
from quilt_core.unwrap.pieces import Pieces
from quilt_core.unwrap.quad_grid import diagonals, straight_grid
from quilt_core.unwrap.unroll import unrolled, ways_to_cut

EVEN = np.radians(1.0)
"""Neighbours that turn by less lie in one plane."""
NEARLY = 0.2
"""Part of the stretch beyond 1 up to which a straight strip is taken for better than a bent one without stretch, and two strips that are
one for better than two."""
LEAST_TAPER, LESS_TAPER = 0.1, 0.2
"""By how much the rim of such a strip may be shorter than the other one, and of two strips that are one."""
NO_STRETCH = 1e-7
"""Energy above 4 of what counts as without stretch."""
LEAST_SHARED = 0.25
"""Of the border of the smaller one of two strips that they share to be one."""


@dataclass(frozen=True, eq=False)
class Laid:
    """A region that lies flat.

    Parameters
    ----------
    tris : (K,) int64
    joined : (3 K,) bool
        Its half-edges that are no seam.
    uv : (K, 3, 2) float64
    as_it_is : bool
        Without any stretch.
    is_strip : bool
        A grid with hardly any stretch.
    tells : bool
        Lying flat says something of its shape: it is plane, or a ring, or has vertices inside. Any row of triangles can be laid flat.
    """

    tris: IntArray
    joined: BoolArray
    uv: FloatArray
    as_it_is: bool
    is_strip: bool
    tells: bool


def laid_region(
    pieces: Pieces, tris: IntArray, smooth: BoolArray, place: IntArray, stretch: float
) -> Laid | None:
    """A region as a straight grid where that has hardly any stretch; as it is where that has none; as a grid with the stretch that is
    allowed. None where it is bent both ways and no grid.

    Parameters
    ----------
    pieces : Pieces
    tris : (K,) int64
    smooth : (3 N,) bool
        Half-edges that may be joined.
    place : (N,) int64
        Scratch: -1 everywhere.
    stretch : float
        Largest L2 stretch.
    """
    region = as_region(pieces, tris, smooth, place)
    if _is_plane(pieces, region):
        return _as_it_is(pieces, region, smooth, place)
    nearly = 1 + NEARLY * (stretch - 1)
    return (
        _as_grid(pieces, region, smooth, place, nearly, LEAST_TAPER)
        or _as_it_is(pieces, region, smooth, place)
        or _as_grid(pieces, region, smooth, place, stretch)
    )


def _is_plane(pieces: Pieces, region: Region) -> bool:
    inside = region.joined.ravel()
    turn = np.abs(pieces.turn[sides_of(region.tris)][inside])
    return bool(turn.max(initial=0.0) < EVEN)


def _as_it_is(pieces: Pieces, region: Region, smooth: BoolArray, place: IntArray) -> Laid | None:
    tris = region.tris
    cut = ways_to_cut(pieces, region, tips=True)
    if cut is None:
        return None
    joined = _without(smooth, tris, cut)
    flat = unrolled(pieces, tris, joined, place)
    if flat is None:
        return None
    inside = joined[sides_of(tris)]
    return Laid(tris, inside, flat, True, False, _tells(pieces, region, cut))


def _as_grid(
    pieces: Pieces,
    region: Region,
    smooth: BoolArray,
    place: IntArray,
    stretch: float,
    taper: float = 1.0,
) -> Laid | None:
    tris = region.tris
    if diagonals(pieces, tris, region.joined) is None:
        return None
    cut = ways_to_cut(pieces, region, tips=False)
    if cut is None:
        return None
    joined = _without(smooth, tris, cut)
    faces, _ = island_vertices(tris, pieces.across, joined, place)
    inside = joined[sides_of(tris)]
    flat = straight_grid(pieces, tris, faces, inside.reshape(-1, 3), stretch, taper)
    if flat is None:
        return None
    exact = figures(pieces.rest[tris], flat)[0] < 4.0 + NO_STRETCH
    return Laid(tris, inside, flat, exact, taper < 1, _tells(pieces, region, cut))


def _tells(pieces: Pieces, region: Region, cut: BoolArray) -> bool:
    on_rim = sum(map(len, region.loops))
    says = _is_plane(pieces, region) or bool(cut.any()) or on_rim < region.count
    return len(region.tris) > 1 and says


def _without(smooth: BoolArray, tris: IntArray, cut: BoolArray) -> BoolArray:
    joined = smooth.copy()
    joined[sides_of(tris)] &= ~cut.ravel()
    return joined


def joined_strips(
    pieces: Pieces, laid: list[Laid], smooth: BoolArray, place: IntArray, stretch: float
) -> list[Laid]:
    """Strips beside one another as one, where the larger grid has hardly more stretch: the rings of a drum.

    Parameters
    ----------
    pieces : Pieces
    laid : list of Laid
    smooth : (3 N,) bool
        Changed: what was a crease between strips that are one.
    place : (N,) int64
    stretch : float
        Largest L2 stretch of a strip.
    """
    strips = {k: one for k, one in enumerate(laid) if one.is_strip}
    owner = np.full(pieces.count, -1, np.int64)
    for k, one in strips.items():
        owner[one.tris] = k
    has = np.flatnonzero((pieces.across >= 0) & ~smooth)
    here, there = owner[has // 3], owner[pieces.across[has] // 3]
    between = has[(here >= 0) & (there >= 0) & (here < there)]
    pairs, which = np.unique(
        np.stack([owner[between // 3], owner[pieces.across[between] // 3]], axis=1),
        axis=0, return_inverse=True,
    )  # fmt: skip
    shared = np.bincount(which.ravel(), pieces.length[between], len(pairs))
    up = {k: k for k in strips}

    def root(k: int) -> int:
        while up[k] != k:
            k = up[k]
        return k

    for row in np.argsort(-shared, kind="stable"):
        a, b = (root(int(k)) for k in pairs[row])
        if a == b or shared[row] < LEAST_SHARED * min(_rim(pieces, strips[k]) for k in (a, b)):
            continue
        mine = between[
            np.isin(owner[between // 3], [a, b])
            & np.isin(owner[pieces.across[between] // 3], [a, b])
        ]
        wider = smooth.copy()
        wider[mine] = wider[pieces.across[mine]] = True
        tris = np.concatenate([strips[a].tris, strips[b].tris])
        both = as_region(pieces, tris, wider, place)
        found = _as_grid(pieces, both, wider, place, stretch, LESS_TAPER)
        if found is None:
            continue
        smooth |= wider
        strips[a] = found
        owner[tris] = a
        up[b] = a
        del strips[b]
    return [one for k, one in enumerate(laid) if not one.is_strip] + list(strips.values())


def _rim(pieces: Pieces, one: Laid) -> float:
    return float(pieces.length[sides_of(one.tris)[~one.joined]].sum())
