"""Pack islands into the tiles of their atlas."""

from __future__ import annotations

import time
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.document.state import State, TileRow
from quilt_core.errors import LayoutError
from quilt_core.operations.layouts import controls_of, evened, select
from quilt_core.operations.operation import Progress, Stopped, figure
from quilt_core.operations.pack_settings import (
    FIXED,
    HOUSE,
    KEEP,
    Pack,
    decided,
    for_packer,
    open_tiles_of,
    spaced,
)
from quilt_core.operations.values import check_ending
from quilt_core.options import option
from quilt_core.pack.controls import Controls
from quilt_core.scene.flags import LEAVE_OUT
from quilt_core.scene.tiles import TileSize, home_tiles, more_tiles
from quilt_core.scene.types import BoolArray, FloatArray


@dataclass(frozen=True)
class TileFigures:
    """A tile after packing."""

    number: int = figure("number of the tile")
    width: int = figure("width", "px")
    height: int = figure("height", "px")
    coverage: float = figure("sum of the areas of its islands / its area")
    density: float = figure("of its islands", "px/m", 3)
    islands: int = figure("how many lie in it")


@dataclass(frozen=True)
class IslandName:
    """An island in words."""

    object: str = figure("its object")
    island: int = figure("its number in the object, from 1")


@dataclass(frozen=True, eq=False)
class PackedAtlas:
    """An atlas after packing."""

    state: State
    open_tiles: tuple[TileSize, ...]
    placed: BoolArray
    atlas: str = figure("its name")
    islands: int = figure("how many it has")
    coverage: float = figure("sum of the areas of islands / area of tiles")
    density: float = figure("of all islands together", "px/m", 3)
    gap_px: float = figure("smallest gap between two islands", "px")
    margin_px: float = figure("smallest gap to the edge of a tile", "px")
    tiles: list[TileFigures] = figure("its tiles")
    stacks: int = figure("groups of islands that share texels")
    tidy_cost: float | None = figure(
        "coverage that tidiness cost, by quick packs; null without it", "", 4
    )
    padding: float = figure("gap that was kept between islands", "px")
    block_cost: float | None = figure(
        "part of the density that keeping blocks apart cost, by quick packs; null where the padding does it",
        "",
        4,
    )
    left_over: list[IslandName] = figure("islands that do not fit at their size")
    seconds: float = figure("time of the search", "s", 3)


@dataclass(frozen=True, eq=False)
class Packed:
    """What packing made."""

    document: Document
    atlases: list[PackedAtlas] = figure("each atlas")

    @property
    def ok(self) -> bool:
        """Whether everything fits."""
        return not any(one.left_over for one in self.atlases)


def tiles_for(layout: Layout, settings: Pack, materials: int = 1) -> list[TileRow]:
    """Tiles of the layout to be made: those there are, the only one resized when a size is given.

    With `more_tiles` and a fixed size as many are added as may be needed, in the order of their numbers and with the
    resolution of the last; so are as many as there are materials that want tiles of their own.
    """
    tiles = layout.tiles
    if settings.size and len(tiles) == 1:
        tiles = [replace(tiles[0], width=settings.size[0], height=settings.size[1])]
    if settings.more_tiles and settings.fixed_scale:
        tiles += [_row(tile) for tile in more_tiles([t.size for t in tiles])]
    if settings.apart == "sheets":
        missing = materials - sum(not tile.frozen for tile in tiles)
        tiles += [_row(tile) for tile in more_tiles([t.size for t in tiles])[: max(missing, 0)]]
    return tiles


def _row(tile: TileSize) -> TileRow:
    return TileRow(tile.number, tile.width, tile.height)


def run(document: Document, settings: Pack, progress: Progress) -> Packed:
    """Pack the islands of each atlas.

    Raises
    ------
    LayoutError
    Stopped
    """
    settings = decided(document, settings)
    settings = replace(settings, fixed_scale=settings.is_fixed)
    if settings.density == HOUSE and document.house_density is None:
        raise LayoutError("There is no house density.", "density", "Give px per metre.")
    count = len(document.layouts)
    made = [
        _pack(document, layout, settings, progress.part(k / count, 1 / count))
        for k, layout in enumerate(document.layouts)
    ]
    return Packed(document.having([one.state for one in made]), made)


