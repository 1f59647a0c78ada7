"""Orders to place pieces in, and changes of them; pieces of one region stay next to one another."""

from __future__ import annotations

import numpy as np

from quilt_core.pack.bounds import longest_edges
from quilt_core.pack.problem import PackProblem
from quilt_core.scene.types import IntArray


def first_orders(problem: PackProblem) -> tuple[IntArray, IntArray]:
    """Pieces by length and by area, largest first; regions with the largest area first.

    Examples
    --------
    >>> from quilt_core.pack.problem import example_problem
    >>> [order.tolist() for order in first_orders(example_problem([(1, 9), (4, 4), (2, 2)]))]
    [[0, 1, 2], [1, 0, 2]]
    """
    keys = longest_edges(problem), problem.areas
    if problem.region is None:
        return np.argsort(-keys[0], kind="stable"), np.argsort(-keys[1], kind="stable")
    # A piece that is alone is a region of its own.
    region = alone_apart(problem.region)
    size = np.bincount(region, problem.areas)[region]
    reach = np.zeros(int(region.max()) + 1)
    np.maximum.at(reach, region, keys[0])
    return (
        np.lexsort([-keys[0], region, -size]),
        np.lexsort([-keys[1], region, -reach[region]]),
    )


def alone_apart(region: IntArray) -> IntArray:
    """(P,) regions from 0 on, with one of its own for each piece that had none (-1)."""
    out = region.copy()
    free = np.flatnonzero(region < 0)
    out[free] = region.max(initial=-1) + 1 + np.arange(len(free))
    return out


def disturbed(
    order: IntArray,
    left_over: IntArray,
    strength: int,
    rng: np.random.Generator,
    region: IntArray | None,
) -> IntArray:
    """Move some of what was left over forward, and a few others about.

    With regions every other change moves a whole region, and all others stay inside theirs.
    """
    if region is None:
        return _moved(order.tolist(), left_over[: 1 + strength % 3].tolist(), 1 + strength % 4, rng)
    owner = alone_apart(region)
    met, first = np.unique(owner[order], return_index=True)
    regions = met[np.argsort(first)]
    within = {int(r): order[owner[order] == r] for r in regions}
    missed = np.unique(owner[left_over])
    if strength % 2 == 0 and len(regions) > 1:
        regions = _moved(
            regions.tolist(), missed[: 1 + strength % 3].tolist(), 1 + strength % 4, rng
        )
    else:
        for r in missed if len(missed) else rng.choice(regions, 1):
            mine = within[int(r)]
            ahead = [int(p) for p in left_over if owner[p] == r]
            within[int(r)] = _moved(mine.tolist(), ahead[: 1 + strength % 3], 1 + strength % 4, rng)
    return np.concatenate([within[int(r)] for r in regions])


def _moved(out: list[int], forward: list[int], others: int, rng: np.random.Generator) -> IntArray:
    for piece in forward:
        at = out.index(piece)
        out.pop(at)
        out.insert(int(rng.integers(0, max(at, 1))), piece)
    for _ in range(others):
        a = int(rng.integers(0, len(out)))
        piece = out.pop(a)
        reach = max(2, len(out) // 6)
        out.insert(int(np.clip(a + rng.integers(-reach, reach + 1), 0, len(out))), piece)
    return np.array(out, np.int64)
