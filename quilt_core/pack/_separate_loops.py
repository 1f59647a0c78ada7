"""Inner loops that let pieces overlap and then push the overlap out.

The cost of a place is the number of cells in which a piece meets the kept-clear cells of others,
each pair with a weight of its own. A table of running sums along the rows gives the cost of one row
of a piece in two looks, for all columns at once. Pairs that keep colliding get heavier (guided local
search), until some way around is found or the moves are used up.
"""

from __future__ import annotations

import numpy as np
from numba import njit

LIGHTEST, HEAVIEST, WALL = 16, 8000, 20000
"""Weights are whole numbers, so that running sums are exact."""
HEAVIER, LIGHTER = 1.6, 0.95


@njit(cache=True, nogil=True)
def weigh(  # type: ignore[no-untyped-def]
    own,
    window,
    state,
    weights,
    occupied,
    blocked,
    stamp_at,
    border,
    deep_offsets,
    deep_first,
    deep_runs,
    deep_weights,
    table,
):
    """Running sums along the rows of what lies in a window, for one piece.

    `window` is first row, past-last row, first column, past-last column; `state` (P, 3) holds x, y and
    variant of every piece; `table` (rows, columns + 1) receives the sums, its first entry of a row 0.
    """
    r0, r1, c0, c1 = window
    table[r0:r1, c0 : c1 + 1] = 0
    for j in range(len(state)):
        if j == own:
            continue
        v = state[j, 2]
        if v < 0:
            continue
        w = weights[own, j]
        rows = stamp_at[v + 1] - stamp_at[v] - 1
        y = state[j, 1] - border[v]
        x = state[j, 0] - border[v]
        first, last = max(r0, y), min(r1, y + rows)
        if first >= last:
            continue
        at = stamp_at[v]
        for level in range(len(deep_weights)):
            runs = deep_first[level, v]
            heavy = w * deep_weights[level]
            for row in range(first, last):
                for k in range(deep_offsets[level, at + row - y], deep_offsets[level, at + row - y + 1]):
                    a = max(c0, x + deep_runs[runs + k, 0])
                    b = min(c1, x + deep_runs[runs + k, 1])
                    if a < b:
                        table[row, a] += heavy
                        table[row, b] -= heavy
    for row in range(r0, r1):
        here = np.int32(0)
        total = np.int32(0)
        for u in range(c0, c1):
            here += table[row, u]
            table[row, u] = total
            total += here
            if blocked:
                total += WALL * occupied[row, u]
        table[row, c1] = total


@njit(cache=True, nogil=True)
def cost_at(table, x, y, height, offsets, runs):  # type: ignore[no-untyped-def]
    """Cost of a piece at a place."""
    total = np.float32(0.0)
    for row in range(height):
        for k in range(offsets[row], offsets[row + 1]):
            total += np.float32(table[y + row, x + runs[k, 1]] - table[y + row, x + runs[k, 0]])
    return total


@njit(cache=True, nogil=True, fastmath=True)
def add_difference(costs, high, low):  # type: ignore[no-untyped-def]
    """costs += high - low."""
    for u in range(len(high)):
        costs[u] += np.float32(high[u] - low[u])


@njit(cache=True, nogil=True, fastmath=True)
def lowest(costs):  # type: ignore[no-untyped-def]
    """Smallest of some numbers."""
    least = costs[0]
    for u in range(len(costs)):
        least = costs[u] if costs[u] < least else least
    return least


