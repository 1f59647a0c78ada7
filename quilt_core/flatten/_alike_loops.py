"""Inner loops that walk two meshes side by side."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def walk_both(start, other, after_a, twin_a, after_b, twin_b, image, queue):  # type: ignore[no-untyped-def]
    """Match the shell of half-edge `start` of one mesh to that of `other` in another one.

    `after` is the next half-edge around a face, `twin` that across (-1 at a border). `image` (A,) is
    filled with the half-edge of the other mesh, and was -1 there; returns how many were matched, 0
    when the shells differ (then `image` is as it was). `queue` (A,) is scratch.
    """
    image[start] = other
    queue[0] = start
    head, tail = 0, 1
    fits = True
    while head < tail and fits:
        h = queue[head]
        head += 1
        g = image[h]
        for way in range(2):
            a, b = (after_a[h], after_b[g]) if way == 0 else (twin_a[h], twin_b[g])
            if a < 0 or b < 0:
                if a >= 0 or b >= 0:
                    fits = False
                    break
                continue
            if image[a] < 0:
                image[a] = b
                queue[tail] = a
                tail += 1
            elif image[a] != b:
                fits = False
                break
    if fits:
        # No half-edge of the other mesh may be used twice.
        seen = np.sort(image[queue[:tail]])
        for k in range(1, tail):
            if seen[k] == seen[k - 1]:
                fits = False
                break
    if not fits:
        for k in range(tail):
            image[queue[k]] = -1
        return 0
    return tail


@njit(cache=True, nogil=True)
def walk_part(start, other, after_a, twin_a, after_b, twin_b, image, taken, queue):  # type: ignore[no-untyped-def]
    """Match a part of a mesh to a place in another one, as `walk_both`; the part's `twin` is -1 at its
    border, where the other mesh may go on. `taken` (B,) bool are half-edges of the other mesh that may
    not be used; it is as it was after the call.
    """
    if taken[other]:
        return 0
    image[start] = other
    taken[other] = True
    queue[0] = start
    head, tail = 0, 1
    fits = True
    while head < tail and fits:
        h = queue[head]
        head += 1
        g = image[h]
        for way in range(2):
            a = after_a[h] if way == 0 else twin_a[h]
            if a < 0:
                continue
            b = after_b[g] if way == 0 else twin_b[g]
            if b < 0:
                fits = False
                break
            if image[a] < 0:
                if taken[b]:
                    fits = False
                    break
                image[a] = b
                taken[b] = True
                queue[tail] = a
                tail += 1
            elif image[a] != b:
                fits = False
                break
    for k in range(tail):
        taken[image[queue[k]]] = False
    if not fits:
        for k in range(tail):
            image[queue[k]] = -1
        return 0
    return tail
