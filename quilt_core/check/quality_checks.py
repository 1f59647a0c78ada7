"""Checks of evenness: density against the house band, and stretch."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.check.case import Case
from quilt_core.measure.density import set_density
from quilt_core.scene.lengths import density_words
from quilt_core.scene.types import FloatArray

BINS = 40


def check_density(case: Case) -> None:
    """Islands outside the house band; each island's own band is its weight times the house
    density."""
    rules = case.rules
    if rules.band is None:
        return
    own = case.figures.density / case.weight
    known = np.isfinite(own) & ~case.unplaced
    least, most = rules.band
    low = np.flatnonzero(known & (own < least * (1 - 1e-9)))
    high = np.flatnonzero(known & (own > most * (1 + 1e-9)))
    for kind, which, said, end in (
        ("below density", low, rules.least_density, least),
        ("over-detailed", high, rules.most_density, most),
    ):
        # An end that is said itself is what counts; else it is the house density.
        goal = rules.house_density if said is None and rules.house_density else end
        which = which[np.argsort(-np.abs(np.log(own[which] / goal)), kind="stable")]
        for i in which[: case.count(kind, len(which))]:
            d, wanted = case.figures.density[i], goal * case.weight[i]
            side = "below" if d < wanted else "above"
            text = (
                f"{density_words(d, rules.density_unit)}, {abs(d / wanted - 1):.0%} {side} "
                f"{density_words(wanted, rules.density_unit)}"
            )
            case.add(kind, (i,), d, "px/m", text)


def check_stretch(case: Case) -> None:
    """Islands that are stretched more than the rules allow."""
    found = case.stretch
    if found is None:
        return
    with np.errstate(invalid="ignore"):
        bad = np.flatnonzero((found.l2 > case.rules.stretch) | (found.angle > case.rules.angle))
    bad = bad[np.argsort(-found.l2[bad], kind="stable")]
    for i in bad[: case.count("stretch", len(bad))]:
        worst = np.array([found.worst[i]])
        text = f"L2 {found.l2[i]:.3f}, worst face {found.linf[i]:.3f}, angles {found.angle[i]:.3f}, areas {found.area[i]:.3f} (1 = none)"
        case.add(
            "stretch",
            (i,),
            found.l2[i],
            "times",
            text,
            case.placed.triangles[worst].mean(axis=1),
            case.local_faces(worst),
        )


def density_table(case: Case) -> dict[str, Any]:
    """Density per object and tile and its spread, px per metre."""
    figures, islands = case.figures, case.islands
    width, height = figures.pixel.T
    known = np.isfinite(figures.density)
    values = figures.density[known]

    def row(which: NDArray[np.bool_]) -> dict[str, Any]:
        inside = figures.density[which & known]
        if not len(inside):
            return {"islands": int(which.sum()), "min": None, "max": None, "mean": None}
        mean = set_density(islands, case.transforms, width, height, which, known)
        return {
            "islands": int(which.sum()),
            "min": float(inside.min()),
            "max": float(inside.max()),
            "mean": mean,
        }

    return {
        "all": row(np.ones(islands.count, bool)),
        "objects": [
            {"name": name, **row(islands.object_index == o)} for o, name in enumerate(case.names)
        ],
        "tiles": [
            {
                "number": tile.number,
                "coverage": float(figures.tile_coverage[k]),
                **row(figures.tile == k),
            }
            for k, tile in enumerate(case.tiles)
        ],
        "histogram": histogram(values, islands.world_area[known]),
    }


def histogram(density: FloatArray, area: FloatArray) -> dict[str, list[float]]:
    """Surface area in square metres per bin of density; the bins are even on a log scale.

    Returns
    -------
    dict
        ``edges`` (n + 1 values in px per metre) and ``area`` (n).
    """
    if not len(density):
        return {"edges": [], "area": []}
    low, high = np.log(density.min()), np.log(density.max())
    if high - low < 1e-6:
        low, high = low - 0.05, high + 0.05
    edges = np.exp(np.linspace(low, high, BINS + 1))
    edges[[0, -1]] = min(edges[0], density.min()), max(edges[-1], density.max())
    return {"edges": edges.tolist(), "area": np.histogram(density, edges, weights=area)[0].tolist()}
