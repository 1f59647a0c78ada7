"""What is packed, with which rules, and what comes out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

Rotate = Literal["none", "half", "quarter", "free"]
Effort = Literal["quick", "standard", "thorough"]

ROTATIONS: tuple[Rotate, ...] = ("none", "half", "quarter", "free")
EFFORTS: tuple[Effort, ...] = ("quick", "standard", "thorough")
FREE_STEPS = 16
MAX_TILE = 16384


@dataclass(frozen=True)
class PackSettings:
    """Rules of a pack.

    Parameters
    ----------
    width, height : int
        Resolution of the tile in px, 16 to 16384.
    padding : float
        Smallest gap between islands in px.
    margin : float
        Smallest gap to the tile's edge in px.
    rotate : str
        none, half (0, 180), quarter (0, 90, 180, 270) or free (16 steps).
    effort : str
        quick, standard or thorough; counted in steps, so that results repeat.
    seconds : float, optional
        Stop after this time even if steps are left. Results then depend on the machine.
    seed : int
    fixed_scale : bool
        Keep the size given; islands that do not fit are left over instead of all shrinking.
    """

    width: int = 2048
    height: int = 2048
    padding: float = 8.0
    margin: float = 4.0
    rotate: Rotate = "quarter"
    effort: Effort = "standard"
    seconds: float | None = None
    seed: int = 1
    fixed_scale: bool = False

    def __post_init__(self) -> None:
        for label, value in (("width", self.width), ("height", self.height)):
            if not 16 <= value <= MAX_TILE:
                raise LayoutError(f"A tile {label} of {value} px.", "size", f"Give 16 to {MAX_TILE} px.")
        for label, distance in (("padding", self.padding), ("margin", self.margin)):
            if not 0 <= distance < min(self.width, self.height) / 2:
                raise LayoutError(
                    f"A {label} of {distance:g} px in a tile of {self.width} x {self.height} px.",
                    label,
                    "Give at least 0 px and less than half the tile.",
                )
        if self.rotate not in ROTATIONS:
            raise LayoutError(
                f"“{self.rotate}” is no rotation.", "rotate", f"Give one of {', '.join(ROTATIONS)}."
            )
        if self.effort not in EFFORTS:
            raise LayoutError(
                f"“{self.effort}” is no effort.", "effort", f"Give one of {', '.join(EFFORTS)}."
            )
        if self.seconds is not None and not self.seconds > 0:
            raise LayoutError(f"{self.seconds:g} seconds.", "seconds", "Give more than 0 s.")


@dataclass(frozen=True, eq=False)
class PackProblem:
    """Pieces in px at scale 1.

    Parameters
    ----------
    edges : (E, 4) float64
        Outline edges of all pieces as x0, y0, x1, y1.
    starts : (P + 1,) int64
        Edges of piece ``p`` are ``edges[starts[p]:starts[p + 1]]``.
    folded : (P,) bool
        Pieces whose outline is not a set of simple rings; their inside is all that it encloses.
    areas : (P,) float64
        Areas in px at scale 1.
    turns : tuple of (T,) float64
        Angles in radians each piece may be turned by.
    """

    edges: FloatArray
    starts: IntArray
    folded: NDArray[np.bool_]
    areas: FloatArray
    turns: tuple[FloatArray, ...]

    @property
    def count(self) -> int:
        """Number of pieces."""
        return len(self.starts) - 1


@dataclass(frozen=True, eq=False)
class Attempt:
    """The best layout so far.

    Parameters
    ----------
    scale : float
        Common scale of all pieces.
    turn : (P,) float64
        Angle of each piece in radians.
    shift : (P, 2) float64
        px; a point p of a piece goes to ``scale * R(turn) p + shift``.
    placed : (P,) bool
        False for pieces that are left over (only with a fixed scale).
    coverage : float
        Area of the placed pieces / area of the tile.
    step, steps : int
        How far the search is.
    done : bool
    """

    scale: float
    turn: FloatArray
    shift: FloatArray
    placed: NDArray[np.bool_]
    coverage: float
    step: int
    steps: int
    done: bool = False


def turns_for(rotate: Rotate) -> FloatArray:
    """Angles in radians that a rotation setting allows.

    Examples
    --------
    >>> np.degrees(turns_for("quarter")).tolist()
    [0.0, 90.0, 180.0, 270.0]
    """
    steps = {"none": 1, "half": 2, "quarter": 4, "free": FREE_STEPS}[rotate]
    return np.asarray(np.arange(steps) * (2 * np.pi / steps), np.float64)
