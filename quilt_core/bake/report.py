"""Figures of maps: what is in them, and what was cut off."""

from __future__ import annotations

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
