"""The coarse mesh with its maps beside the fine one: their difference as a picture, and the fine mesh for the screen."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from studio import storage
from studio.arrays import Layout

Report = Callable[[float, str, dict[str, Any] | None], None]
NAME = "rehearsal_difference"


def differences(
    case: Any,
    layout: Layout,
    baked: list[Any],
    out: dict[str, Any],
    report: Report,
    stop: Callable[[], str],
) -> list[dict[str, Any]]:
    """How far the normal maps are from the fine meshes; pictures of it are added to `out`."""
    from quilt_core.bake.difference import as_colours, difference
    from quilt_core.pictures.decode import encode_png

    rows: list[dict[str, Any]] = []
    if case.high is case.low:
        return rows
    for one in baked:
        if not one.whole:
            break

        def tell(done: float) -> bool:
            report(0.97 + 0.02 * done, "comparing with the fine mesh", None)
            return not stop()

        found = difference(case, one, tell)
        if found is None:
            break
        tile = one.tile.number
        file = f"{NAME}{f'.{tile}' if len(layout.tiles) > 1 else ''}.png"
        out[f"picture {file}"] = storage.put(encode_png(as_colours(found)))
        size = {"width": one.tile.width, "height": one.tile.height, "bits": 8}
        out["maps"].append({"name": file, "map": "difference", "tile": tile, **size})
        figures = {
            "median": found.median,
            "high": found.high,
            "most": found.most,
            "scale": found.scale,
        }
        rows.append({"tile": tile, **{key: round(value, 3) for key, value in figures.items()}})
    return rows


MOST_SHOWN = 600_000
"""Triangles of a fine mesh that a browser gets."""


def kept_fine(case: Any, layout: Layout) -> str:
    """Store the fine triangles where the coarse ones stand, for the screen; empty where they are too many.

    Little-endian: float32 places (N, 3, 3), then int8 normals (N, 3, 3), 127 for 1.
    """
    from quilt_core.bake.surface import unit

    high = case.high
    if high.count > MOST_SHOWN:
        return ""
    points, normals = high.points, high.normals
    if case.own_space:
        points, normals = points.copy(), normals.copy()
        # Sizes are in the points already: what is left is how the coarse object is turned, and where it stands.
        stands = {
            m.object.name: (np.array(m.object.instances[0][1]), m.object.source.metres_per_unit)
            for m in layout.members
            if m.object.instances
        }
        for k, name in enumerate(case.low.names):
            rows = np.isin(case.pair_of_high, np.unique(case.pair_of_low[case.low.obj == k]))
            if name not in stands or not rows.any():
                continue
            matrix, metres = stands[name]
            turn = unit(matrix[:3, :3].T)
            points[rows] = points[rows] @ turn + metres * matrix[:3, 3]
            normals[rows] = normals[rows] @ turn
    data = np.asarray(points, "<f4").tobytes() + np.round(127 * normals).astype(np.int8).tobytes()
    return storage.put(data)
