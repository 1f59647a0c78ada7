"""Inner loop that walks two meshes side by side."""

from __future__ import annotations

from numba import njit


@njit(cache=True, nogil=True)
def walk_both(start, other, after_a, twin_a, after_b, twin_b, whole, image, taken, queue):  # type: ignore[no-untyped-def]
    """Match what hangs together with half-edge `start` of one mesh to what does with `other` in
    another one.

    `after` is the next half-edge around a face, `twin` that across (-1 at a border). Where `whole`,
    borders meet borders; else the other mesh may go on behind them. `image` (A,) is filled with the
    half-edge of the other mesh, and was -1 there; `taken` (B,) bool are half-edges of the other mesh
    that may not be used, as it was after the call. `queue` (A,) is scratch. Returns how many were
    matched, 0 where they differ (then `image` is as it was).
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
            a, b = (after_a[h], after_b[g]) if way == 0 else (twin_a[h], twin_b[g])
            if a < 0 and (b < 0 or not whole):
                continue
            if a < 0 or b < 0:
                fits = False
                break
            if image[a] < 0:
                # No half-edge of the other mesh may be used twice.
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
