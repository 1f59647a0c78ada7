"""Turns of pieces: an angle, and whether the piece is mirrored before it is turned."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.types import BoolArray, FloatArray

Rotate = Literal["none", "half", "quarter", "free"]
FREE_STEPS = 16
"""Turns of a full circle when turning is free."""


@dataclass(frozen=True, eq=False)
class Turns:
    """Some turns, of one piece that may lie in any of them or of many pieces that lie in one each.

    Parameters
    ----------
    angle : (N,) float64
        Radians, counter-clockwise.
    mirror : (N,) bool
        Mirrored, x to -x, before it is turned.

    Examples
    --------
    >>> quarters = Turns.plain(turns_for("quarter")).with_mirrored()
    >>> len(quarters), np.degrees(quarters[quarters.mirror].angle).tolist()
    (8, [0.0, 90.0, 180.0, 270.0])
    """

    angle: FloatArray
    mirror: BoolArray

    def __len__(self) -> int:
        return len(self.angle)

    def __getitem__(self, which: slice | NDArray[np.bool_] | NDArray[np.integer]) -> Turns:
        return Turns(self.angle[which], self.mirror[which])

    @staticmethod
    def plain(angle: FloatArray) -> Turns:
        """Turns without mirroring."""
        return Turns(angle, np.zeros(len(angle), bool))

    @staticmethod
    def joined(parts: Sequence[Turns]) -> Turns:
        """All turns of all parts, one after the other."""
        return Turns(
            np.concatenate([p.angle for p in parts]), np.concatenate([p.mirror for p in parts])
        )

    def with_mirrored(self) -> Turns:
        """These, then each of them mirrored as well."""
        return Turns.joined([self, Turns(self.angle, ~self.mirror)])

    @property
    def unmirrored(self) -> FloatArray:
        """Angles of those that do not mirror, in radians."""
        return self.angle[~self.mirror]

    def matrices(self) -> FloatArray:
        """(N, 2, 2) matrices; exact for quarter turns."""
        return turn_matrices(self.angle, self.mirror)


def turns_for(rotate: Rotate, free_steps: int = FREE_STEPS) -> FloatArray:
    """Angles in radians that a rotation setting allows.

    Examples
    --------
    >>> np.degrees(turns_for("quarter")).tolist()
    [0.0, 90.0, 180.0, 270.0]
    """
    steps = {"none": 1, "half": 2, "quarter": 4, "free": free_steps}[rotate]
    return np.asarray(np.arange(steps) * (2 * np.pi / steps), np.float64)


def turn_matrices(angle: FloatArray, mirror: BoolArray | bool = False) -> FloatArray:
    """(N, 2, 2) matrices of angles in radians, mirrored before where that is said; exact for
    quarter turns.

    Examples
    --------
    >>> turn_matrices(np.array([np.pi / 2])).tolist()
    [[[0.0, -1.0], [1.0, 0.0]]]
    """
    c, s = np.cos(angle), np.sin(angle)
    c[np.abs(c) < 1e-12] = 0.0
    s[np.abs(s) < 1e-12] = 0.0
    side = np.where(mirror, -1.0, 1.0)
    return np.stack([np.stack([side * c, -s], 1), np.stack([side * s, c], 1)], 1) + 0.0
