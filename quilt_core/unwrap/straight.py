"""Seams straightened: each put on the shortest way between its ends, where both islands stay valid."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import IntArray
from quilt_core.unwrap._border_loops import find_chains
from quilt_core.unwrap._island_loops import figures
from quilt_core.unwrap._join_loops import FINE, PART, flatten_island, flatten_part
from quilt_core.unwrap._straight_loops import (
    about,
    near_both,
    open_parts,
    shortest_way,
    unfold_onto,
)
from quilt_core.unwrap.surface_islands import Limits, SurfaceIslands

BAND = 40
"""Triangles about a seam, for each of its edges, over which a shorter way is looked for."""
ROUNDS = 6
MOST_TRIES = 1200
"""Ways that turned out to be none, after which no other one is tried."""
STEPS = 30
MOST_STRANGE = PART // 2
"""Triangles that may come to an island at once: where it is more, they hardly fit."""


def straightened(
    work: SurfaceIslands, limits: Limits, stop: NDArray[np.bool_] | None = None
) -> SurfaceIslands:
    """Straighten the seams between islands, as long as that makes them shorter.

    Parameters
    ----------
    work : SurfaceIslands
    limits : Limits
    stop : (1,) bool, optional
        Ends it with what there is when it is set from another thread.

    Returns
    -------
    SurfaceIslands
        Its seams are no longer than before.
    """
    pieces = work.pieces
    n = pieces.count
    stop = np.zeros(1, bool) if stop is None else stop
    now = replace(work, label=work.label.copy(), joined=work.joined.copy(), uv=work.uv.copy())
    label, joined = now.label, now.joined
    mark = np.zeros(3 * n, np.int64)
    seen, in_chain = np.zeros(n, bool), np.zeros(3 * n, bool)
    number = np.full(int(pieces.vertex.max(initial=0)) + 1, -1, np.int64)
    up = np.arange(len(number))
    hopeless: set[tuple[int, int]] = set()
    tries = 0
    fresh = set(range(int(label.max(initial=-1)) + 1))
    for _ in range(ROUNDS):
        changed: set[int] = set()
        members, dirty = _members(label), False
        for island in sorted(fresh, key=lambda c: -len(members.get(c, ()))):
            if stop[0]:
                break
            tris = members.get(island)
            if tris is None or not len(tris):
                continue
            todo = _chains(tris, label, pieces.across, joined, pieces.length, mark)
            while todo and not stop[0] and tries < MOST_TRIES:
                chain = todo.pop()
                one, two = int(label[chain[0] // 3]), int(label[pieces.across[chain[0]] // 3])
                if joined[chain].any() or (label[chain // 3] != one).any():
                    continue
                first, last = chain[0], chain[-1]
                loop = (
                    pieces.vertex[first // 3, first % 3]
                    == pieces.vertex[last // 3, (last % 3 + 1) % 3]
                )
                name = (min(int(first), int(last)), len(chain))
                if not loop and name in hopeless:
                    continue
                if not loop:
                    band = near_both(chain, pieces.across, joined, BAND * len(chain), seen)
                    both = np.flatnonzero((label == one) | (label == two))
                    way, _ = shortest_way(
                        band, both, chain, one == two, pieces.vertex, pieces.across, joined,
                        pieces.inner, pieces.length, in_chain, number, up,
                    )  # fmt: skip
                    if not len(way):
                        continue
                    if _change_sides(now, chain, way, both, limits):
                        changed |= {one, two}
                        dirty = True
                        continue
                    hopeless.add(name)
                    tries += 1
                if len(chain) > 2:
                    todo += [chain[: len(chain) // 2], chain[len(chain) // 2 :]]
            if dirty:
                members, dirty = _members(label), False
        if not changed:
            break
        # Islands beside those that changed may have a shorter way now too.
        half = np.flatnonzero(np.isin(label, list(changed)).repeat(3) & (pieces.across >= 0))
        fresh = changed | set(np.unique(label[pieces.across[half] // 3]).tolist())
    return now


def _change_sides(
    now: SurfaceIslands, chain: IntArray, way: IntArray, tris: IntArray, limits: Limits
) -> bool:
    """Put a seam on another way: triangles in between go to the other island. Changes the islands
    where both islands are valid after it, and says whether they were.

    `tris` are those of the islands on both sides.
    """
    pieces, label, joined, uv = now.pieces, now.label, now.joined, now.uv
    across = pieces.across
    one, two = label[chain[0] // 3], label[across[chain[0]] // 3]
    row = np.full(pieces.count, -1, np.int64)
    row[tris] = np.arange(len(tris))
    old, new = np.concatenate([chain, across[chain]]), np.concatenate([way, across[way]])
    held = uv[tris]
    joined[new] = False
    part, parts = open_parts(tris, across, joined, row)
    joined[old] = True
    joined[new] = False
    island, islands = open_parts(tris, across, joined, row)
    good = islands == (1 if one == two else 2)
    if good:
        size = np.bincount(part, pieces.area[tris], parts)
        # The largest part of each island stays where it is.
        order = np.argsort(-size[part], kind="stable")
        anchor = part[order[np.unique(island[order], return_index=True)[1]]]
        strange = part != anchor[island]
        good = bool(strange.sum() <= MOST_STRANGE) and bool(
            unfold_onto(tris, ~strange, across, joined, pieces.rest, uv, row)
        )
    for c in range(islands if good else 0):
        good = good and _valid_again(now, tris[island == c], chain, way, row, limits)
    if good:
        label[tris] = np.where(island == 0, one, two)
    else:
        joined[new], joined[old] = True, False
        uv[tris] = held
    return bool(good)


def _valid_again(
    now: SurfaceIslands,
    mine: IntArray,
    chain: IntArray,
    way: IntArray,
    row: IntArray,
    limits: Limits,
) -> bool:
    """Relax an island near a seam that came or went, all of it where it is small; says whether it is
    valid."""
    pieces, joined, uv = now.pieces, now.joined, now.uv
    place = np.full(pieces.count, -1, np.int64)
    if len(mine) > 2 * PART:
        part = about(mine, chain, way, pieces.across, joined, row, PART, np.zeros(len(row), bool))
        energy, squared, _, _ = figures(pieces.rest[mine], uv[mine])
        area = float(pieces.area[mine].sum())
        sums = np.array([energy * area, squared * area, area])
        state, _, flat = flatten_part(
            mine, len(mine), part, sums, pieces.across, joined, pieces.rest, pieces.sharp, uv, place,
            limits.energy, limits.stretch, STEPS,
        )  # fmt: skip
    else:
        part = mine
        state, _, flat = flatten_island(
            mine, pieces.across, joined, pieces.rest, pieces.sharp, uv, place, limits.energy,
            limits.stretch, STEPS,
        )  # fmt: skip
    if state == FINE:
        uv[part] = flat
    return bool(state == FINE)


def _members(label: IntArray) -> dict[int, IntArray]:
    order = np.argsort(label, kind="stable")
    cuts = np.flatnonzero(np.diff(label[order])) + 1
    return {int(label[part[0]]): part for part in np.split(order, cuts) if len(part)}


def _chains(
    tris: IntArray,
    label: IntArray,
    across: IntArray,
    joined: NDArray[np.bool_],
    length: NDArray[np.float64],
    mark: IntArray,
) -> list[IntArray]:
    """Stretches of an island's border with one other island, or itself; the longest last."""
    rows, ends = find_chains(tris, label, across, joined, length, mark)
    chains = [part for part in np.split(rows, ends[:-1]) if len(part) > 1] if len(ends) else []
    return sorted(chains, key=len)
