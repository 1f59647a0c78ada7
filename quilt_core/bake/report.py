"""Figures of maps: what is in them, and what was cut off."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from quilt_core.bake.bake import BACK, MISSED, OTHER, BakedTile
from quilt_core.bake.case import BakeCase
from quilt_core.bake.write import as_image, height_range

BINS = 32


def map_figures(case: BakeCase, one: BakedTile, name: str) -> dict[str, Any]:
    """Of a map: texels covered, parts of them whose rays went astray; for single values the range, a histogram of 32
    steps from 0 to 1, and the parts that are cut off at black and at white."""
    has = one.texels.owner >= 0
    count = max(int(has.sum()), 1)
    out: dict[str, Any] = {
        "covered": round(float(has.mean()), 6),
        "missed": round(float((one.rays[has] == MISSED).sum()) / count, 6),
        "back": round(float((one.rays[has] == BACK).sum()) / count, 6),
        "other_part": round(float((one.rays[has] == OTHER).sum()) / count, 6),
    }
    if one.maps[name].shape[2] == 1:
        values = as_image(case, one, name)[has, 0]
        bins = np.histogram(values, BINS, (0.0, 1.0))[0]
        out |= {
            "mean": round(float(values.mean()), 4) if len(values) else None,
            "histogram": bins.tolist(),
            "black": round(float((values <= 0).mean()), 6) if len(values) else 0.0,
            "white": round(float((values >= 1).mean()), 6) if len(values) else 0.0,
        }
    if name == "height":
        out["range_m"] = height_range(case)
    if name == "curvature":
        out["radius_m"] = round(1.0 / case.bend, 9)
    return out


CRUSHED = {
    "height": (0.01, 0.01, "give a larger distance of the rays"),
    "curvature": (0.05, 0.05, "give a smaller radius of curvature"),
    "thickness": (1.0, 0.25, "give a larger thickness distance"),
    "occlusion": (0.25, 1.0, "give a smaller occlusion distance"),
}
"""Parts of a map that may be cut off at black and at white, and what helps where more are. A white occlusion is that of an open
surface; both ends of a height are lost."""


def levels_lost(name: str, figures: Mapping[str, Any]) -> str:
    """What of a map's levels is crushed to black or white, in words; "" for nothing worth telling."""
    most_black, most_white, fix = CRUSHED.get(name, (1.0, 1.0, ""))
    black, white = figures.get("black", 0.0), figures.get("white", 0.0)
    ends = [
        f"{100 * part:.0f} % {word}"
        for part, most, word in ((black, most_black, "black"), (white, most_white, "white"))
        if part > most
    ]
    return f"{name} is {' and '.join(ends)}, whose levels are lost: {fix}" if ends else ""


def pairs_told(case: BakeCase) -> list[dict[str, Any]]:
    """Which low poly objects met which fine ones, with their triangles."""
    low, high = case.low, case.high
    out = []
    for pair in np.unique(case.pair_of_low):
        ours, theirs = case.pair_of_low == pair, case.pair_of_high == pair
        out.append(
            {
                "low": [low.names[k] for k in np.unique(low.obj[ours])],
                "high": [high.names[k] for k in np.unique(high.obj[theirs])],
                "triangles": {"low": int(ours.sum()), "high": int(theirs.sum())},
            }
        )
    return out
