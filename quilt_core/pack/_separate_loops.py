"""Inner loops that let pieces overlap and then push the overlap out.

The cost of a place is the number of cells in which a piece meets the kept-clear cells of others,
each pair with a weight of its own. A table of running sums along the rows gives the cost of one row
of a piece in two looks, for all columns at once. Pairs that keep colliding get heavier (guided
local search), until some way around is found or the moves are used up.

`m` are the `Masks`, `deep` the `Deep` masks; `state` (P, 3) holds x, y and variant of every piece;
`world` is the raster as `World`.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

LIGHTEST, HEAVIEST, WALL = 16, 8000, 20000
"""Weights are whole numbers, so that running sums are exact."""
HEAVIER, LIGHTER, LEAST_HEAVIER = 1.6, 0.95, 1.1
NOT_YET = np.float32(1e30)


class World(NamedTuple):
    """The raster: its tiles, the only tile of each piece or -1, cells taken, and whether there are
    any."""

    bands: NDArray[np.int32]
    only: NDArray[np.int64]
    occupied: NDArray[np.uint8]
    blocked: bool


@njit(cache=True, nogil=True)
def weigh(own, window, state, weights, world, m, deep, table):  # type: ignore[no-untyped-def]
    """Running sums along the rows of what lies in a window, for one piece.

    `window` is first row, past-last row, first column, past-last column; `table` (rows, columns +
    1) receives the sums, its first entry of a row 0.
    """
    r0, r1, c0, c1 = window
    table[r0:r1, c0 : c1 + 1] = 0
    for j in range(len(state)):
        if j == own:
            continue
        v = state[j, 2]
        w = weights[own, j]
        rows = m.stamp_at[v + 1] - m.stamp_at[v] - 1
        y = state[j, 1] - m.border[v]
        x = state[j, 0] - m.border[v]
        first, last = max(r0, y), min(r1, y + rows)
        if first >= last:
            continue
        at = m.stamp_at[v]
        for level in range(len(deep.weights)):
            runs = deep.first[level, v]
            heavy = w * deep.weights[level]
            for row in range(first, last):
                for k in range(
                    deep.offsets[level, at + row - y], deep.offsets[level, at + row - y + 1]
                ):
                    a = max(c0, x + deep.runs[runs + k, 0])
                    b = min(c1, x + deep.runs[runs + k, 1])
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
            if world.blocked:
                total += WALL * world.occupied[row, u]
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
def best_place(  # type: ignore[no-untyped-def]
    table, room, height, offsets, runs, order, stride, start, limit, costs
):
    """Cheapest place whose y and x lie in `room` (first and last y, first and last x).

    Only places below `limit` count. With a stride, only every so many rows of places and of the
    piece are looked at. The search begins at place `start` and goes round. Returns cost, x and y; x
    is -1 when there is none.
    """
    y0, y1, x0, x1 = room
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
            if k % 6 == 5 and k + 1 < looks and lowest(costs[:count]) >= best * part:
                alive = False
                break
        if not alive:
            continue
        least = lowest(costs[:count])
        if least < best * part:
            at = 0
            while costs[at] > least:
                at += 1
            best, best_x, best_y = least / part, x0 + at, y
            if best == 0:
                break
    return best, best_x, best_y


@njit(cache=True, nogil=True)
def pair_cells(i, j, state, m):  # type: ignore[no-untyped-def]
    """Cells in which the hit mask of piece i meets the kept-clear cells of piece j."""
    vi, vj = state[i, 2], state[j, 2]
    yi, yj = state[i, 1], state[j, 1] - m.border[vj]
    rows = m.stamp_at[vj + 1] - m.stamp_at[vj] - 1
    first, last = max(yi, yj), min(yi + m.size[vi, 1], yj + rows)
    shift = state[j, 0] - m.border[vj] - state[i, 0]
    total = 0
    for row in range(first, last):
        at_i, at_j = m.hit_at[vi] + row - yi, m.stamp_at[vj] + row - yj
        a, a_end = (
            m.hit_offsets[at_i] + m.hit_run_at[vi],
            m.hit_offsets[at_i + 1] + m.hit_run_at[vi],
        )
        b, b_end = (
            m.stamp_offsets[at_j] + m.stamp_run_at[vj],
            m.stamp_offsets[at_j + 1] + m.stamp_run_at[vj],
        )
        while a < a_end and b < b_end:
            low = max(m.hit_runs[a, 0], m.stamp_runs[b, 0] + shift)
            high = min(m.hit_runs[a, 1], m.stamp_runs[b, 1] + shift)
            total += max(0, high - low)
            if m.hit_runs[a, 1] < m.stamp_runs[b, 1] + shift:
                a += 1
            else:
                b += 1
    return total


@njit(cache=True, nogil=True)
def wall_cells(i, state, world, m):  # type: ignore[no-untyped-def]
    """Cells in which a piece meets what is occupied from the start."""
    v = state[i, 2]
    total = 0
    if not world.blocked:
        return total
    for row in range(m.size[v, 1]):
        for k in range(m.hit_offsets[m.hit_at[v] + row], m.hit_offsets[m.hit_at[v] + row + 1]):
            a, b = m.hit_runs[m.hit_run_at[v] + k]
            for u in range(state[i, 0] + a, state[i, 0] + b):
                total += world.occupied[state[i, 1] + row, u]
    return total


@njit(cache=True, nogil=True)
def count_cells(i, others, state, world, m, cells):  # type: ignore[no-untyped-def]
    """Count the colliding cells of piece i with the walls and with pieces 0 to others - 1."""
    cells[i, len(state)] = wall_cells(i, state, world, m)
    for j in range(others):
        if j != i:
            cells[i, j] = cells[j, i] = pair_cells(i, j, state, m)


@njit(cache=True, nogil=True)
def near_place(i, reach, state, weights, world, m, deep, table, costs):  # type: ignore[no-untyped-def]
    """Cheapest place of a piece in its turn, not farther than `reach`: cost, x, y and variant."""
    v = state[i, 2]
    width, height = m.size[v]
    band = 0
    while state[i, 1] >= world.bands[band, 1]:
        band += 1
    first, end, columns = world.bands[band]
    y0, y1 = max(first, state[i, 1] - reach), min(end - height, state[i, 1] + reach)
    x0, x1 = max(0, state[i, 0] - reach), min(columns - width, state[i, 0] + reach)
    if y1 < y0 or x1 < x0:
        return NOT_YET, -1, -1, v
    weigh(i, (y0, y1 + height, x0, x1 + width), state, weights, world, m, deep, table)
    offsets = m.hit_offsets[m.hit_at[v] : m.hit_at[v] + height + 1]
    runs = m.hit_runs[m.hit_run_at[v] : m.hit_run_at[v + 1]]
    order = m.row_order[m.hit_at[v] : m.hit_at[v] + height]
    start = np.random.randint(0, y1 - y0 + 1)
    cost, x, y = best_place(
        table, (y0, y1, x0, x1), height, offsets, runs, order, 1, start, NOT_YET, costs
    )
    return cost, x, y, v


@njit(cache=True, nogil=True)
def any_place(i, state, weights, world, m, deep, table, costs):  # type: ignore[no-untyped-def]
    """Cheapest place of a piece anywhere in any turn, roughly first: cost, x, y and variant."""
    best, best_x, best_y, best_v = NOT_YET, -1, -1, -1
    b0 = world.only[i] if world.only[i] >= 0 else 0
    b1 = world.only[i] + 1 if world.only[i] >= 0 else len(world.bands)
    window = (world.bands[b0, 0], world.bands[b1 - 1, 1], 0, world.occupied.shape[1])
    weigh(i, window, state, weights, world, m, deep, table)
    for band in range(b0, b1):
        for v in range(m.variant_start[i], m.variant_start[i + 1]):
            width, height = m.size[v]
            first, end, columns = world.bands[band]
            if width == 0 or width > columns or height > end - first:
                continue
            y1, x1 = end - height, columns - width
            offsets = m.hit_offsets[m.hit_at[v] : m.hit_at[v] + height + 1]
            runs = m.hit_runs[m.hit_run_at[v] : m.hit_run_at[v + 1]]
            order = m.row_order[m.hit_at[v] : m.hit_at[v] + height]
            stride = min(max(1, height // 14), 6)
            start = np.random.randint(0, max(1, (y1 - first) // stride + 1))
            limit = best * np.float32(1.15) + 16
            _, x, y = best_place(
                table, (first, y1, 0, x1), height, offsets, runs, order, stride, start, limit, costs
            )
            if x < 0:
                continue
            around = (
                max(first, y - stride),
                min(y1, y + stride),
                max(0, x - 2 * stride),
                min(x1, x + 2 * stride),
            )
            cost, x, y = best_place(table, around, height, offsets, runs, order, 1, 0, best, costs)
            if x >= 0 and cost < best:
                best, best_x, best_y, best_v = cost, x, y, v
            if best == 0:
                return best, best_x, best_y, best_v
    return best, best_x, best_y, best_v


@njit(cache=True, nogil=True)
def reweigh(cells, weights):  # type: ignore[no-untyped-def]
    """Make pairs that collide heavier, by how much they do, and the others lighter."""
    count = len(weights)
    most = max(1, cells[:, :count].max())
    for i in range(count):
        for j in range(count):
            if cells[i, j] > 0:
                more = LEAST_HEAVIER + (HEAVIER - LEAST_HEAVIER) * cells[i, j] / most
                weights[i, j] = min(HEAVIEST, np.int32(weights[i, j] * more + 1))
            else:
                weights[i, j] = max(LIGHTEST, np.int32(weights[i, j] * LIGHTER))


@njit(cache=True, nogil=True)
def separate(  # type: ignore[no-untyped-def]
    state, best_state, weights, cells, facts, moves, seed, reach, world, m, deep, table, costs
):
    """Push the overlap out for some moves.

    `cells` (P, P + 1) are the colliding cells of every pair, the last column those with walls;
    negative numbers in ``cells[0, 0]`` ask for it to be counted anew. `facts` are the fewest
    colliding cells so far and the rounds since. With `reach` > 0 a piece moves at most that far and
    keeps its turn. Returns the number of colliding cells that are left in `best_state`.
    """
    np.random.seed(seed)
    count = len(state)
    if cells[0, 0] < 0:
        for i in range(count):
            cells[i, i] = 0
            count_cells(i, i, state, world, m, cells)
    used = 0
    while used < moves:
        total = cells[:, :count].sum() + 2 * cells[:, count].sum()
        if facts[0] < 0 or total < facts[0]:
            facts[0] = total
            facts[1] = 0
            best_state[:] = state
        else:
            facts[1] += 1
        if total == 0:
            return 0
        for i in np.random.permutation(count):
            if cells[i].max() == 0:
                continue
            used += 1
            if reach > 0:
                best, x, y, v = near_place(i, reach, state, weights, world, m, deep, table, costs)
            else:
                best, x, y, v = any_place(i, state, weights, world, m, deep, table, costs)
            if x < 0:
                continue
            now = state[i, 2]
            offsets = m.hit_offsets[m.hit_at[now] : m.hit_at[now] + m.size[now, 1] + 1]
            runs = m.hit_runs[m.hit_run_at[now] : m.hit_run_at[now + 1]]
            if best > cost_at(table, state[i, 0], state[i, 1], m.size[now, 1], offsets, runs):
                continue
            state[i, 0], state[i, 1], state[i, 2] = x, y, v
            count_cells(i, count, state, world, m, cells)
        reweigh(cells, weights)
    return facts[0]
