"""Unwrap as one would by hand: seams at the creases of a shape, flat parts flat, round sides unrolled, grids straight."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from quilt_core.scene.types import BoolArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap.features import HOLE, as_region, creases, members, regions_between, sides_of
from quilt_core.unwrap.laid_region import (
    EVEN,
    NEARLY,
    Laid,
    joined_strips,
    laid_region,
)
from quilt_core.unwrap.pieces import Pieces
from quilt_core.unwrap.sides import joined_sides
from quilt_core.unwrap.surface_islands import SurfaceIslands
from quilt_core.unwrap.unroll import with_common_vertices
from quilt_core.unwrap.whole import part_of

Sewn = Callable[[Pieces], SurfaceIslands]
"""Cuts and flattens what is bent both ways."""
OF_NOTE = 0.01
"""Of a piece's surface: a region with more keeps the creases about it as seams."""
HARD = 0.5
"""Of a piece's surface that can be unrolled, from which on all its creases count."""
LARGE = 0.03
"""Of a region that is bent both ways: flat parts of it with more are islands of their own."""
NARROW, OPENINGS = 0.03, 3
"""Of a frame: most of its width over its length, fewest of its borders that are not just holes."""
FEW = 24
"""Triangles of a piece that is looked at face by face."""


def natural_islands(
    pieces: Pieces, stretch: float, sewn: Sewn, finished: Callable[[float], None]
) -> SurfaceIslands:
    """Cut a surface at its creases; lay what is between them flat.

    Each connected piece is cut into smooth regions. Those that can be unrolled are, those that are grids of quads are laid straight, the
    others are cut as `sewn` does it. Then islands without stretch are joined along whole sides. Pieces that are copies of an earlier one
    are laid as it is.

    Parameters
    ----------
    pieces : Pieces
    stretch : float
        Largest L2 stretch of a straight grid.
    sewn : callable
    finished : callable
        Is told what part is done, piece by piece.
    """
    n = pieces.count
    has = pieces.across >= 0
    out = SurfaceIslands(
        pieces, np.full(n, -1, np.int64), np.zeros(3 * n, bool), np.zeros((n, 3, 2))
    )
    made: dict[bytes, list[SurfaceIslands]] = {}
    islands, done = 0, 0
    for tris in members(regions_between(pieces, np.zeros(3 * n, bool))):
        part = replace(part_of(pieces, tris, has), sharp=pieces.sharp[tris])
        alike = made.setdefault(part.across.tobytes(), [])
        found = next((work for work in alike if _is_copy(work.pieces, part)), None)
        if found is None:
            found = _natural_piece(part, stretch, sewn)
            alike.append(found)
        out.label[tris] = found.label + islands
        out.joined[sides_of(tris)] = found.joined
        out.uv[tris] = found.uv
        islands += int(found.label.max(initial=-1)) + 1
        done += len(tris)
        finished(done / n)
    return out


def _is_copy(one: Pieces, two: Pieces) -> bool:
    """Whether two pieces with the same neighbours have triangles of the same shape, in the same order."""
    size = float(np.abs(one.rest).max(initial=0.0))
    return bool(np.abs(one.rest - two.rest).max(initial=0.0) <= 1e-5 * size) and bool(
        np.abs(one.turn - two.turn).max(initial=0.0) <= 1e-3
    )


