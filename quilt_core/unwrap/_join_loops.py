"""Inner loop that joins islands, the most promising seam first, as long as they lie flat."""

from __future__ import annotations

import heapq

import numpy as np
from numba import njit

from quilt_core.unwrap._border_loops import crosses, find_chains, fit_chain, fits
from quilt_core.unwrap._island_loops import (
    covered_share,
    figures,
    island_vertices,
    near_chain,
    relax,
    rim,
)

MOST_COVERED = 0.15
"""Share of an island that may lie on the other before they are relaxed."""
PART = 500
"""Triangles about a seam that are relaxed first, where an island has more than twice as many."""
WIDER = 12
"""How many more are relaxed next, before the whole is."""
WHOLE = 24_000
"""Triangles of an island up to which it is relaxed as a whole where its parts cannot give way."""
ABOUT = 12
"""Triangles for each edge of a long seam."""
NEARLY = 1.3
"""A part that is stretched by more than this part of what is allowed is hopeless."""
SETTLED = 1e-4
EVEN_FIT = 0.15
"""Sides that lie apart by this part of their length count half."""
GROWN = 1.3
"""A seam that could not be closed is tried again when its islands have grown by this."""
NO, CROWDED, FINE = 0, 1, 2


@njit(cache=True, nogil=True)
def flatten_island(tris, across, joined, rest, sharp, uv, place, most, stretch, steps):  # type: ignore[no-untyped-def]
    """Flatten an island as it is joined, from its corners in uv (N, 3, 2), which stays as it is.

    Returns whether it is valid (NO, CROWDED, FINE), its energy and its new corners.
    """
    faces, n = island_vertices(tris, across, joined, place)
    local, flat = rest[tris], uv[tris]
    if not relax(faces, n, local, flat, steps, SETTLED, most, np.empty(0, np.bool_)):
        return NO, np.inf, flat
    return _judged(tris, faces, n, joined, sharp, local, flat, most, stretch)


@njit(cache=True, nogil=True)
def _judged(tris, faces, n, joined, sharp, local, flat, most, stretch):  # type: ignore[no-untyped-def]
    energy, squared, flipped, _ = figures(local, flat)
    if flipped > 0 or energy > most or squared > stretch * stretch:
        return NO, energy, flat
    if not fits(tris, faces, n, joined, flat, sharp, np.empty(0, np.bool_)) or crosses(
        tris, joined, flat, np.ones(len(tris), np.bool_)
    ):
        return CROWDED, energy, flat
    return FINE, energy, flat


@njit(cache=True, nogil=True)
def flatten_part(  # type: ignore[no-untyped-def]
    tris, own, part, sums, across, joined, rest, sharp, uv, place, most, stretch, steps
):
    """The same, with all but a part of the island held where it is; the first `own` triangles were
    one island before. `sums` are the island's energy
    and squared stretch before, times its area, and its area.

    Returns only the part's new corners.
    """
    faces, n = island_vertices(part, across, joined, place)
    held = rim(part, faces, n, across, joined, place)
    flat, local = uv[part], rest[part]
    if not _one_place(faces, n, held, flat):
        # A seam whose sides are held apart cannot be closed by a part alone.
        return NO, 4.0, flat
    before = figures(local, flat)
    if not relax(faces, n, local, flat, steps, SETTLED, 1e9, held):
        return NO, np.inf, flat
    for i in range(len(part)):
        for k in range(3):
            if held[faces[i, k]]:
                flat[i, k] = uv[part[i], k]
    after = figures(local, flat)
    area = 0.0
    for i in range(len(part)):
        area += 0.5 * local[i, 1, 0] * local[i, 2, 1]
    energy = (sums[0] + area * (after[0] - before[0])) / sums[2]
    squared = (sums[1] + area * (after[1] - before[1])) / sums[2]
    if after[2] > 0 or energy > most or squared > stretch * stretch:
        return NO, energy, flat
    if not fits(part, faces, n, joined, flat, sharp, held):
        return CROWDED, energy, flat
    moved = np.zeros(len(tris), np.bool_)
    for i in range(len(part)):
        place[part[i]] = i
    whole = np.empty((len(tris), 3, 2))
    for i in range(len(tris)):
        k = place[tris[i]]
        # What was the other island lies anew beside all of this one.
        moved[i] = k >= 0 or i >= own
        whole[i] = flat[k] if k >= 0 else uv[tris[i]]
    for i in range(len(part)):
        place[part[i]] = -1
    if crosses(tris, joined, whole, moved):
        return CROWDED, energy, flat
    return FINE, energy, flat


