"""How a mesh is cut and flattened."""

from __future__ import annotations

from dataclasses import dataclass

from quilt_core.options import check_options, option

SEAM_KINDS = ("natural", "shape", "angle", "hard", "material", "group", "one")
MOST_WELD = 0.05
"""Part of a mesh's size within which vertices may count as one."""


@dataclass(frozen=True)
class UnwrapSettings:
    """How a mesh is cut into islands.

    Raises
    ------
    LayoutError
        When a value is out of its bounds.
    """

    seams: str = option(
        "natural",
        "where seams go: at creases, with flat, round and swept parts laid straight (natural), as few as the stretch allows (shape), at edges by their angle, at hard edges, between materials, "
        "between groups of the file, or nowhere that need not be (one island for each piece, whatever its stretch)",
        choices=SEAM_KINDS,
    )
    angle: float = option(
        45.0,
        "edges that turn by more become seams; at hard edges, where a file has no normals",
        unit="degrees",
        low=0.01,
        high=180,
    )
    stretch: float = option(
        1.05, "largest L2 stretch of an island; 1 is none at all", low=1.0005, high=4
    )
    balance: float = option(
        0.5, "what islands keep once they are cut: 0 angles, 1 areas", low=0, high=1
    )
    symmetric: bool = option(
        False, "islands of the two sides of a symmetric object are mirror images"
    )
    seconds: float | None = option(
        None,
        "time for each object to look for fewer seams; without it as many rounds as its size suggests",
        unit="s",
        low=0,
        high=86_400,
    )
    weld: float = option(
        0.0,
        "vertices nearer than this part of an object's size count as one, for the layout only",
        low=0,
        high=MOST_WELD,
    )
    seed: int = option(0, "of the order in which seams are tried", low=0, high=2**31 - 1)

    def __post_init__(self) -> None:
        check_options(self)
