"""``untold-quilt pack``."""

from __future__ import annotations

import argparse
import time
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_cli.gather import Gathered, gather, say
from quilt_cli.inspect import finite
from quilt_cli.pack_write import check_target, draw_sheets, output_paths, sheet_path, write_files
from quilt_cli.selectors import Atlas, atlases_from, controls_from, part_of_controls, tiles_from
from quilt_core.errors import LayoutError
from quilt_core.measure import Figures, equalize, measure_tiles
from quilt_core.pack import LEFT_OUT, LOCK_PLACE, Binding, PackSettings, explain, pack_apart
from quilt_core.pack.controls import Controls
from quilt_core.pack.layout import packable
from quilt_core.pack.problem import PACK_OPTIONS
from quilt_core.scene import IslandSet, TileSize, home_tiles, pixel_sizes
from quilt_core.scene.placement import identity
from quilt_core.scene.tiles import more_tiles

REPORT_EVERY = 0.4
FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Packed:
    """One atlas after packing."""

    name: str
    islands: IslandSet
    names: list[str]
    controls: Controls
    placements: FloatArray
    left: list[dict[str, Any]]
    tidy_cost: float | None
    seconds: float
    tiles: list[TileSize]
    figures: Figures
    binding: Binding | None


def pack(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Pack all files into shared tiles, of one or several atlases, and write each back in its own
    format."""
    targets = output_paths(options.files, options.out)
    gathered = gather(options, options.bundle_by == "material" or options.apart != "no")
    if gathered.islands.count == 0:
        raise LayoutError(
            f"No object has UVs in channel {options.channel}.",
            ", ".join(map(str, options.files)),
            "Flatten the meshes first.",
        )
    check_target(gathered, options)
    names = gathered.names
    controls = controls_from(options, gathered.islands, names, gathered.surface)
    atlases = atlases_from(options, gathered.islands, names)
    packed = [_pack_atlas(atlas, gathered, controls, options) for atlas in atlases]
    placements, of = identity(gathered.islands.count), np.zeros(gathered.islands.count, np.int64)
    for k, (atlas, done) in enumerate(zip(atlases, packed, strict=True)):
        placements[atlas.islands], of[atlas.islands] = done.placements, k
    files = write_files(
        gathered, options, placements, targets, of, [atlas.name for atlas in atlases]
    )
    for done in packed if options.sheet else ():
        path = options.sheet if len(packed) == 1 else sheet_path(options.sheet, done.name)
        draw_sheets(path, done.islands.placed(done.placements), names, done.tiles)
    skipped = [
        name for name, faces in zip(names, gathered.islands.unflattened, strict=True) if faces
    ]
    answers = [_answer(done, options) for done in packed]
    shared = {"files": [str(path) for path in files], "unflattened": skipped}
    text = "\n".join(
        (f"{done.name}: " if len(packed) > 1 else "") + _text(done, options) for done in packed
    )
    if skipped:
        text += f"\nwithout UVs, left as they are: {', '.join(skipped)}"
    json = answers[0] | shared if len(packed) == 1 else {"atlases": answers, **shared}
    return {"json": json, "text": text}, 1 if any(done.left for done in packed) else 0


def _pack_atlas(
    atlas: Atlas, gathered: Gathered, controls: Controls, options: argparse.Namespace
) -> Packed:
    fixed = isinstance(options.density, float)
    tiles, names = tiles_from(options), gathered.names
    islands, controls = (
        gathered.islands.select(atlas.islands),
        part_of_controls(controls, atlas.islands),
    )
    # What an island is called by its number in its whole object.
    numbers = _numbers(gathered.islands)[atlas.islands]
    placements = identity(islands.count)
    pixels = pixel_sizes(islands, placements, tiles)
    if options.density != "keep":
        target = options.density if fixed else None
        placements = equalize(
            islands,
            placements,
            pixels[:, 0],
            pixels[:, 1],
            target,
            which=controls.chosen & ~controls.has(LOCK_PLACE),
        )
    open_tiles = tuple(tile for tile in tiles if tile.number not in options.frozen)
    if not open_tiles:
        raise LayoutError("Every tile is frozen.", "--frozen", "Leave one that can be filled.")
    if options.more_tiles and fixed:
        open_tiles += tuple(more_tiles(tiles))
    groups = np.zeros(islands.count, np.int64)
    if options.apart != "no" and gathered.surface is not None:
        groups = gathered.surface.island_material[atlas.islands]
    if options.apart == "sheets":
        missing = len(np.unique(groups)) - len(open_tiles)
        open_tiles += tuple(more_tiles(tiles)[: max(missing, 0)])
    width, height = tiles[0].width, tiles[0].height
    given = {option.name: getattr(options, option.name, option.default) for option in PACK_OPTIONS}
    given["fixed_scale"] = fixed or bool(options.only)
    settings = PackSettings(width=width, height=height, tiles=open_tiles, **given)
    frozen = [tile for tile in tiles if tile not in open_tiles]
    island_names = [
        f"{names[obj]}:{number}" for obj, number in zip(islands.object_index, numbers, strict=True)
    ]
    started = time.monotonic()
    last_said = started
    placed, tidy_cost = np.zeros(islands.count, bool), None
    for attempt, found, mask in pack_apart(
        islands, placements, settings, groups, lambda: False, controls, frozen, pixels, island_names
    ):
        if attempt.done or time.monotonic() - last_said > REPORT_EVERY:
            last_said = time.monotonic()
            say(f"packing: step {attempt.step} of {attempt.steps}, coverage {attempt.coverage:.1%}")
        if attempt.done:
            result, placed, tidy_cost = found, mask, attempt.tidy_cost
    seconds = time.monotonic() - started
    result_pixels = pixel_sizes(islands, result, [*frozen, *open_tiles])
    binding = explain(
        islands,
        result,
        settings,
        controls,
        tuple(frozen),
        result_pixels,
        tuple(island_names),
        try_cures=options.why,
    )
    home = home_tiles(islands, result, open_tiles)
    used = [tile for k, tile in enumerate(open_tiles) if tile in tiles or (home[placed] >= k).any()]
    all_tiles = sorted([*frozen, *used], key=lambda tile: tile.number)
    wanted = controls.chosen & ~controls.has(LEFT_OUT)
    left = np.flatnonzero(~placed & packable(islands) & wanted)
    return Packed(
        name=atlas.name,
        islands=islands,
        names=names,
        controls=controls,
        placements=result,
        left=[{"object": names[islands.object_index[i]], "island": int(numbers[i])} for i in left],
        tidy_cost=tidy_cost,
        seconds=seconds,
        tiles=all_tiles,
        figures=measure_tiles(islands, result, all_tiles, options.padding, controls.stack),
        binding=binding,
    )


def _numbers(islands: IslandSet) -> NDArray[np.int64]:
    """(I,) number of each island in its object, from 1."""
    first = np.searchsorted(islands.object_index, islands.object_index)
    return np.arange(islands.count) - first + 1


def _answer(done: Packed, options: argparse.Namespace) -> dict[str, Any]:
    """One atlas for JSON."""
    figures, stack = done.figures, done.controls.stack
    binding = done.binding
    return {
        **({"atlas": done.name} if options.atlas else {}),
        "coverage": finite(figures.coverage, 6),
        "density": finite(figures.density_all),
        "density_unit": "px/m",
        "tidy_cost": None if done.tidy_cost is None else round(done.tidy_cost, 4),
        "tiles": [
            {
                "number": tile.number,
                "width": tile.width,
                "height": tile.height,
                "coverage": finite(figures.tile_coverage[k], 6),
                "density": finite(figures.tile_density[k]),
                "islands": int((figures.tile == k).sum()),
            }
            for k, tile in enumerate(done.tiles)
        ],
        "stacks": len(np.unique(stack[stack >= 0])),
        "islands": done.islands.count,
        "min_gap_px": finite(figures.gap.pixels, 6),
        "min_margin_px": finite(figures.margin_px, 6),
        "binding": None if binding is None else _binding(binding, figures.density_all, options.why),
        "seconds": round(done.seconds, 3),
        "left_over": done.left,
    }


def _text(done: Packed, options: argparse.Namespace) -> str:
    figures, cost = done.figures, done.tidy_cost
    less = "" if cost is None else f" ({cost:.1%} less for tidiness, by quick packs)"
    text = (
        f"{done.islands.count - len(done.left)} islands, coverage {figures.coverage:.1%}{less}, {figures.density_all:.1f} px/m, "
        f"smallest gap {figures.gap.pixels:.2f} px, edge {figures.margin_px:.2f} px, {done.seconds:.1f} s"
    )
    if len(done.tiles) > 1:
        text += "".join(
            f"\ntile {t.number}: {int((figures.tile == k).sum())} islands, {figures.tile_coverage[k]:.1%}"
            for k, t in enumerate(done.tiles)
        )
    if done.binding is not None and (options.why or done.binding.kind != "shapes"):
        text += f"\nwhat sets the density: {done.binding.text}"
        text += "".join(
            f"\n  {cure.text} About {figures.density_all * cure.factor:.0f} px/m (+{cure.factor - 1:.1%})."
            for cure in done.binding.cures
        )
    if done.left:
        text += (
            f"\n{len(done.left)} islands do not fit at their size and lie to the left of the tiles"
        )
    return text


def _binding(binding: Binding, density: float, tried: bool) -> dict[str, Any]:
    """What set the scale, for JSON; cures only when they were tried."""
    cures = [
        {
            "kind": cure.kind,
            "text": cure.text,
            "factor": round(cure.factor, 4),
            "density": finite(density * cure.factor),
        }
        for cure in binding.cures
    ]
    return {"kind": binding.kind, "text": binding.text, **({"cures": cures} if tried else {})}