@njit(cache=True, nogil=True)
def best_place(table, y0, y1, x0, x1, height, offsets, runs, order, stride, start, limit, costs):  # type: ignore[no-untyped-def]
    """Cheapest place with y in [y0, y1] and x in [x0, x1]; only places below `limit` count.

    With a stride, only every so many rows of places and of the piece are looked at. The search begins
    at row `start` and goes round. Returns cost, x and y; x is -1 when there is none.
    """
    best, best_x, best_y = limit, -1, -1
    places = (y1 - y0) // stride + 1
    count = x1 - x0 + 1
    looks = max(1, height // stride)
    part = np.float32(looks) / np.float32(height)
    for n in range(places):
        y = y0 + ((n + start) % places) * stride
        costs[:count] = 0
        alive = True
        for k in range(looks):
            row = order[k]
            for r in range(offsets[row], offsets[row + 1]):
                a, b = runs[r, 0] + x0, runs[r, 1] + x0
                add_difference(costs, table[y + row, b : b + count], table[y + row, a : a + count])
            if k % 6 == 5 and k + 1 < looks:
                least = lowest(costs[:count])
                if least >= best * part:
                    alive = False
                    break
        if not alive:
            continue
        least = lowest(costs[:count])
        if least < best * part:
            at = 0
            while costs[at] > least:
                at += 1
            best, best_x, best_y = costs[at] / part, x0 + at, y
            if best == 0:
                break
    return best, best_x, best_y


@njit(cache=True, nogil=True)
def pair_cells(  # type: ignore[no-untyped-def]
    i,
    j,
    state,
    size,
    hit_at,
    hit_offsets,
    hit_run_at,
    hit_runs,
    stamp_at,
    stamp_offsets,
    stamp_run_at,
    stamp_runs,
    border,
):
    """Cells in which the hit mask of piece i meets the kept-clear cells of piece j."""
    vi, vj = state[i, 2], state[j, 2]
    if vi < 0 or vj < 0:
        return 0
    height = size[vi, 1]
    yi, yj = state[i, 1], state[j, 1] - border[vj]
    rows = stamp_at[vj + 1] - stamp_at[vj] - 1
    first, last = max(yi, yj), min(yi + height, yj + rows)
    if first >= last:
        return 0
    shift = state[j, 0] - border[vj] - state[i, 0]
    total = 0
    for row in range(first, last):
        a = hit_offsets[hit_at[vi] + row - yi] + hit_run_at[vi]
        a_end = hit_offsets[hit_at[vi] + row - yi + 1] + hit_run_at[vi]
        b = stamp_offsets[stamp_at[vj] + row - yj] + stamp_run_at[vj]
        b_end = stamp_offsets[stamp_at[vj] + row - yj + 1] + stamp_run_at[vj]
        while a < a_end and b < b_end:
            low = max(hit_runs[a, 0], stamp_runs[b, 0] + shift)
            high = min(hit_runs[a, 1], stamp_runs[b, 1] + shift)
            if low < high:
                total += high - low
            if hit_runs[a, 1] < stamp_runs[b, 1] + shift:
                a += 1
            else:
                b += 1
    return total


@njit(cache=True, nogil=True)
def wall_cells(i, state, size, occupied, hit_at, hit_offsets, hit_run_at, hit_runs):  # type: ignore[no-untyped-def]
    """Cells in which a piece meets what is occupied from the start."""
    v = state[i, 2]
    if v < 0:
        return 0
    total = 0
    for row in range(size[v, 1]):
        y = state[i, 1] + row
        for k in range(hit_offsets[hit_at[v] + row], hit_offsets[hit_at[v] + row + 1]):
            for u in range(
                state[i, 0] + hit_runs[hit_run_at[v] + k, 0], state[i, 0] + hit_runs[hit_run_at[v] + k, 1]
            ):
                total += occupied[y, u]
    return total


@njit(cache=True, nogil=True)
def separate(  # type: ignore[no-untyped-def]
    state, best_state, weights, cells, facts, moves, seed, reach, bands, only, occupied, blocked, table, costs,
    variant_start, size, hit_at, hit_offsets, hit_run_at, hit_runs, row_order, stamp_at, stamp_offsets,
    stamp_run_at, stamp_runs, border, deep_offsets, deep_first, deep_runs, deep_weights,
):  # fmt: skip
    """Push the overlap out for some moves.

    `cells` (P, P + 1) are the colliding cells of every pair, the last column those with walls; negative
    numbers in ``cells[0, 0]`` ask for it to be counted anew. `facts` are the fewest colliding cells so
    far and the rounds since. With `reach` > 0 a piece moves at most that far and keeps its turn.
    Returns the number of colliding cells that are left in `best_state` and the moves used.
    """
    np.random.seed(seed)
    count = len(state)
    if cells[0, 0] < 0:
        for i in range(count):
            cells[i, count] = (
                wall_cells(i, state, size, occupied, hit_at, hit_offsets, hit_run_at, hit_runs)
                if blocked
                else 0
            )
            cells[i, i] = 0
            for j in range(i):
                n = pair_cells(
                    i,
                    j,
                    state,
                    size,
                    hit_at,
                    hit_offsets,
                    hit_run_at,
                    hit_runs,
                    stamp_at,
                    stamp_offsets,
                    stamp_run_at,
                    stamp_runs,
                    border,
                )
                cells[i, j] = n
                cells[j, i] = n
    used = 0
    while used < moves:
        total, most = 0, 0
        for i in range(count):
            total += 2 * cells[i, count]
            for j in range(count):
                total += cells[i, j]
                most = max(most, cells[i, j])
        if facts[0] < 0 or total < facts[0]:
            facts[0] = total
            facts[1] = 0
            best_state[:] = state
        else:
            facts[1] += 1
        if total == 0:
            return 0, used
        order = np.random.permutation(count)
        for n in range(count):
            i = order[n]
            colliding = cells[i, count] > 0
            for j in range(count):
                if cells[i, j] > 0:
                    colliding = True
                    break
            if not colliding:
                continue
            used += 1
            now = state[i, 2]
            best, best_x, best_y, best_v = np.float32(1e30), -1, -1, -1
            if reach > 0:
                band = 0
                while state[i, 1] >= bands[band, 1]:
                    band += 1
                height, width = size[now, 1], size[now, 0]
                y0 = max(bands[band, 0], state[i, 1] - reach)
                y1 = min(bands[band, 1] - height, state[i, 1] + reach)
                x0 = max(0, state[i, 0] - reach)
                x1 = min(bands[band, 2] - width, state[i, 0] + reach)
                window = (y0, y1 + height, x0, x1 + width)
                weigh(
                    i,
                    window,
                    state,
                    weights,
                    occupied,
                    blocked,
                    stamp_at,
                    border,
                    deep_offsets,
                    deep_first,
                    deep_runs,
                    deep_weights,
                    table,
                )
                offsets = hit_offsets[hit_at[now] : hit_at[now] + height + 1]
                runs = hit_runs[hit_run_at[now] : hit_run_at[now + 1]]
                best, best_x, best_y = best_place(
                    table, y0, y1, x0, x1, height, offsets, runs, row_order[hit_at[now] : hit_at[now] + height], 1,
                    np.random.randint(0, y1 - y0 + 1), np.float32(1e30), costs,
                )  # fmt: skip
                best_v = now
            else:
                b0 = only[i] if only[i] >= 0 else 0
                b1 = only[i] + 1 if only[i] >= 0 else len(bands)
                window = (bands[b0, 0], bands[b1 - 1, 1], 0, occupied.shape[1])
                weigh(
                    i,
                    window,
                    state,
                    weights,
                    occupied,
                    blocked,
                    stamp_at,
                    border,
                    deep_offsets,
                    deep_first,
                    deep_runs,
                    deep_weights,
                    table,
                )
                for band in range(b0, b1):
                    for v in range(variant_start[i], variant_start[i + 1]):
                        width, height = size[v, 0], size[v, 1]
                        if width == 0 or width > bands[band, 2] or height > bands[band, 1] - bands[band, 0]:
                            continue
                        y0, y1 = bands[band, 0], bands[band, 1] - height
                        x1 = bands[band, 2] - width
                        offsets = hit_offsets[hit_at[v] : hit_at[v] + height + 1]
                        runs = hit_runs[hit_run_at[v] : hit_run_at[v + 1]]
                        spread = row_order[hit_at[v] : hit_at[v] + height]
                        stride = min(max(1, height // 14), 6)
                        start = np.random.randint(0, max(1, (y1 - y0) // stride + 1))
                        _, x, y = best_place(
                            table,
                            y0,
                            y1,
                            0,
                            x1,
                            height,
                            offsets,
                            runs,
                            spread,
                            stride,
                            start,
                            best * np.float32(1.15) + 16,
                            costs,
                        )
                        if x < 0:
                            continue
                        a0, a1 = max(y0, y - stride), min(y1, y + stride)
                        c0, c1 = max(0, x - 2 * stride), min(x1, x + 2 * stride)
                        cost, x, y = best_place(
                            table, a0, a1, c0, c1, height, offsets, runs, spread, 1, 0, best, costs
                        )
                        if x >= 0 and cost < best:
                            best, best_x, best_y, best_v = cost, x, y, v
                        if best == 0:
                            break
                    if best == 0:
                        break
            if best_v < 0 or best_x < 0:
                continue
            offsets = hit_offsets[hit_at[now] : hit_at[now] + size[now, 1] + 1]
            runs = hit_runs[hit_run_at[now] : hit_run_at[now + 1]]
            if best > cost_at(table, state[i, 0], state[i, 1], size[now, 1], offsets, runs):
                continue
            state[i, 0], state[i, 1], state[i, 2] = best_x, best_y, best_v
            cells[i, count] = (
                wall_cells(i, state, size, occupied, hit_at, hit_offsets, hit_run_at, hit_runs)
                if blocked
                else 0
            )
            for j in range(count):
                if j != i:
                    m = pair_cells(
                        i,
                        j,
                        state,
                        size,
                        hit_at,
                        hit_offsets,
                        hit_run_at,
                        hit_runs,
                        stamp_at,
                        stamp_offsets,
                        stamp_run_at,
                        stamp_runs,
                        border,
                    )
                    cells[i, j] = m
                    cells[j, i] = m
        most = 1
        for i in range(count):
            for j in range(count):
                most = max(most, cells[i, j])
        for i in range(count):
            for j in range(count):
                if cells[i, j] > 0:
                    heavier = weights[i, j] * (1.1 + (HEAVIER - 1.1) * cells[i, j] / most)
                    weights[i, j] = min(HEAVIEST, np.int32(heavier + 1))
                else:
                    weights[i, j] = max(LIGHTEST, np.int32(weights[i, j] * LIGHTER))
    return facts[0], used
