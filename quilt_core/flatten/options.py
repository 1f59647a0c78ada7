"""How a mesh is cut and flattened."""

from __future__ import annotations

from dataclasses import dataclass

from quilt_core.errors import LayoutError

KINDS = ("shape", "angle", "hard", "material", "group", "one")
MOST_WELD = 0.05
"""Part of a mesh's size within which vertices may count as one."""


@dataclass(frozen=True)
class FlattenSettings:
    """How a mesh is cut into charts.

    Parameters
    ----------
    charts : str
        shape (few seams: charts grow while their stretch stays below the limit), angle (edges that
        turn by more than `angle` are seams), hard (edges that are shaded hard), material (borders
        of materials), group (borders of groups of the file), or one (one piece for each shell, whatever its stretch). All but `one` keep
        the limit of stretch too.
    angle : float
        Degrees.
    stretch : float
        Largest L2 stretch of a chart.
    balance : float
        What the charts keep once they are cut: 0 angles, 1 areas, 0.5 both alike.
    symmetric : bool
        Charts of the two sides of a symmetric mesh are mirror images; nothing else where it is not.
    seconds : float, optional
        Time for looking for fewer seams; what the mesh's size suggests when it is not given.
    weld : float
        Vertices nearer than this part of the mesh's size count as one; 0 for what is equal but for
        rounding.
    seed : int
        Of the order in which seams are tried.

    Raises
    ------
    LayoutError
        When a value is out of its bounds.
    """

    charts: str = "shape"
    angle: float = 45.0
    stretch: float = 1.05
    balance: float = 0.5
    symmetric: bool = False
    seconds: float | None = None
    weld: float = 0.0
    seed: int = 0

    def __post_init__(self) -> None:
        if self.charts not in KINDS:
            raise LayoutError(f"Charts “{self.charts}”.", "charts", f"Give {', '.join(KINDS)}.")
        if not 0.0 < self.angle <= 180.0:
            raise LayoutError(f"An angle of {self.angle:g}°.", "angle", "Give 0 to 180 degrees.")
        if not 1.0005 <= self.stretch <= 4.0:
            raise LayoutError(
                f"A stretch of {self.stretch:g}.", "stretch", "Give 1.0005 to 4; 1 is none at all."
            )
        if not 0.0 <= self.balance <= 1.0:
            raise LayoutError(
                f"A balance of {self.balance:g}.", "balance", "Give 0 (angles) to 1 (areas)."
            )
        if not 0.0 <= self.weld <= MOST_WELD:
            raise LayoutError(
                f"Welding within {self.weld:g} of the size.", "weld", f"Give 0 to {MOST_WELD:g}."
            )
        if self.seconds is not None and not self.seconds >= 0:
            raise LayoutError(f"{self.seconds} seconds.", "seconds", "Give 0 or more.")
