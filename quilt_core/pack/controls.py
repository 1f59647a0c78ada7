"""What the artist says about single islands: locks, tiles, bundles, stacks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import BoolArray, IntArray


@dataclass(frozen=True, eq=False)
class Controls:
    """Wishes per island.

    Parameters
    ----------
    flags : (I,) uint8
        Sum of LOCK_PLACE, LOCK_ROTATION, LOCK_SIZE, MAY_FLIP and LEAVE_OUT.
    tile : (I,) int64
        Number of the only tile an island may lie in, 0 for any.
    bundle : (I,) int64
        Islands with the same number are packed as one cluster; -1 for none.
    stack : (I,) int64
        Islands with the same number share the same texels; -1 for none.
    chosen : (I,) bool
        Islands to pack. The others stay, and are in the way.
    """

    flags: NDArray[np.uint8]
    tile: IntArray
    bundle: IntArray
    stack: IntArray
    chosen: BoolArray

    def has(self, flag: int) -> BoolArray:
        """(I,) islands with a flag."""
        return np.asarray((self.flags & flag) != 0)


def no_controls(count: int) -> Controls:
    """Every island is free and to be packed."""
    return Controls(
        np.zeros(count, np.uint8),
        np.zeros(count, np.int64),
        np.full(count, -1, np.int64),
        np.full(count, -1, np.int64),
        np.ones(count, bool),
    )


def spread_over_groups(marked: BoolArray, groups: IntArray) -> BoolArray:
    """Mark every island whose group (numbers from 0, -1 for none) has a marked island.

    Examples
    --------
    >>> spread_over_groups(np.array([True, False, False]), np.array([3, 3, -1])).tolist()
    [True, True, False]
    """
    out = marked.copy()
    out[np.isin(groups, groups[marked & (groups >= 0)])] = True
    return out


def bundles_of(groups: IntArray, first: int = 0) -> IntArray:
    """(N,) bundle of each island when those of one group stay together.

    Parameters
    ----------
    groups : (N,) int64
        For example the object or the material of each island; -1 for none.
    first : int
        Number of the first bundle.

    Returns
    -------
    (N,) int64
        -1 for an island that is alone in its group or in none.

    Examples
    --------
    >>> bundles_of(np.array([4, 7, 4, -1, 9, 9]), 2).tolist()
    [2, -1, 2, -1, 3, 3]
    """
    _, inverse, counts = np.unique(groups, return_inverse=True, return_counts=True)
    together = (counts[inverse] > 1) & (groups >= 0)
    number = np.full(len(counts), -1)
    kept = np.unique(inverse[together])
    number[kept] = first + np.arange(len(kept))
    return np.asarray(np.where(together, number[inverse], -1))
