"""A check: islands that are narrower than a texel."""

import numpy as np

from quilt_core.check.findings import AddedCheck, Kind

NARROW = Kind(
    title="Islands narrower than a texel",
    severity="warning",
    why="No texel lies wholly inside of them.",
    advice="Give their object more density, or join them with a neighbour.",
)


def look(case):
    low, high = np.full((2, case.placed.count, 2), [[[np.inf]], [[-np.inf]]])
    np.minimum.at(low, case.placed.triangle_island, case.triangle_px.min(axis=1))
    np.maximum.at(high, case.placed.triangle_island, case.triangle_px.max(axis=1))
    width = (high - low).min(axis=1)
    narrow = np.flatnonzero(width < 1)
    for island in narrow[: case.count("narrow", len(narrow))]:
        px = float(width[island])
        case.add("narrow", [int(island)], px, "px", f"The island is {px:.2f} px wide.")


SLIVERS = AddedCheck("slivers", {"narrow": NARROW}, look)
