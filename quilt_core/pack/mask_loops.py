"""Inner loops that turn outlines into rows of cells.

A piece has two masks on the grid: the cells it touches (hit) and the cells nearer than the padding
(stamp). Where the hit cells of one piece and the stamp cells of another do not meet, every point of
the first is at least the padding away from the second.
"""

from __future__ import annotations

import numpy as np
from numba import njit

EPS = 1e-7


@njit(cache=True, nogil=True)
def mark_edges(edges, reach, grid, ox, oy):  # type: ignore[no-untyped-def]
    """Mark all cells that are nearer than `reach` to an edge; reach 0 marks cells that are touched.

    The cells that a capsule (edge with a disk of radius `reach` around it) meets in one row are one
    run, because both are convex; its ends lie on an arc or on one of the two long sides.
    """
    h, w = grid.shape
    r = reach + EPS
    for e in range(len(edges)):
        ax, ay, bx, by = edges[e, 0] + ox, edges[e, 1] + oy, edges[e, 2] + ox, edges[e, 3] + oy
        dx, dy = bx - ax, by - ay
        length = np.sqrt(dx * dx + dy * dy)
        nx, ny = 0.0, 0.0
        if length > 0:
            nx, ny = -dy / length * r, dx / length * r
        first = max(0, int(np.floor(min(ay, by) - r)))
        last = min(h - 1, int(np.floor(max(ay, by) + r)))
        for row in range(first, last + 1):
            low, high = 1e18, -1e18
            for end in range(2):
                cx, cy = (ax, ay) if end == 0 else (bx, by)
                away = 0.0
                if cy < row:
                    away = row - cy
                elif cy > row + 1:
                    away = cy - row - 1
                if away <= r:
                    half = np.sqrt(r * r - away * away)
                    low = min(low, cx - half)
                    high = max(high, cx + half)
            for side in range(2):
                f = 1.0 if side == 0 else -1.0
                px, py, qx, qy = ax + f * nx, ay + f * ny, bx + f * nx, by + f * ny
                if py > qy:
                    px, py, qx, qy = qx, qy, px, py
                if qy < row or py > row + 1:
                    continue
                t0, t1 = 0.0, 1.0
                if qy > py:
                    t0 = max(0.0, (row - py) / (qy - py))
                    t1 = min(1.0, (row + 1 - py) / (qy - py))
                x0, x1 = px + t0 * (qx - px), px + t1 * (qx - px)
                low = min(low, x0, x1)
                high = max(high, x0, x1)
            for column in range(max(0, int(np.floor(low))), min(w - 1, int(np.floor(high))) + 1):
                grid[row, column] = 1


@njit(cache=True, nogil=True)
def fill_inside(edges, grid, ox, oy):  # type: ignore[no-untyped-def]
    """Fill cells whose middle is inside the outline by its winding number; holes stay free."""
    h, w = grid.shape
    xs = np.empty(len(edges))
    ways = np.empty(len(edges), np.int64)
    for row in range(h):
        y = row + 0.5
        n = 0
        for e in range(len(edges)):
            ay, by = edges[e, 1] + oy, edges[e, 3] + oy
            if (ay <= y) != (by <= y):
                ax, bx = edges[e, 0] + ox, edges[e, 2] + ox
                x = ax + (y - ay) / (by - ay) * (bx - ax)
                # Few crossings: they are put in their places one by one.
                k = n
                while k > 0 and xs[k - 1] > x:
                    xs[k], ways[k] = xs[k - 1], ways[k - 1]
                    k -= 1
                xs[k], ways[k] = x, (1 if by > ay else -1)
                n += 1
        layers = 0
        for k in range(n - 1):
            layers += ways[k]
            if layers != 0:
                for column in range(
                    max(0, int(np.ceil(xs[k] - 0.5))),
                    min(w - 1, int(np.floor(xs[k + 1] - 0.5))) + 1,
                ):
                    grid[row, column] = 1


@njit(cache=True, nogil=True)
def row_runs(grid):  # type: ignore[no-untyped-def]
    """Runs of marked cells: (h + 1,) offsets and (R, 2) first and past-last columns."""
    h, w = grid.shape
    offsets = np.zeros(h + 1, np.int32)
    n = 0
    for y in range(h):
        inside = False
        for x in range(w):
            if grid[y, x] and not inside:
                n += 1
            inside = grid[y, x] != 0
        offsets[y + 1] = n
    runs = np.empty((n, 2), np.int32)
    n = 0
    for y in range(h):
        start = -1
        for x in range(w):
            if grid[y, x] and start < 0:
                start = x
            if start >= 0 and (not grid[y, x] or x == w - 1):
                runs[n, 0] = start
                runs[n, 1] = x if not grid[y, x] else x + 1
                n += 1
                start = -1
    return offsets, runs


@njit(cache=True, nogil=True)
def turned(edges, angle, mirror, scale):  # type: ignore[no-untyped-def]
    """Edges (E, 4) turned by `angle`, scaled and moved to the origin; also that move (2,) in cells.

    With `mirror` the piece is mirrored, x to -x, before it is turned.
    """
    side = -1.0 if mirror else 1.0
    c, s = np.cos(angle) * scale, np.sin(angle) * scale
    # Exact quarter turns keep straight edges exactly straight.
    if abs(c) < 1e-12 * scale:
        c = 0.0
    if abs(s) < 1e-12 * scale:
        s = 0.0
    out = np.empty_like(edges)
    lx, ly, hx, hy = 1e300, 1e300, -1e300, -1e300
    for e in range(len(edges)):
        for k in range(2):
            x, y = side * edges[e, 2 * k], edges[e, 2 * k + 1]
            u, v = c * x - s * y, s * x + c * y
            out[e, 2 * k], out[e, 2 * k + 1] = u, v
            lx, ly, hx, hy = min(lx, u), min(ly, v), max(hx, u), max(hy, v)
    for e in range(len(edges)):
        out[e, 0] -= lx
        out[e, 2] -= lx
        out[e, 1] -= ly
        out[e, 3] -= ly
    return out, lx, ly, hx - lx, hy - ly


@njit(cache=True, nogil=True)
def hit_grid(edges, width, height, solid):  # type: ignore[no-untyped-def]
    """Cells that a piece touches; its first `solid` edges bound the inside.

    Its lowest corner is at (EPS, EPS), so that no cell is lost.
    """
    grid = np.zeros((max(1, int(np.ceil(height))), max(1, int(np.ceil(width)))), np.uint8)
    mark_edges(edges, 0.0, grid, 0.0, 0.0)
    fill_inside(edges[:solid], grid, 0.0, 0.0)
    return grid


@njit(cache=True, nogil=True)
def stamp_grid(edges, hit, reach, solid=0):  # type: ignore[no-untyped-def]
    """Cells nearer than `reach` to a piece; offset by the returned border.

    With a negative reach: the cells whose middle is inside, or all that are touched if there is
    none.
    """
    if reach < 0:
        inner = np.zeros_like(hit)
        fill_inside(edges[:solid], inner, 0.0, 0.0)
        return (inner if inner.any() else hit), 0
    border = int(np.ceil(reach + EPS)) + 1
    h, w = hit.shape
    grid = np.zeros((h + 2 * border, w + 2 * border), np.uint8)
    grid[border : border + h, border : border + w] = hit
    mark_edges(edges, reach, grid, float(border), float(border))
    return grid, border
