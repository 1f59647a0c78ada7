"""Inner loops that place pieces on a grid of cells, bottom-left first, holes and bays used.

The grid knows for every cell the next and the previous occupied cell in its row. A run of a piece is
then tested in one look, and a collision tells how far to jump.
"""

from __future__ import annotations

from numba import njit


@njit(cache=True, nogil=True)
def clear(after, before, room, open_rows):  # type: ignore[no-untyped-def]
    """Empty the grid.

    `after` and `before` (H, W + 1) are the next and the previous occupied column of every cell,
    `room` (H,) the longest free run of every row, `open_rows` (levels, H) where squares may start.
    """
    w = after.shape[1] - 1
    after[:, :] = w
    before[:, :] = -1
    room[:] = w
    open_rows[:, :] = 1


@njit(cache=True, nogil=True)
def longest_free(after, row):  # type: ignore[no-untyped-def]
    """Length of the longest run of free cells in a row."""
    w = after.shape[1] - 1
    best, u = 0, 0
    while u < w:
        stop = after[row, u]
        best = max(best, stop - u)
        u = stop + 1
        while u < w and after[row, u] == u:
            u += 1
    return best


@njit(cache=True, nogil=True)
def stamp(after, before, room, x, y, offsets, runs, border):  # type: ignore[no-untyped-def]
    """Occupy the stamp cells of a piece whose hit mask lies at (x, y)."""
    h, w1 = after.shape
    w = w1 - 1
    for row in range(len(offsets) - 1):
        v = y + row - border
        if v < 0 or v >= h or offsets[row] == offsets[row + 1]:
            continue
        for k in range(offsets[row], offsets[row + 1]):
            a = max(0, x + runs[k, 0] - border)
            b = min(w, x + runs[k, 1] - border)
            if a >= b:
                continue
            for u in range(a, b):
                after[v, u] = u
                before[v, u] = u
            u = a - 1
            while u >= 0 and after[v, u] > a:
                after[v, u] = a
                u -= 1
            u = b
            while u < w and before[v, u] < b - 1:
                before[v, u] = b - 1
                u += 1
        room[v] = longest_free(after, v)


@njit(cache=True, nogil=True)
def square_fits(after, before, y, side):  # type: ignore[no-untyped-def]
    """Whether a free square of `side` cells has its lowest row at `y`."""
    h, w1 = after.shape
    if y + side > h:
        return False
    x = 0
    while x + side <= w1 - 1:
        jump = -1
        for v in range(y, y + side):
            if after[v, x] < x + side:
                jump = before[v, x + side - 1] + 1
                break
        if jump < 0:
            return True
        x = jump
    return False


@njit(cache=True, nogil=True)
def lowest_place(  # type: ignore[no-untyped-def]
    after, before, room, open_rows, width, height, offsets, runs, order, needs, square, y_stop
):
    """First free place in reading order from the bottom, or (-1, -1).

    Only rows below `y_stop` are tried; `order` is the order in which the piece's rows are tested, and
    `needs` the longest run of each row: where a row has less room, the piece cannot lie. `square` is the
    side and lowest row of the largest square inside the piece. `open_rows` (levels, H) says where a free
    square of 2^level cells may start; a row that is found without one stays closed, as cells are only
    ever taken.
    """
    h, w1 = after.shape
    w = w1 - 1
    top = min(h - height, y_stop - 1)
    looks = min(height, 4)
    level = 0
    while level + 1 < len(open_rows) and 1 << (level + 1) <= square[0]:
        level += 1
    up = square[1]
    y = 0
    while y <= top:
        if open_rows[level, y + up] == 0:
            y += 1
            continue
        fits = True
        for k in range(looks):
            if room[y + order[k]] < needs[order[k]]:
                fits = False
                break
        x = 0
        while fits and x <= w - width:
            jump = 0
            for k in range(height):
                row = order[k]
                v = y + row
                for r in range(offsets[row], offsets[row + 1]):
                    if after[v, x + runs[r, 0]] < x + runs[r, 1]:
                        # Everything up to the last occupied cell under this run is in the way.
                        jump = before[v, x + runs[r, 1] - 1] + 1 - runs[r, 0]
                        break
                if jump > 0:
                    break
            if jump == 0:
                return x, y
            x = jump
        if level > 0 and not square_fits(after, before, y + up, 1 << level):
            for higher in range(level, len(open_rows)):
                open_rows[higher, y + up] = 0
        y += 1
    return -1, -1


@njit(cache=True, nogil=True)
def place_in_order(  # type: ignore[no-untyped-def]
    sequence,
    after,
    before,
    room,
    open_rows,
    variant_start,
    size,
    squares,
    hit_at,
    hit_offsets,
    hit_run_at,
    hit_runs,
    row_order,
    row_needs,
    stamp_at,
    stamp_offsets,
    stamp_run_at,
    stamp_runs,
    stamp_border,
    places,
):
    """Place pieces one after the other; each takes the variant whose top ends lowest.

    `places` (P, 3) receives x, y and variant, -1 where a piece found no place. Returns the number of
    pieces without a place.
    """
    missed = 0
    for n in range(len(sequence)):
        piece = sequence[n]
        best_top, best_x, best_y, best_variant = 1 << 30, -1, -1, -1
        for v in range(variant_start[piece], variant_start[piece + 1]):
            width, height = size[v, 0], size[v, 1]
            if width == 0 or width > after.shape[1] - 1 or height > after.shape[0]:
                continue
            offsets = hit_offsets[hit_at[v] : hit_at[v] + height + 1]
            runs = hit_runs[hit_run_at[v] : hit_run_at[v + 1]]
            order = row_order[hit_at[v] : hit_at[v] + height]
            needs = row_needs[hit_at[v] : hit_at[v] + height]
            stop = best_top - height + 1
            x, y = lowest_place(
                after, before, room, open_rows, width, height, offsets, runs, order, needs, squares[v], stop
            )
            if x < 0:
                continue
            top = y + height
            if top < best_top or (top == best_top and x < best_x):
                best_top, best_x, best_y, best_variant = top, x, y, v
        places[piece, 0], places[piece, 1], places[piece, 2] = best_x, best_y, best_variant
        if best_variant < 0:
            missed += 1
            continue
        v = best_variant
        rows = stamp_at[v + 1] - stamp_at[v] - 1
        stamp(
            after,
            before,
            room,
            best_x,
            best_y,
            stamp_offsets[stamp_at[v] : stamp_at[v] + rows + 1],
            stamp_runs[stamp_run_at[v] : stamp_run_at[v + 1]],
            stamp_border[v],
        )
    return missed
