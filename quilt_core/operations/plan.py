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
from quilt_core.operations.values import NUMBER_OR_WORD, read_bytes, read_density
from quilt_core.options import check_options, option
from quilt_core.pack.plan import COUNTS, PlanRow, full_coverage, plan_tiles
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import identity
from quilt_core.scene.tiles import TileSize
from quilt_core.textures.memory import memory_of

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
    budget: float | None = option(
        None, "memory that all maps may take together: proposals within it are told", read=read_bytes,
        json=NUMBER_OR_WORD, shape="64MB", unit="bytes",
    )  # fmt: skip
    format: str = option(
        "bc7", "how maps are compressed, for the budget", choices=("raw", "bc1", "bc5", "bc7", "astc4x4")
    )  # fmt: skip
    maps: int = option(
        1, "maps of each tile, such as colour and normal, for the budget", low=1, high=64
    )

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
class Proposal:
    """Tiles within a budget."""

    size: int = figure("edge of a square tile", "px")
    count: int = figure("tiles")
    memory: int = figure("all maps with their mips", "bytes")
    coverage: float = figure("expected")
    density: float = figure("expected of a weight of 1", "px/m", 3)
    lowest: float = figure("expected of the object or island with the lowest weight", "px/m", 3)
    reaches: bool = figure("whether the density is at least the one that is wanted")
    lost: float | None = figure(
        "part of the texels that are painted today which it has no room for; null where nothing is painted",
        "",
        4,
    )


@dataclass(frozen=True)
class Planned:
    """Choices of tiles, and what merging would change."""

    islands: int = figure("how many")
    world_area: float = figure("their surface", "m²")
    density: float = figure("wanted", "px/m", 3)
    padding: float = figure("gap", "px")
    measured: bool = figure("whether quick packs told the coverage")
    rows: list[PlannedTiles] = figure("each choice")
    proposals: list[Proposal] = figure(
        "within the budget, from the cheapest to the densest: each the densest for its memory; empty without a budget"
    )
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
    proposals = []
    if settings.budget is not None:
        proposals = _proposals(document, layout, settings, density, padding, full)
        if not proposals:
            raise LayoutError(
                f"Not even {settings.maps} x {BUDGET_SIZES[0]} px fit into {settings.budget / 1e6:g} MB.",
                "budget", "Give more, or fewer maps, or a format that compresses more.",
            )  # fmt: skip
    return Planned(
        layout.islands.count, world, density, padding, bool(full), found, proposals,
        _merge(document, layout),
    )  # fmt: skip


BUDGET_SIZES = (128, 256, 512, 1024, 2048, 4096, 8192)
BUDGET_COUNTS = (1, 2, 3, 4, 6, 8)
MOST_PROPOSED = 8


def _proposals(
    document: Document, layout: Layout, settings: Plan, density: float, padding: float,
    full: Mapping[int, float],
) -> list[Proposal]:  # fmt: skip
    """Choices of tiles that no other one within the budget is cheaper and denser than."""
    world, islands = needed_area(layout)
    found = plan_tiles(
        world, islands, padding, density, settings.coverage, BUDGET_SIZES,
        BUDGET_COUNTS, full,
    )  # fmt: skip
    cost = {
        size: settings.maps * memory_of(size, size, 4, 8)[settings.format] for size in BUDGET_SIZES
    }
    rows = [(cost[row.size] * row.count, row) for row in found if row.density > 0]
    rows = [(memory, row) for memory, row in rows if memory <= (settings.budget or 0)]
    rows.sort(key=lambda one: (one[0], -one[1].density, one[1].count))
    curve: list[tuple[int, PlanRow]] = []
    for memory, row in rows:
        if not curve or row.density > curve[-1][1].density * (1 + 1e-9):
            curve.append((memory, row))
    if len(curve) > MOST_PROPOSED:
        # As even as can be between the logarithms of the cheapest and the densest.
        at = np.log([memory for memory, _ in curve])
        wanted = np.linspace(at[0], at[-1], MOST_PROPOSED)
        curve = [curve[k] for k in np.unique(np.abs(at[:, None] - wanted).argmin(axis=0))]
    painted = _painted(document, layout)
    lowest = float(layout.weights.min(initial=1.0))
    return [
        Proposal(
            row.size, row.count, int(memory), row.coverage, row.density, row.density * lowest,
            row.reaches, _lost(painted, row.density),
        )
        for memory, row in curve
    ]  # fmt: skip


def _painted(document: Document, layout: Layout) -> list[tuple[float, float, float]]:
    """Texels that are painted on each object today, its surface in square metres, and its weight."""
    from quilt_core.formats.file_materials import facts_of

    facts = {
        key: facts_of(source.scene(), source.siblings(), source.changes)
        for key, source in document.sources.items()
    }
    islands, out = layout.islands, []
    for k, member in enumerate(layout.members):
        texels = facts[member.source]["objects"][member.number]["px_area"]
        area = float(islands.world_area[islands.object_index == k].sum())
        if texels > 0 and area > 0:
            out.append((float(texels), area, member.row.weight))
    return out


def _lost(painted: list[tuple[float, float, float]], density: float) -> float | None:
    """Part of the painted texels beyond those that a density has."""
    if not painted:
        return None
    texels, area, weight = np.array(painted).T
    return float(np.maximum(texels - (density * weight) ** 2 * area, 0).sum() / texels.sum())


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
        width=PACKED_SIZE, height=PACKED_SIZE, padding=padding, effort="quick", less_free=False, seconds=PACK_SECONDS,
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
    if result.proposals:
        out.append("within the budget:")
        out += [
            f"{r.count:>5} x {r.size:<5}{r.memory / 1e6:>9.2f} MB {r.density:>9.1f} px/m{' *' if r.reaches else '  '}"
            + (f" lowest {r.lowest:.1f} px/m" if r.lowest < r.density else "")
            + ("" if r.lost is None else f", {r.lost:.1%} of what is painted lost")
            for r in result.proposals
        ]
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