@njit(cache=True, nogil=True)
def _one_place(faces, n, held, uv):  # type: ignore[no-untyped-def]
    """Whether all corners of each vertex that is held lie at one place."""
    known = np.zeros(n, np.bool_)
    at = np.empty((n, 2))
    for i in range(len(faces)):
        for k in range(3):
            v = faces[i, k]
            if not held[v]:
                continue
            if not known[v]:
                known[v] = True
                at[v, 0], at[v, 1] = uv[i, k, 0], uv[i, k, 1]
            j = (k + 1) % 3
            close = 1e-6 * (abs(uv[i, j, 0] - uv[i, k, 0]) + abs(uv[i, j, 1] - uv[i, k, 1]))
            if abs(at[v, 0] - uv[i, k, 0]) > close or abs(at[v, 1] - uv[i, k, 1]) > close:
                return False
    return True


@njit(cache=True, nogil=True)
def _members(first, count, follow):  # type: ignore[no-untyped-def]
    out = np.empty(count, np.int64)
    t = first
    for k in range(count):
        out[k] = t
        t = follow[t]
    return out


@njit(cache=True, nogil=True)
def _key(chain, across):  # type: ignore[no-untyped-def]
    low = min(chain[0], across[chain[0]])
    for h in chain:
        low = min(low, h, across[h])
    return low * 4096 + min(len(chain), 4095)


@njit(cache=True, nogil=True)
def try_to_join(  # type: ignore[no-untyped-def]
    chain,
    tris,
    other,
    sums,
    across,
    joined,
    rest,
    sharp,
    area,
    length,
    uv,
    place,
    seen,
    most,
    stretch,
    steps,
):  # type: ignore[no-untyped-def]
    """Close a seam between the islands `tris` and `other` (empty for the same island).

    Returns whether it was closed, then in `joined` and `uv` too, and the energy.
    """
    two = len(other) > 0
    held = uv[other]
    every = tris
    if two:
        c, s, dx, dy, _, _ = fit_chain(chain, across, length, uv, False)
        for t in other:
            for k in range(3):
                x, y = uv[t, k, 0], uv[t, k, 1]
                uv[t, k, 0], uv[t, k, 1] = c * x - s * y + dx, s * x + c * y + dy
        a, b = (tris, other) if len(tris) >= len(other) else (other, tris)
        if covered_share(uv[b], area[b], uv[a]) > MOST_COVERED:
            for k in range(len(other)):
                uv[other[k]] = held[k]
            return False, np.inf
        every = np.concatenate((tris, other))
    for h in chain:
        joined[h] = True
        joined[across[h]] = True
    state, energy = NO, np.inf
    worth = True
    for about in (PART, WIDER * PART):
        if not worth or len(every) <= 2 * about:
            break
        part, more = near_chain(chain, across, joined, max(about, ABOUT * len(chain)), seen)
        if not more:
            break
        state, energy, flat = flatten_part(
            every,
            len(tris),
            part,
            sums,
            across,
            joined,
            rest,
            sharp,
            uv,
            place,
            most,
            stretch,
            steps,
        )
        if state == FINE:
            for k in range(len(part)):
                uv[part[k]] = flat[k]
            return True, energy
        # More of it may give way where a part cannot.
        worth = state == NO and energy - 4.0 < NEARLY * (most - 4.0)
    if worth and len(every) <= WHOLE:
        state, energy, flat = flatten_island(
            every, across, joined, rest, sharp, uv, place, most, stretch, steps
        )
        if state == FINE:
            for k in range(len(every)):
                uv[every[k]] = flat[k]
            return True, energy
    for h in chain:
        joined[h] = False
        joined[across[h]] = False
    for k in range(len(other)):
        uv[other[k]] = held[k]
    return False, energy


@njit(cache=True, nogil=True)
def _promise(left, far, one, two):  # type: ignore[no-untyped-def]
    """How early a seam is tried: it is long for its islands, they are small, its sides fit."""
    fit = left / max(far, 1e-300) / EVEN_FIT
    return far / np.sqrt(min(one, two)) / (one + two) ** 0.25 / (1 + fit * fit)