def _pack(document: Document, layout: Layout, settings: Pack, progress: Progress) -> PackedAtlas:
    from quilt_core.measure import measure_tiles
    from quilt_core.pack.apart import pack_apart
    from quilt_core.pack.side_table import packable

    started = time.monotonic()
    islands = layout.islands
    if islands.count == 0:
        raise LayoutError(
            "No object of this atlas has UVs.", layout.state.name, "Unwrap the meshes first."
        )
    chosen = select(layout, settings.islands, "islands") if settings.islands else None
    controls = controls_of(layout, chosen)
    groups = np.zeros(islands.count, np.int64)
    if settings.apart != "no":
        groups = layout.surface.island_material
    tiles = tiles_for(layout, settings, len(np.unique(groups)))
    settings = spaced(settings, layout, tiles, document.arranged)
    open_tiles = open_tiles_of(tiles, settings)
    frozen = [tile.size for tile in tiles if tile.size not in open_tiles]
    placements = _sized(document, layout, settings, chosen)
    best, tidy_cost, placed = None, None, np.zeros(islands.count, bool)
    for attempt, found, mask in pack_apart(
        islands, placements, for_packer(settings, open_tiles), groups, lambda: bool(progress.stop()),
        controls, frozen, layout.pixels, layout.names(),
    ):  # fmt: skip
        if attempt.whole:
            best, tidy_cost, placed = found, attempt.tidy_cost, mask
        progress.report(
            attempt.step / max(attempt.steps, 1),
            f"packing, {attempt.coverage:.1%} full{'' if attempt.whole else ' so far'}",
            {
                "coverage": round(attempt.coverage, 6), "scale": attempt.scale,
                "step": attempt.step, "steps": attempt.steps,
            },
            found if attempt.placed.any() else None,
        )  # fmt: skip
        progress.check()
    if best is None:
        raise Stopped
    if len(tiles) > len(layout.tiles):
        tiles = _used(layout, best, placed, tiles)
    block_cost = None
    if settings.gap > (settings.padding or 0.0) and not settings.fixed_scale and chosen is None:
        near, far = (
            _quick_scale(layout, placements, one, open_tiles, controls)
            for one in (replace(settings, block=0), settings)
        )
        block_cost = max(0.0, 1 - far / near) if near and far else None
    kept = [tile.size for tile in tiles]
    wanted = packable(islands)
    # Islands that were not to be packed keep the place they had, in a tile or not.
    unplaced = np.where(controls.chosen, ~placed & wanted, layout.unplaced)
    state = layout.state.having(
        placements=best, unplaced=unplaced, tiles=tuple(tiles),
        padding=settings.gap, margin=settings.margin,
    )  # fmt: skip
    seconds = time.monotonic() - started
    figures = measure_tiles(islands, best, kept, settings.gap, controls.stack)
    names, numbers = layout.object_names(), layout.numbers
    left = np.flatnonzero(~placed & wanted & controls.chosen & ~controls.has(LEAVE_OUT))
    return PackedAtlas(
        atlas=layout.state.name,
        islands=islands.count,
        coverage=figures.coverage,
        density=figures.density_all,
        gap_px=figures.gap.pixels,
        margin_px=figures.margin_px,
        tiles=[
            TileFigures(
                tile.number, tile.width, tile.height, figures.tile_coverage[k],
                figures.tile_density[k], int((figures.tile == k).sum()),
            )
            for k, tile in enumerate(kept)
        ],
        stacks=len(np.unique(controls.stack[controls.stack >= 0])),
        tidy_cost=tidy_cost,
        padding=settings.gap,
        block_cost=block_cost,
        left_over=[
            IslandName(names[islands.object_index[i]], int(numbers[i])) for i in left.tolist()
        ],
        seconds=seconds,
        state=state,
        open_tiles=open_tiles,
        placed=placed,
    )  # fmt: skip


def _quick_scale(
    layout: Layout, placements: FloatArray, settings: Pack, tiles: tuple[TileSize, ...],
    controls: Controls,
) -> float | None:  # fmt: skip
    """Scale that a quick pack reaches."""
    from quilt_core.pack import pack_islands

    rules = replace(for_packer(settings, tiles), effort="quick", tidy=0.0, apart="no", seconds=None)
    reached = None
    for attempt, _, _ in pack_islands(
        layout.islands,
        placements,
        rules,
        controls=controls,
        pixels=layout.pixels,
        names=layout.names(),
    ):
        if attempt.whole:
            reached = attempt.scale
    return reached


def _sized(
    document: Document, layout: Layout, settings: Pack, chosen: BoolArray | None
) -> FloatArray:
    """Placements at the sizes that the density setting asks for."""
    if settings.density in (KEEP, FIXED):
        return layout.placements
    target: float | None
    if isinstance(settings.density, float):
        target = settings.density
    else:
        target = document.house_density if settings.density == HOUSE else None
    return evened(layout, target, chosen)


