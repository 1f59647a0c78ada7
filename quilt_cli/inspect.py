"""``untold-quilt inspect``."""

from __future__ import annotations

import argparse
from typing import Any

import numpy as np

from quilt_cli.gather import gather
from quilt_core.measure import measure, set_density
from quilt_core.measure.density import flat_faces
from quilt_core.scene.island_set import instance_spread
from quilt_core.scene.model import SceneObject
from quilt_core.scene.placement import identity
from quilt_core.scene.proportion import suggested_proportion


def finite(value: float, digits: int = 3) -> float | None:
    """A number for JSON; None where there is none."""
    return round(float(value), digits) if np.isfinite(value) else None


def inspect(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Faces, islands, channels, density and fault counts of every object."""
    gathered = gather(options)
    islands = gathered.islands
    width, height = options.size
    placements = identity(islands.count)
    figures = measure(islands, placements, width, height)
    overlapping = np.zeros(islands.count, bool)
    between = figures.overlaps.pairs[:, 0] != figures.overlaps.pairs[:, 1]
    overlapping[figures.overlaps.pairs[between]] = True
    folded = np.zeros(islands.count, bool)
    folded[figures.overlaps.pairs[~between]] = True
    rows: list[dict[str, Any]] = []
    for number, ((scene, obj), name) in enumerate(
        zip(gathered.objects, gathered.names, strict=True)
    ):
        mine = islands.object_index == number
        known = figures.density[mine & ~figures.collapsed]
        shape, suggested = _proportions(obj, options.channel - 1, islands.proportion[mine])
        flat = _flat_faces(obj, options.channel - 1) if mine.any() else 0
        rows.append(
            {
                "file": scene.name,
                "object": name,
                "instances": len(obj.instances),
                "instance_sizes_differ": finite(instance_spread(obj)),
                "faces": obj.mesh.face_count,
                "islands": int(mine.sum()),
                "channels": [
                    channel.name for channel in obj.mesh.channels if (channel.corner_uv >= 0).any()
                ],
                "density": {
                    "min": finite(known.min()) if len(known) else None,
                    "mean": finite(set_density(islands, placements, width, height, mine)),
                    "max": finite(known.max()) if len(known) else None,
                    "unit": "px/m",
                },
                "proportion": finite(shape, 4),
                "suggested_proportion": None if suggested is None else finite(suggested, 4),
                "mirrored": int(figures.mirrored[mine].sum()),
                "overlapping": int(overlapping[mine].sum()),
                "folded": int(folded[mine].sum()),
                "outside": int(figures.outside[mine].sum()),
                "collapsed": int(figures.collapsed[mine].sum()),
                "flat_faces": flat,
                "unflattened": islands.unflattened[number],
            }
        )
    total = {
        "objects": len(rows),
        "islands": islands.count,
        "faces": sum(row["faces"] for row in rows),
        "density": finite(figures.density_all),
        "coverage": finite(figures.coverage, 6),
        "overlap_texels": finite(float(figures.overlaps.texels[between].sum())),
        "overlap_pairs": int(between.sum()),
    }
    answer = {"size": [width, height], "unit_density": "px/m", "objects": rows, "total": total}
    return {"json": answer, "text": _table(rows, width, height)}, 0


def _proportions(
    obj: SceneObject, channel: int, proportion: np.ndarray[Any, Any]
) -> tuple[float, float | None]:
    """Width / height of the pictures of most islands, and what the stretch of the layout suggests
    instead."""
    if not len(proportion):
        return 1.0, None
    usual = float(np.median(proportion))
    mesh = obj.mesh
    corners = mesh.triangles
    uv, points = (
        mesh.channels[channel].per_corner[corners],
        mesh.positions[mesh.corner_vertex[corners]],
    )
    return usual, suggested_proportion(uv, points, usual)


def _flat_faces(obj: SceneObject, channel: int) -> int:
    """Faces with UVs, but without an area there or in space."""
    mesh = obj.mesh
    uv = mesh.channels[channel].per_corner[mesh.triangles]
    known = np.isfinite(uv).all(axis=(1, 2))
    return flat_faces(
        uv[known],
        mesh.positions[mesh.corner_vertex[mesh.triangles[known]]],
        mesh.triangle_face[known],
    )


def _table(rows: list[dict[str, Any]], width: int, height: int) -> str:
    head = (
        f"{'object':28} {'faces':>8} {'islands':>7} {'px/m min':>9} {'mean':>9} {'max':>9}  notes"
    )
    lines = [f"tile {width} x {height} px", head]
    for row in rows:
        d = row["density"]
        cells = [
            f"{d[k]:9.1f}" if d[k] is not None else f"{'–':>9}" for k in ("min", "mean", "max")
        ]
        notes = [
            f"{row[k]} {k.replace('_', ' ')}"
            for k in (
                "mirrored",
                "overlapping",
                "folded",
                "outside",
                "collapsed",
                "flat_faces",
                "unflattened",
            )
            if row[k]
        ]
        if row["proportion"] != 1:
            notes.append(f"laid out for {row['proportion']:.3g} : 1")
        if row["suggested_proportion"]:
            notes.append(f"looks laid out for {row['suggested_proportion']:.3g} : 1 (--proportion)")
        lines.append(
            f"{row['object'][:28]:28} {row['faces']:8} {row['islands']:7} {' '.join(cells)}  {', '.join(notes)}"
        )
    return "\n".join(lines)
