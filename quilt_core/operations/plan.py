"""Plan: which tiles reach a density and what they cost, and what merging textures would change."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError
from quilt_core.operations.operation import Progress, figure
from quilt_core.operations.values import read_density
from quilt_core.options import check_options, option
from quilt_core.pack.plan import COUNTS, full_coverage, plan_tiles
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import identity
from quilt_core.scene.tiles import TileSize

PACKED_SIZE = 2048
PACK_SECONDS = 4.0
MOST_PACKED = 5000
UNSAID = 512.0
"""px per metre where there is no house density."""


@dataclass(frozen=True)
class Plan:
    """Settings of planning."""

    density: float | None = option(
        None, "to be reached, px per metre; without it the house density, 512 for files",
        read=read_density, json={"type": "number"}, shape="PX_PER_METRE",
    )  # fmt: skip
    padding: float | None = option(
        None, "gap between islands; without it that of the layout", unit="px", low=0, high=1024
    )
    coverage: float | None = option(
        None, "part of the tiles that islands fill; without it quick packs tell", low=0.01, high=1
    )
    quick_packs: bool = option(True, "pack quickly to know how much is filled")

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class PlannedTiles:
    """One choice of tiles."""

    size: int = figure("edge of a square tile", "px")
    count: int = figure("tiles")
    coverage: float = figure("expected")
    density: float = figure("expected", "px/m", 3)
    reaches: bool = figure("whether that is at least the density that is wanted")
    raw: float = figure("one map with its mips, over all tiles", "bytes", 0)
    bc1: float = figure("the same in BC1", "bytes", 0)
    bc7: float = figure("the same in BC7", "bytes", 0)


@dataclass(frozen=True)
class Planned:
    """Choices of tiles, and what merging would change."""

    islands: int = figure("how many")
    world_area: float = figure("their surface", "m²")
    density: float = figure("wanted", "px/m", 3)
    padding: float = figure("gap", "px")
    measured: bool = figure("whether quick packs told the coverage")
    rows: list[PlannedTiles] = figure("each choice")
    merge: dict[str, Any] = figure(
        "merging at the size of the first tile: materials, maps, texels, draw_calls, memory (each before and after), groups, roles"
    )

    @property
    def ok(self) -> bool:
        """Whether some tiles reach the density."""
        return any(row.reaches for row in self.rows)


def run(document: Document, settings: Plan, progress: Progress) -> Planned:
    """Rows for sizes and numbers of tiles, of the islands of the first atlas.

    Raises
    ------
    LayoutError
        When no island has an area.
    """
    layout = document.layout
    density = settings.density or document.house_density or UNSAID
    padding = layout.state.padding if settings.padding is None else settings.padding
    world, _ = needed_area(layout)
    if world <= 0:
        raise LayoutError(
            "There is no island with an area.", layout.state.name, "Unwrap the meshes first."
        )
    full: dict[int, float] = {}
    if settings.coverage is None and settings.quick_packs:
        full = _packed_coverage(layout.islands, padding, progress)
    found = tile_rows(layout, density, padding, settings.coverage, full)
    return Planned(
        layout.islands.count, world, density, padding, bool(full), found, _merge(document, layout)
    )


def needed_area(layout: Layout) -> tuple[float, int]:
    """Square metres that need texels, more by weight, and of how many islands: of a stack one counts."""
    stack = layout.stack
    counted = stack < 0
    numbers, first = np.unique(stack, return_index=True)
    counted[first[numbers >= 0]] = True
    world = (layout.islands.world_area * layout.weights**2)[counted].sum()
    return float(world), int(counted.sum())


def tile_rows(
    layout: Layout,
    density: float,
    padding: float,
    coverage: float | None,
    full: Mapping[int, float] | None = None,
) -> list[PlannedTiles]:
    """Choices of tiles for a layout.

    Parameters
    ----------
    layout : Layout
    density : float
        Wanted, px/m.
    padding : float
        px.
    coverage : float, optional
        Part of the tiles that islands fill; guessed without it.
    full : mapping of int to float, optional
        The same by number of tiles, where quick packs have told it.
    """
    world, count = needed_area(layout)
    rows = plan_tiles(world, count, padding, density, coverage, full=dict(full or {}))
    return [PlannedTiles(**asdict(row)) for row in rows]


def quick_coverage(
    islands: IslandSet, padding: float, count: int, stop: Callable[[], bool] = lambda: False
) -> float | None:
    """What a quick pack of islands, evened out, fills of some tiles of `PACKED_SIZE`; None where nothing can be laid out."""
    from quilt_core.measure import equalize
    from quilt_core.pack import PackSettings, pack_islands
    from quilt_core.pack.side_table import packable

    wanted = packable(islands)
    if not wanted.any():
        return None
    own = islands.select(wanted)
    size = np.full(own.count, float(PACKED_SIZE))
    start = equalize(own, identity(own.count), size, size, None)
    settings = PackSettings(
        width=PACKED_SIZE, height=PACKED_SIZE, padding=padding, effort="quick", seconds=PACK_SECONDS,
        tiles=tuple(TileSize(1001 + n, PACKED_SIZE, PACKED_SIZE) for n in range(count)),
    )  # fmt: skip
    reached = None
    try:
        for attempt, _, _ in pack_islands(own, start, settings, stop=stop):
            reached = attempt.coverage if attempt.whole else reached
    except LayoutError:
        return None  # padding alone fills the tiles
    return reached


def _packed_coverage(islands: IslandSet, padding: float, progress: Progress) -> dict[int, float]:
    """By number of tiles, what quick packs fill; nothing for very many islands."""
    out: dict[int, float] = {}
    if islands.count > MOST_PACKED:
        return out
    for k, count in enumerate(COUNTS):
        progress.report(
            k / len(COUNTS), f"packing {islands.count} islands into {count} x {PACKED_SIZE} px"
        )
        progress.check()
        found = quick_coverage(islands, padding, count)
        if found is not None:
            out[count] = full_coverage(islands.count, padding, PACKED_SIZE, count, found)
    return out


def _merge(document: Document, layout: Layout) -> dict[str, Any]:
    """What merging the sources would change."""
    from quilt_core.formats.file_materials import facts_of
    from quilt_core.formats.plan_files import plan_files

    tile = layout.tiles[0]
    facts = [facts_of(source.scene(), source.siblings()) for source in document.sources.values()]
    return plan_files(facts, (tile.width, tile.height))


def tell(result: Planned) -> list[str]:
    """The result as a table."""
    out = [
        f"{result.islands} islands, {result.world_area:.3f} m², wanted {result.density:g} px/m, padding {result.padding:g} px",
        f"{'tiles':>12} {'coverage':>9} {'px/m':>9}  {'raw MB':>8} {'BC1 MB':>8} {'BC7 MB':>8}",
    ]
    out += [
        f"{r.count:>5} x {r.size:<5}{r.coverage:>9.1%} {r.density:>9.1f}{' *' if r.reaches else '  '}"
        f"{r.raw / 1e6:>8.1f} {r.bc1 / 1e6:>8.1f} {r.bc7 / 1e6:>8.1f}"
        for r in result.rows
    ]
    out.append("* reaches the density; one map with its mips")
    if result.measured:
        out.append(
            f"coverage from quick packs at {PACKED_SIZE} px with 1, 2 and 4 tiles; other sizes by what padding takes"
        )
    merge = result.merge
    if merge and merge["maps"]["before"]:
        pair = {
            key: f"{merge[key]['before']} -> {merge[key]['after']}"
            for key in ("maps", "materials", "draw_calls")
        }
        memory = merge["memory"]
        out.append(
            f"merged: textures {pair['maps']}, materials {pair['materials']}, draw calls {pair['draw_calls']}, "
            f"BC7 {memory['before']['bc7'] / 1e6:.1f} -> {memory['after']['bc7'] / 1e6:.1f} MB"
        )
    return out
