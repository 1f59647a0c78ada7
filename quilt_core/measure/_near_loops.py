"""Inner loop that finds what lies near some islands."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def mark_near(corners, order, start, box, use, lead, wide, high):  # type: ignore[no-untyped-def]
    """(N,) whether a row is of a leading island, or its box meets that of one, widened by `wide`
    and `high`.

    `corners` (N, K, 2) are the corners of the rows, `order` and `start` the rows of each island,
    `box` (I, 4) their boxes; islands count where `use` (I,) is true; `lead` (L,) are numbers.
    """
    mark = np.zeros(len(corners), np.bool_)
    for m in lead:
        if not use[m]:
            continue
        left, low, right, top = (
            box[m, 0] - wide, box[m, 1] - high, box[m, 2] + wide, box[m, 3] + high
        )  # fmt: skip
        for o in range(len(box)):
            if not use[o] or box[o, 0] > right or box[o, 2] < left:
                continue
            if box[o, 1] > top or box[o, 3] < low:
                continue
            for k in range(start[o], start[o + 1]):
                row = order[k]
                if mark[row]:
                    continue
                if o != m:
                    u, v = corners[row, :, 0], corners[row, :, 1]
                    if u.min() > right or u.max() < left or v.min() > top or v.max() < low:
                        continue
                mark[row] = True
    return mark