def _used(
    layout: Layout, placements: FloatArray, placed: BoolArray, tiles: list[TileRow]
) -> list[TileRow]:
    """The tiles that were there, and of those that were added the ones up to the last that holds something."""
    keep = len(layout.tiles)
    home = home_tiles(layout.islands, placements, [tile.size for tile in tiles])
    last = int(home[placed].max(initial=keep - 1))
    return tiles[: max(keep, last + 1)]


def tell(result: Packed) -> list[str]:
    """The result in words."""
    out: list[str] = []
    for one in result.atlases:
        less = (
            ""
            if one.tidy_cost is None
            else f" ({one.tidy_cost:.1%} less for tidiness, by quick packs)"
        )
        density = (
            f"{one.density:.1f} px/m"
            if np.isfinite(one.density)
            else "without area: unwrap them first"
        )
        if one.block_cost is not None:
            out.append(
                f"padding {one.padding:g} px, so that no block holds texels of two islands: {one.block_cost:.1%} of the density, by quick packs"
            )
        name = f"{one.atlas}: " if len(result.atlases) > 1 else ""
        out.append(
            f"{name}{one.islands - len(one.left_over)} islands, coverage {one.coverage:.1%}{less}, {density}, "
            f"smallest gap {one.gap_px:.2f} px, edge {one.margin_px:.2f} px, {one.seconds:.1f} s"
        )
        if len(one.tiles) > 1:
            out += [f"tile {t.number}: {t.islands} islands, {t.coverage:.1%}" for t in one.tiles]
        if one.left_over:
            out.append(
                f"{len(one.left_over)} islands do not fit at their size and lie to the left of the tiles"
            )
    return out


@dataclass(frozen=True)
class PackFiles:
    """What else packing of files may give."""

    sheet: str | None = option(
        None, "layout sheet, .png or .svg; one for each tile", shape="FILE", names="output"
    )
    preset: str | None = option(
        None,
        "settings that a project file keeps under a name; those that are given go before them",
        names="preset",
    )
    why: bool = option(False, "also try what would let the islands be larger: some seconds more")

    def __post_init__(self) -> None:
        check_ending(self.sheet, "sheet", "layout sheet", (".png", ".svg"))


def also(
    document: Document, result: Packed, settings: Pack, more: PackFiles, progress: Progress
) -> tuple[dict[str, bytes], list[str], dict[str, Any]]:
    """Layout sheets of the atlases, and what limits their density."""
    from quilt_core.operations.limit import Limit
    from quilt_core.operations.limit import run as limit
    from quilt_core.operations.limit import tell as tell_limit
    from quilt_core.operations.operation import plain

    given = {f.name: getattr(settings, f.name) for f in fields(Pack)}
    found = limit(document, Limit(**given, fixes=more.why), progress)
    lines = [line for line in tell_limit(found) if more.why or "shapes" not in _kinds(found)]
    files: dict[str, bytes] = {}
    for layout in document.layouts if more.sheet else ():
        files |= layout_sheets(layout, more.sheet or "", len(document.layouts) > 1)
    skipped = [
        name
        for layout in document.layouts
        for name, faces in zip(layout.object_names(), layout.islands.unflattened, strict=True)
        if faces
    ]
    if skipped:
        lines.append(f"without UVs, left as they are: {', '.join(skipped)}")
    return files, lines, {"limits": plain(found)["atlases"], "without_uvs": skipped}


def _kinds(found: Any) -> list[str]:
    return [one.kind for one in found.atlases]


def layout_sheets(layout: Layout, name: str, several: bool) -> dict[str, bytes]:
    """A layout sheet for each tile, PNG or SVG by the ending of the name; the name of the atlas and the number of the tile
    go into it where there are several."""
    import re
    from pathlib import PurePosixPath

    from quilt_core.operations.textures import in_tile
    from quilt_core.sheet import layout_png, layout_svg, object_colours

    path = PurePosixPath(name)
    if several:
        word = re.sub(r"[^\w.-]+", "_", layout.state.name).strip("_.") or "atlas"
        path = path.with_name(f"{path.stem}.{word}{path.suffix}")
    out: dict[str, bytes] = {}
    colours = object_colours(layout.colours)
    for tile in layout.tiles:
        here, _ = in_tile(layout, tile)
        target = (
            path if len(layout.tiles) == 1 else path.with_suffix(f".{tile.number}{path.suffix}")
        )
        size = (tile.width, tile.height)
        if path.suffix.lower() == ".svg":
            out[str(target)] = layout_svg(here, layout.object_names(), colours, *size).encode(
                "utf-8"
            )
        else:
            out[str(target)] = layout_png(here, colours, *size)
    return out


def what(settings: Pack, result: Packed) -> str:
    """What was done, in a few words."""
    return f"{settings.effort}, padding {result.atlases[0].padding:g} px"
