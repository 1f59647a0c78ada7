"""Join islands: along picked edges, all neighbours as far as stretch allows, near seams."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.onto import laid_onto
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._island_loops import island_vertices
from quilt_core.unwrap._join_loops import CROWDED, FINE, flatten_island
from quilt_core.unwrap.edits.laid import Edited, Laid, rejoined
from quilt_core.unwrap.surface_islands import SurfaceIslands, joined_up, limits_for

EXACT = 1e-6
"""Sides that lie apart by less of their length after the fit are joined as they are."""
STEPS = 60
MOST_ENERGY, MOST_STRETCH = 60.0, 4.0
"""A joint that distorts more is none that anyone wants."""


def join_edges(laid: Laid, corners: IntArray, scale: bool = True) -> Edited:
    """Join islands along edges: the smaller one comes over, is fitted and joined on; where its side
    has another shape, what was joined is eased.

    Parameters
    ----------
    laid : Laid
    corners : (K,) int64
        Edges that are seams, see `Laid.halves`.
    scale : bool
        Whether the one that comes over may change its size.

    Raises
    ------
    LayoutError
        When there is nothing to join, or the joint would overlap or turn faces over.
    """
    half = laid.halves(corners)
    across = laid.pieces.across
    open_ = half[(across[half] >= 0) & ~laid.work.joined[half]]
    open_ = open_[laid.known[open_ // 3] & laid.known[across[open_] // 3]]
    if not len(open_):
        raise LayoutError(
            "There is no seam along these edges.",
            "edges",
            "Select edges on the border of an island.",
        )
    work, changed = laid.work, np.zeros(laid.pieces.count, bool)
    left = open_
    while len(left):
        h = int(left[0])
        one, two = int(work.label[h // 3]), int(work.label[across[h] // 3])
        pair = {one, two}
        mine = np.array(
            [g for g in left if {int(work.label[g // 3]), int(work.label[across[g] // 3])} == pair]
        )
        work, touched = _joined(work, mine, one, two, scale)
        changed |= touched
        left = np.setdiff1d(left, mine)
    edges = len(np.unique(laid.edge[open_]))
    note = f"joined along {edges // 2 or 1} {'edge' if edges <= 2 else 'edges'}"
    mine = np.isin(laid.work.label, laid.work.label[np.concatenate([open_, across[open_]]) // 3])
    return Edited(laid.having(work.uv, changed), note, touched=mine)


def _joined(
    work: SurfaceIslands, half: IntArray, one: int, two: int, scale: bool
) -> tuple[SurfaceIslands, BoolArray]:
    """Islands with a seam closed, and which triangles changed."""
    pieces, across = work.pieces, work.pieces.across
    label, flat = work.label, work.uv.copy()
    area = np.bincount(label, pieces.area)
    stays, comes = (one, two) if area[one] >= area[two] else (two, one)
    near = half[label[half // 3] == stays]
    if one != two:
        moved = np.flatnonzero(label == comes)
        flat[moved] = _fitted(flat, near, across, moved, scale)
    joined = work.joined.copy()
    joined[half] = joined[across[half]] = True
    before = triangle_areas(flat)
    tris = np.flatnonzero((label == one) | (label == two))
    left = _apart(flat, near, across)
    length = np.linalg.norm(
        flat[near // 3, (near % 3 + 1) % 3] - flat[near // 3, near % 3], axis=1
    ).sum()
    changed = np.zeros(pieces.count, bool)
    changed[label == comes] = True
    if left <= EXACT * length:
        _snap(flat, near, across, joined, tris, pieces.count)
        return rejoined(replace(work, uv=flat), joined), changed
    changed[tris] = True
    unit = np.sqrt(np.abs(before[tris]).sum() / max(float(pieces.area[tris].sum()), 1e-300))
    facing = 1.0 if before[tris].sum() >= 0 else -1.0
    way = np.array([facing, 1.0])
    local = np.where(np.isfinite(flat), flat, 0.0) * way / unit
    place = np.full(pieces.count, -1, np.int64)
    state, _, eased = flatten_island(
        tris, across, joined, pieces.rest, np.zeros_like(pieces.sharp), local, place,
        MOST_ENERGY, MOST_STRETCH, STEPS,
    )  # fmt: skip
    if state != FINE:
        why = (
            "The joined island would lie on itself."
            if state == CROWDED
            else "The sides of this seam are too unlike: faces would turn over or stretch far."
        )
        raise LayoutError(why, "edges", "Join fewer edges, or cut elsewhere first.")
    # The one that stays is where it was, as well as it can be.
    kept = np.isin(tris, np.flatnonzero(label == stays))
    flat[tris] = _kept_on(eased * way * unit, flat[tris], kept)
    return rejoined(replace(work, uv=flat), joined), changed


def _fitted(
    flat: FloatArray, near: IntArray, across: IntArray, moved: IntArray, scale: bool
) -> FloatArray:
    """Triangles of the island that comes over, laid on the other's side; mirrored where the two
    face different ways."""
    p = np.concatenate([flat[near // 3, near % 3], flat[near // 3, (near % 3 + 1) % 3]])
    far = across[near]
    q = np.concatenate([flat[far // 3, (far % 3 + 1) % 3], flat[far // 3, far % 3]])
    facing = np.sign(triangle_areas(flat[near // 3]).sum()) or 1.0
    other = np.sign(triangle_areas(flat[moved]).sum()) or 1.0
    mirror = np.array([facing * other, 1.0])
    q, body = q * mirror, flat[moved] * mirror
    return laid_onto(body, q, p, scale)


def _apart(flat: FloatArray, near: IntArray, across: IntArray) -> float:
    far = across[near]
    one = np.abs(flat[near // 3, near % 3] - flat[far // 3, (far % 3 + 1) % 3]).max()
    two = np.abs(flat[near // 3, (near % 3 + 1) % 3] - flat[far // 3, far % 3]).max()
    return float(max(one, two))


def _snap(
    flat: FloatArray,
    near: IntArray,
    across: IntArray,
    joined: BoolArray,
    tris: IntArray,
    count: int,
) -> None:
    """The far side takes the very numbers of the near one, and with it all corners at its vertices."""
    place = np.full(count, -1, np.int64)
    faces, n = island_vertices(tris, across, joined, place)
    row = np.full(count, -1, np.int64)
    row[tris] = np.arange(len(tris))
    value = np.full((n, 2), np.nan)
    for h in near:
        t, s = h // 3, h % 3
        for k in (s, (s + 1) % 3):
            value[faces[row[t], k]] = flat[t, k]
    local = flat[tris]
    hit = np.isfinite(value[faces]).all(axis=2)
    local[hit] = value[faces][hit]
    flat[tris] = local


def _kept_on(new: FloatArray, old: FloatArray, kept: BoolArray) -> FloatArray:
    """Triangles moved so that the kept ones lie as they did, as well as they can."""
    return laid_onto(new, new[kept].reshape(-1, 2), old[kept].reshape(-1, 2))


def join_neighbours(laid: Laid, tris: IntArray, stretch: float) -> Edited:
    """Fewer islands: join all neighbours among some islands while their stretch stays below a
    limit, the longest common border first; what would overlap is left.

    Parameters
    ----------
    laid : Laid
    tris : (K,) int64
        Triangles of the islands.
    stretch : float
        L2 stretch of each joined island.

    Raises
    ------
    LayoutError
        When none can be joined.
    """
    pieces, work = laid.pieces, laid.work
    chosen = np.zeros(pieces.count, bool)
    chosen[tris] = True
    other = np.where(pieces.across >= 0, pieces.across // 3, 0)
    inside = np.repeat(chosen, 3) & chosen[other] & (pieces.across >= 0)
    flat, unit = np.where(np.isfinite(work.uv), work.uv, 0.0), np.ones(pieces.count)
    facing = np.ones(pieces.count)
    names = np.unique(work.label[tris])
    for name in names:
        mine = np.flatnonzero(work.label == name)
        unit[mine], facing[mine] = laid.unit(mine), laid.facing(mine)
    way = np.stack([facing, np.ones(pieces.count)], axis=1)[:, None] / unit[:, None, None]
    alone = replace(pieces, across=np.where(inside, pieces.across, -1))
    start = rejoined(replace(work, pieces=alone, uv=flat * way), work.joined & inside)
    made = joined_up(start, limits_for(stretch))
    changed = np.zeros(pieces.count, bool)
    out = work.uv.copy()
    fewer = 0
    for name in np.unique(made.label[tris]):
        mine = np.flatnonzero((made.label == name) & chosen)
        before = np.unique(work.label[mine])
        if len(before) < 2:
            continue
        fewer += len(before) - 1
        areas = [float(pieces.area[mine][work.label[mine] == k].sum()) for k in before]
        stays = work.label[mine] == before[int(np.argmax(areas))]
        first = mine[stays][0]
        out[mine] = _kept_on(made.uv[mine] / way[first], work.uv[mine], stays)
        changed[mine] = True
    if not fewer:
        raise LayoutError(
            f"No two of these islands can be joined with a stretch of up to {stretch:g}.",
            "islands",
            "Allow more stretch, or select islands that are neighbours on the model.",
        )
    return Edited(
        laid.having(out, changed), f"{fewer} fewer {'island' if fewer == 1 else 'islands'}"
    )


def close_near(laid: Laid, tris: IntArray, gap: float) -> Edited:
    """Close seams whose two sides lie within a small gap: their corners meet in the middle.

    Parameters
    ----------
    laid : Laid
    tris : (K,) int64
        Triangles of the islands whose seams are looked at.
    gap : float
        Largest distance of two corners that are the same, in the unit of the layout.

    Raises
    ------
    LayoutError
        When there is no such seam.
    """
    pieces, work = laid.pieces, laid.work
    half = np.flatnonzero((pieces.across >= 0) & ~work.joined)
    half = half[laid.known[half // 3] & laid.known[pieces.across[half] // 3]]
    meant = np.zeros(pieces.count, bool)
    meant[tris] = True
    half = half[meant[half // 3] | meant[pieces.across[half] // 3]]
    far = pieces.across[half]
    one = work.uv[half // 3, half % 3] - work.uv[far // 3, (far % 3 + 1) % 3]
    two = work.uv[half // 3, (half % 3 + 1) % 3] - work.uv[far // 3, far % 3]
    near = half[np.maximum(np.hypot(*one.T), np.hypot(*two.T)) <= gap]
    if not len(near):
        raise LayoutError("No seam is that near.", "islands", "Allow a wider gap.")
    joined = work.joined.copy()
    joined[near] = True
    known = np.flatnonzero(laid.known)
    faces, n = island_vertices(known, pieces.across, joined, np.full(pieces.count, -1, np.int64))
    held = np.bincount(faces.ravel(), minlength=n)[:, None]
    sums = [np.bincount(faces.ravel(), work.uv[known].reshape(-1, 2)[:, k], n) for k in (0, 1)]
    mean: FloatArray = np.stack(sums, axis=1) / held
    # Only corners at the seams move: elsewhere the mean would change the last digits.
    at_seam = np.zeros(n, bool)
    row = np.full(pieces.count, -1, np.int64)
    row[known] = np.arange(len(known))
    for h in near:
        at_seam[faces[row[h // 3], [h % 3, (h % 3 + 1) % 3]]] = True
    flat = work.uv.copy()
    local = flat[known]
    hit = at_seam[faces]
    local[hit] = mean[faces][hit]
    flat[known] = local
    changed = np.zeros(pieces.count, bool)
    changed[known] = hit.any(axis=1)
    mine = np.isin(work.label, work.label[changed])
    edges = len(near) // 2
    return Edited(
        laid.having(flat, changed),
        f"{edges} near {'seam edge' if edges == 1 else 'seam edges'} closed",
        touched=mine,
    )


def merge_tiny(laid: Laid, tris: IntArray, side: float) -> Edited:
    """Join islands that are smaller than a square of that side to the neighbour with the longest
    common border; those that fit nowhere stay.

    Raises
    ------
    LayoutError
        When there is none that can be joined.
    """
    flat = np.abs(triangle_areas(np.where(np.isfinite(laid.work.uv), laid.work.uv, 0.0)))
    extent = np.bincount(laid.work.label, flat)
    names, first = np.unique(laid.work.label[tris], return_index=True)
    small = (extent[names] > 0) & (extent[names] < side * side)
    now, count, all_ = laid, 0, np.zeros(laid.pieces.count, bool)
    for t in tris[first[small]][np.argsort(extent[names[small]])]:
        name = int(now.work.label[t])
        mine = now.work.label == name
        half = np.flatnonzero(np.repeat(mine, 3) & (now.pieces.across >= 0) & ~now.work.joined)
        other = now.work.label[now.pieces.across[half] // 3]
        keep = (other != now.work.label[half // 3]) & now.known[now.pieces.across[half] // 3]
        half, other = half[keep], other[keep]
        if not len(half):
            continue
        longest = int(np.argmax(np.bincount(other, now.pieces.length[half])))
        half = half[other == longest]
        try:
            work, touched = _joined(
                now.work, np.concatenate([half, now.pieces.across[half]]),
                name, longest, True,
            )  # fmt: skip
        except LayoutError:
            continue
        all_ |= np.isin(now.work.label, [name, longest])
        now = replace(now, uv=now.having(work.uv, touched), work=work)
        count += 1
    if not count:
        raise LayoutError(
            "No tiny island that could be joined to a neighbour.", "islands", "Allow larger ones."
        )
    return Edited(
        now.uv,
        f"{count} tiny {'island' if count == 1 else 'islands'} joined to neighbours",
        touched=all_,
    )
