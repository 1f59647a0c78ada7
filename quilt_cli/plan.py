"""``untold-quilt plan``: which tiles reach a density, and what they cost."""

from __future__ import annotations

import argparse
from typing import Any

import numpy as np

from quilt_cli.gather import gather, say
from quilt_core.errors import LayoutError
from quilt_core.formats.load import folder_siblings
from quilt_core.formats.look_facts import facts_of
from quilt_core.formats.plan_files import plan_files
from quilt_core.measure import equalize
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.pack.layout import packable
from quilt_core.pack.plan import COUNTS, full_coverage, plan_tiles
from quilt_core.scene import IslandSet, TileSize
from quilt_core.scene.placement import identity

PACKED_SIZE = 2048
PACK_SECONDS = 4.0
MOST_PACKED = 5000


def plan(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Rows for tile sizes and counts; exit code 1 when none of them reaches the density."""
    gathered = gather(options)
    islands = gathered.islands
    world = float(islands.world_area.sum())
    if world <= 0:
        raise LayoutError(
            "There is no island with an area.",
            ", ".join(map(str, options.files)),
            "Flatten the meshes first.",
        )
    full = {} if options.coverage else _packed_coverage(islands, options.padding)
    rows = plan_tiles(
        world, islands.count, options.padding, options.density, options.coverage, full=full
    )
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
    if full:
        lines.append(
            f"coverage from quick packs at {PACKED_SIZE} px with 1, 2 and 4 tiles; other sizes by what padding takes"
        )
    facts = [
        facts_of(scene, folder_siblings(path.parent))
        for scene, path in zip(gathered.scenes, gathered.paths, strict=True)
    ]
    merge = plan_files(facts, options.size)
    if merge["maps"]["before"]:
        lines.append(_merge_line(merge, options.size))
    answer = {
        "islands": islands.count,
        "world_area_m2": world,
        "density": options.density,
        "rows": [r.__dict__ for r in rows],
        "merge": merge,
    }
    return {"json": answer, "text": "\n".join(lines)}, 0 if any(r.reaches for r in rows) else 1


def _packed_coverage(islands: IslandSet, padding: float) -> dict[int, float]:
    """By number of tiles, what quick packs fill; nothing for very many islands."""
    out: dict[int, float] = {}
    wanted = packable(islands)
    if not wanted.any() or wanted.sum() > MOST_PACKED:
        return out
    own = islands.select(wanted)
    size = np.full(own.count, float(PACKED_SIZE))
    placements = equalize(own, identity(own.count), size, size, None)
    for count in COUNTS:
        tiles = tuple(TileSize(1001 + k, PACKED_SIZE, PACKED_SIZE) for k in range(count))
        settings = PackSettings(
            width=PACKED_SIZE, height=PACKED_SIZE, padding=padding, tiles=tiles, effort="quick",
            seconds=PACK_SECONDS,
        )  # fmt: skip
        say(f"packing {own.count} islands into {count} x {PACKED_SIZE} px")
        try:
            done = [attempt for attempt, _, _ in pack_islands(own, placements, settings)][-1]
        except LayoutError:
            continue  # padding alone fills the tiles
        out[count] = full_coverage(own.count, padding, PACKED_SIZE, count, done.coverage)
    return out


def _merge_line(merge: dict[str, Any], size: tuple[int, int]) -> str:
    def pair(name: str) -> str:
        return f"{merge[name]['before']} -> {merge[name]['after']}"

    memory = merge["memory"]
    return (
        f"merged at {size[0]} x {size[1]} px: pictures {pair('maps')}, materials {pair('materials')}, "
        f"draw calls {pair('draw_calls')}, BC7 {memory['before']['bc7'] / 1e6:.1f} -> {memory['after']['bc7'] / 1e6:.1f} MB"
    )
