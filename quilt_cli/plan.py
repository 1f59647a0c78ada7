"""``untold-quilt plan``: which tiles reach a density, and what they cost."""

from __future__ import annotations

import argparse
from typing import Any

from quilt_cli.gather import gather
from quilt_core.errors import LayoutError
from quilt_core.pack.plan import plan_tiles


def plan(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Rows for tile sizes and counts; exit code 1 when none of them reaches the density."""
    islands = gather(options).islands
    world = float(islands.world_area.sum())
    if world <= 0:
        raise LayoutError(
            "There is no island with an area.",
            ", ".join(map(str, options.files)),
            "Flatten the meshes first.",
        )
    rows = plan_tiles(world, islands.count, options.padding, options.density, options.coverage)
    lines = [
        f"{islands.count} islands, {world:.3f} m², wanted {options.density:g} px/m, padding {options.padding:g} px"
    ]
    lines.append(
        f"{'tiles':>12} {'coverage':>9} {'px/m':>9}  {'raw MB':>8} {'BC1 MB':>8} {'BC7 MB':>8}"
    )
    for r in rows:
        lines.append(
            f"{r.count:>5} x {r.size:<5}{r.coverage:>9.1%} {r.density:>9.1f}{' *' if r.reaches else '  '}"
            f"{r.raw / 1e6:>8.1f} {r.bc1 / 1e6:>8.1f} {r.bc7 / 1e6:>8.1f}"
        )
    lines.append("* reaches the density; one map with its mips")
    answer = {
        "islands": islands.count,
        "world_area_m2": world,
        "density": options.density,
        "rows": [r.__dict__ for r in rows],
    }
    return {"json": answer, "text": "\n".join(lines)}, 0 if any(r.reaches for r in rows) else 1