@njit(cache=True, nogil=True)
def join_islands(  # type: ignore[no-untyped-def]
    label,
    across,
    joined,
    rest,
    sharp,
    area,
    length,
    uv,
    most,
    stretch,
    worst,
    steps,
    jitter,
    seed,
    stop,
    told,
):  # type: ignore[no-untyped-def]
    """Close seams until none can be closed any more; changes `label`, `joined` and `uv`.

    Sides that lie farther apart than `worst` times the length of a seam are not tried; a try takes
    up to `steps` steps. `label` (N,) numbers the islands from 0. `jitter` shuffles the order a
    little, by `seed`. `stop` (1,) ends it early when it is set; `told` (2,) holds the seams closed
    and those tried.
    """
    n = len(label)
    np.random.seed(seed)
    islands = label.max() + 1 if n else 0
    room = 2 * islands + 2
    first = np.full(room, -1, np.int64)
    last = np.full(room, -1, np.int64)
    count = np.zeros(room, np.int64)
    size = np.zeros(room)
    energy, squared = np.zeros(room), np.zeros(room)
    sums = np.zeros(3)
    follow = np.full(n, -1, np.int64)
    for t in range(n):
        c = label[t]
        if first[c] < 0:
            first[c] = t
        else:
            follow[last[c]] = t
        last[c] = t
        count[c] += 1
        size[c] += area[t]
    for c in range(islands):
        tris = _members(first[c], count[c], follow)
        found = figures(rest[tris], uv[tris])
        energy[c], squared[c] = found[0] * size[c], found[1] * size[c]
    place = np.full(n, -1, np.int64)
    seen = np.zeros(n, np.bool_)
    mark = np.zeros(3 * n, np.int64)
    failed = np.full(2 * n + 64, -1, np.int64)
    failed_at = np.zeros(len(failed))
    pool = np.empty(6 * n + 16, np.int64)
    used = 0
    heap = [(0.0, np.int64(0), np.int64(0), np.int64(0), np.int64(0), np.int64(0))]
    heapq.heappop(heap)
    serial = 0
    todo = [(np.int64(0), np.int64(0))]
    todo.pop()
    fresh = 0
    number = islands
    while True:
        # Offer the seams of new islands, or of all at first.
        while fresh < number:
            c = fresh
            fresh += 1
            if count[c] == 0:
                continue
            row, end = find_chains(
                _members(first[c], count[c], follow), label, across, joined, length, mark
            )
            if used + len(row) > len(pool):
                bigger = np.empty(2 * len(pool) + len(row), np.int64)
                bigger[:used] = pool[:used]
                pool = bigger
            pool[used : used + len(row)] = row
            begin = 0
            for e in end:
                todo.append((np.int64(used + begin), np.int64(e - begin)))
                begin = e
            used += len(row)
            while len(todo):
                at, long = todo.pop()
                chain = pool[at : at + long]
                one, two = label[chain[0] // 3], label[across[chain[0]] // 3]
                _, _, _, _, left, far = fit_chain(chain, across, length, uv, one == two)
                total = size[one] + size[two]
                bad = left > worst * far
                if not bad:
                    key = _key(chain, across)
                    slot = key % len(failed)
                    bad = failed[slot] == key and failed_at[slot] <= GROWN * total
                if bad:
                    if long > 1:
                        todo.append((at, long // 2))
                        todo.append((at + long // 2, long - long // 2))
                    continue
                score = _promise(left, far, size[one], size[two])
                score *= 1 + jitter * (np.random.random() - 0.5)
                heapq.heappush(heap, (-score, np.int64(serial), one, two, at, long))
                serial += 1
        if len(heap) == 0 or stop[0]:
            break
        _, _, one, two, at, long = heapq.heappop(heap)
        if count[one] == 0 or count[two] == 0:
            continue
        chain = pool[at : at + long]
        if joined[chain[0]]:
            continue
        key = _key(chain, across)
        total = size[one] + size[two]
        slot = key % len(failed)
        if failed[slot] == key and failed_at[slot] <= GROWN * total:
            continue
        tris = _members(first[one], count[one], follow)
        other = _members(first[two], count[two], follow) if one != two else np.empty(0, np.int64)
        told[1] += 1
        sums[0], sums[1], sums[2] = energy[one], squared[one], size[one]
        if one != two:
            sums[0], sums[1], sums[2] = sums[0] + energy[two], sums[1] + squared[two], total
        done, mean = try_to_join(
            chain,
            tris,
            other,
            sums,
            across,
            joined,
            rest,
            sharp,
            area,
            length,
            uv,
            place,
            seen,
            most,
            stretch,
            steps,
        )
        if not done:
            failed[slot], failed_at[slot] = key, total
            if long > 1:
                for half in range(2):
                    a, b = (at, long // 2) if half == 0 else (at + long // 2, long - long // 2)
                    part = pool[a : a + b]
                    _, _, _, _, left, far = fit_chain(part, across, length, uv, one == two)
                    if left > worst * far:
                        continue
                    score = _promise(left, far, size[one], size[two])
                    heapq.heappush(
                        heap, (-score, np.int64(serial), one, two, np.int64(a), np.int64(b))
                    )
                    serial += 1
            continue
        told[0] += 1
        if number >= len(first):
            first, last = np.append(first, first), np.append(last, last)
            count, size = np.append(count, 0 * count), np.append(size, 0 * size)
            energy, squared = np.append(energy, energy), np.append(squared, squared)
        new = number
        number += 1
        first[new], last[new], count[new] = first[one], last[one], count[one]
        if one != two:
            follow[last[one]] = first[two]
            last[new] = last[two]
            count[new] += count[two]
            count[two] = 0
        size[new] = total if one != two else size[one]
        energy[new] = mean * size[new]
        squared[new] = (1.0 + 0.375 * (mean - 4.0)) * size[new]
        count[one] = 0
        for t in tris:
            label[t] = new
        for t in other:
            label[t] = new
    return number