def _natural_piece(part: Pieces, stretch: float, sewn: Sewn) -> SurfaceIslands:
    n = part.count
    place = np.full(n, -1, np.int64)
    cut = creases(part)
    label, laid = _laid_regions(part, cut, stretch, place)
    share = np.bincount(label, part.area) / max(float(part.area.sum()), 1e-300)
    telling = {k: one for k, one in laid.items() if one.tells and share[k] >= OF_NOTE}
    hard = n <= FEW or share[list(telling)].sum() >= HARD
    if not hard:
        laid = telling
    kept = np.zeros(len(share), bool)
    kept[list(laid)] = True
    smooth = (part.across >= 0) & ~cut
    strips = joined_strips(part, list(laid.values()), smooth, place, 1 + NEARLY * (stretch - 1))
    joined, uv = np.zeros(3 * n, bool), np.zeros((n, 3, 2))
    for one in strips:
        joined[sides_of(one.tris)], uv[one.tris] = one.joined, one.uv
    islands = joined_sides(part, [one.tris for one in strips if one.as_it_is], joined, uv)
    islands += [one.tris for one in strips if not one.as_it_is]
    left = np.flatnonzero(~kept[label])
    if len(left):
        far = np.where(part.across >= 0, part.across // 3, 0)
        here, there = np.repeat(label, 3), label[far]
        both = (share[here] >= OF_NOTE) & (share[there] >= OF_NOTE) & cut & hard
        open_ = (part.across >= 0) & ~both & ~kept[here] & ~kept[there]
        work = sewn(replace(part_of(part, left, open_), sharp=part.sharp[left]))
        joined[sides_of(left)], uv[left] = work.joined, work.uv
        islands += [left[t] for t in work.islands()]
    out = np.empty(n, np.int64)
    for k, tris in enumerate(islands):
        out[tris] = k
        uv[tris] = with_common_vertices(part, tris, joined, uv[tris], place)
    return SurfaceIslands(part, out, joined, uv)


def _laid_regions(
    part: Pieces, cut: BoolArray, stretch: float, place: IntArray
) -> tuple[IntArray, dict[int, Laid]]:
    """Regions between creases, and those of them that can be laid flat. In a region that can not, large flat parts are cut off: the caps
    of a rounded pipe. Then frames, such as the bevels of a box, are cut into their facets, which join what they lie beside. Changes
    `cut`."""
    known: dict[bytes, Laid | None] = {}

    def lay() -> tuple[IntArray, list[IntArray], list[Laid | None]]:
        label = regions_between(part, cut)
        regions = members(label)
        smooth = (part.across >= 0) & ~cut
        for tris in regions:
            if (name := tris.tobytes()) not in known:
                known[name] = laid_region(part, tris, smooth, place, stretch)
        return label, regions, [known[tris.tobytes()] for tris in regions]

    label, regions, laid = lay()
    changed = [
        _cut_off_flats(part, t, cut) for t, one in zip(regions, laid, strict=True) if not one
    ]
    if any(changed):
        label, regions, laid = lay()
    changed = [
        _cut_frame(part, t, cut, place) for t, one in zip(regions, laid, strict=True)
        if not (one and one.is_strip)
    ]  # fmt: skip
    if any(changed):
        label, regions, laid = lay()
    return label, {k: one for k, one in enumerate(laid) if one is not None}


def _cut_frame(part: Pieces, tris: IntArray, cut: BoolArray, place: IntArray) -> bool:
    """Cut a region that is a narrow frame with several openings into its facets; says whether it is one."""
    smooth = (part.across >= 0) & ~cut
    half = sides_of(tris)
    rim = half[~smooth[half]]
    long = float(part.length[rim].sum()) / 2
    if float(part.area[tris].sum()) > NARROW * long * long:
        return False
    region = as_region(part, tris, smooth, place)
    if int((np.abs(region.loop_turn + 2 * np.pi) > HOLE).sum()) < OPENINGS:
        return False
    bent = half[smooth[half] & ~part.inner[half] & (np.abs(part.turn[half]) >= EVEN)]
    cut[bent] = cut[part.across[bent]] = True
    return bool(len(bent))


def _cut_off_flats(part: Pieces, tris: IntArray, cut: BoolArray) -> bool:
    """Cut about the flat parts of a region that are large in it; says whether there are any."""
    inside = np.zeros(part.count, bool)
    inside[tris] = True
    half = sides_of(tris)
    half = half[(part.across[half] >= 0) & ~cut[half]]
    even = half[part.inner[half] | (np.abs(part.turn[half]) < EVEN)]
    flat = groups(np.stack([even // 3, part.across[even] // 3], axis=1), part.count)
    share = np.bincount(flat[tris], part.area[tris], int(flat.max()) + 1)
    many = np.bincount(flat[tris], minlength=len(share))
    large = (share >= LARGE * part.area[tris].sum()) & (many > 1)
    one, two = flat[half // 3], flat[part.across[half] // 3]
    # Flat parts side by side that are about as large are the facets of something round.
    facets = (one != two) & (2 * share[two] > share[one])
    large[one[facets]] = False
    if not large.any():
        return False
    off = half[(one != two) & (large[one] | large[two])]
    cut[off] = cut[part.across[off]] = True
    return bool(len(off))
