"""``untold-quilt pack``."""

from __future__ import annotations

import argparse
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from quilt_cli.gather import Gathered, gather, say
from quilt_cli.inspect import finite
from quilt_cli.selectors import controls_from, tiles_from
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats import write_scene
from quilt_core.formats.load import shared_side_names, side_files
from quilt_core.measure import equalize, measure_tiles
from quilt_core.pack import LEFT_OUT, LOCK_PLACE, Binding, PackSettings, explain, pack_islands
from quilt_core.pack.layout import packable
from quilt_core.pack.problem import PACK_OPTIONS
from quilt_core.scene import IslandSet, TileSize, home_tiles, pixel_sizes
from quilt_core.scene.layout import object_corner_uvs
from quilt_core.scene.placement import identity
from quilt_core.scene.tiles import more_tiles
from quilt_core.sheet import layout_png, layout_svg

REPORT_EVERY = 0.4


def pack(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Pack all files into shared tiles and write each back in its own format."""
    fixed = isinstance(options.density, float)
    tiles = tiles_from(options)
    targets = output_paths(options.files, options.out)
    gathered = gather(options, options.bundle_by == "material")
    islands = gathered.islands
    if islands.count == 0:
        raise LayoutError(
            f"No object has UVs in channel {options.channel}.",
            ", ".join(map(str, options.files)),
            "Flatten the meshes first.",
        )
    _check_target(gathered, options)
    names = gathered.names
    controls = controls_from(options, islands, names, gathered.surface)
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
    width, height = tiles[0].width, tiles[0].height
    given = {option.name: getattr(options, option.name, option.default) for option in PACK_OPTIONS}
    given["fixed_scale"] = fixed or bool(options.only)
    settings = PackSettings(width=width, height=height, tiles=open_tiles, **given)
    frozen = [tile for tile in tiles if tile not in open_tiles]
    island_names = [
        f"{names[islands.object_index[i]]}:{_number_in_object(islands, i)}"
        for i in range(islands.count)
    ]

    started = time.monotonic()
    last_said = started
    placed, tidy_cost = np.zeros(islands.count, bool), None
    for attempt, found, mask in pack_islands(
        islands, placements, settings, lambda: False, controls, frozen, pixels, island_names
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
    figures = measure_tiles(islands, result, all_tiles, options.padding, controls.stack)
    wanted = controls.chosen & ~controls.has(LEFT_OUT)
    left = np.flatnonzero(~placed & packable(islands) & wanted)
    left_over = [
        {"object": names[islands.object_index[i]], "island": _number_in_object(islands, int(i))}
        for i in left
    ]
    files = _write(gathered, options, result, targets)
    if options.sheet:
        _sheets(options.sheet, islands.placed(result), names, all_tiles)
    skipped = [name for name, faces in zip(names, islands.unflattened, strict=True) if faces]
    answer = {
        "coverage": finite(figures.coverage, 6),
        "density": finite(figures.density_all),
        "density_unit": "px/m",
        "tidy_cost": None if tidy_cost is None else round(tidy_cost, 4),
        "tiles": [
            {
                "number": tile.number,
                "width": tile.width,
                "height": tile.height,
                "coverage": finite(figures.tile_coverage[k], 6),
                "density": finite(figures.tile_density[k]),
                "islands": int((figures.tile == k).sum()),
            }
            for k, tile in enumerate(all_tiles)
        ],
        "stacks": len(np.unique(controls.stack[controls.stack >= 0])),
        "islands": islands.count,
        "min_gap_px": finite(figures.gap.pixels, 6),
        "min_margin_px": finite(figures.margin_px, 6),
        "binding": None if binding is None else _binding(binding, figures.density_all, options.why),
        "seconds": round(seconds, 3),
        "files": [str(path) for path in files],
        "left_over": left_over,
        "unflattened": skipped,
    }
    cost = "" if tidy_cost is None else f" ({tidy_cost:.1%} less for tidiness, by quick packs)"
    text = (
        f"{islands.count - len(left)} islands, coverage {figures.coverage:.1%}{cost}, {figures.density_all:.1f} px/m, "
        f"smallest gap {figures.gap.pixels:.2f} px, edge {figures.margin_px:.2f} px, {seconds:.1f} s"
    )
    if len(all_tiles) > 1:
        text += "".join(
            f"\ntile {t.number}: {int((figures.tile == k).sum())} islands, {figures.tile_coverage[k]:.1%}"
            for k, t in enumerate(all_tiles)
        )
    if binding is not None and (options.why or binding.kind != "shapes"):
        text += f"\nwhat sets the density: {binding.text}"
        text += "".join(
            f"\n  {cure.text} About {figures.density_all * cure.factor:.0f} px/m (+{cure.factor - 1:.1%})."
            for cure in binding.cures
        )
    if left_over:
        text += (
            f"\n{len(left_over)} islands do not fit at their size and lie to the left of the tiles"
        )
    if skipped:
        text += f"\nwithout UVs, left as they are: {', '.join(skipped)}"
    return {"json": answer, "text": text}, 1 if left_over else 0


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


def output_paths(files: list[Path], out: Path) -> list[Path]:
    """Where each input goes: a folder for many, a file or a folder for one."""
    if len(files) == 1 and out.suffix.lower() == files[0].suffix.lower() and not out.is_dir():
        return [out]
    if len({path.name for path in files}) < len(files):
        raise QuiltError("Two inputs have the same file name.", str(out), "Rename one of them.")
    if out.exists() and not out.is_dir():
        raise QuiltError(
            "It is a file, but a folder is needed.", str(out), "Give a folder with --out."
        )
    return [out / path.name for path in files]


def _check_target(gathered: Gathered, options: argparse.Namespace) -> None:
    """Refuse a channel to write to that some file cannot have, before the work begins."""
    target = options.to_channel
    if target is None or target == options.channel:
        return
    for scene, obj in gathered.objects:
        have = len(obj.mesh.channels)
        if scene.name.lower().endswith(".obj"):
            raise QuiltError(
                "An OBJ has one UV channel.",
                scene.name,
                "Write it as glTF, or leave --to-channel out.",
            )
        if not 1 <= target <= have + 1:
            raise QuiltError(
                f"“{obj.name}” has {have} UV channels; there can be no channel {target}.",
                scene.name,
                f"Give --to-channel {have + 1} or a lower one.",
            )


def _number_in_object(islands: IslandSet, island: int) -> int:
    first = np.searchsorted(islands.object_index, islands.object_index[island])
    return int(island - first + 1)


def _write(
    gathered: Gathered,
    options: argparse.Namespace,
    placements: np.ndarray[Any, Any],
    targets: list[Path],
) -> list[Path]:
    """Build every file in memory first, so that an error leaves nothing half written."""
    ready: list[tuple[Path, bytes]] = []
    channel, target_channel = options.channel - 1, (options.to_channel or options.channel) - 1
    whole = target_channel != channel
    sides = {
        str(target): side_files(path.name, path.read_bytes())
        for path, target in zip(gathered.paths, targets, strict=True)
    }
    side_names = shared_side_names(sides)
    at = 0
    number = 0
    for scene, origin, target in zip(gathered.scenes, gathered.paths, targets, strict=True):
        uvs = []
        for obj in scene.objects:
            count = int((gathered.islands.object_index == number).sum())
            uvs.append(
                object_corner_uvs(
                    obj, channel, placements[at : at + count], options.uv_tolerance, whole
                )
                if count
                else None
            )
            at += count
            number += 1
        written = write_scene(scene, target_channel, uvs, side_names[str(target)])
        for name in sides[str(target)]:
            # What a mesh that did not change keeps its data in goes with it.
            old = origin.parent / name
            if len(written) == 1 and old.resolve() != (target.parent / name).resolve():
                written[name] = old.read_bytes()
        for name, data in written.items():
            ready.append((target if name == scene.name else target.parent / name, data))
    write_all(ready)
    return targets


def write_all(ready: list[tuple[Path, bytes]]) -> None:
    """Write files that are all built; refuse before the first when two of them meet."""
    _refuse_collisions(ready)
    for path, data in ready:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)


def _refuse_collisions(ready: list[tuple[Path, bytes]]) -> None:
    """Two inputs from different folders may name different side files alike."""
    seen: dict[Path, bytes] = {}
    for path, data in ready:
        if seen.setdefault(path, data) != data:
            raise QuiltError(
                f"Two inputs keep different data in files of the name “{path.name}”.",
                str(path),
                "Pack them into folders of their own, or give them as GLB.",
            )


def _sheets(path: Path, islands: IslandSet, names: list[str], tiles: list[TileSize]) -> None:
    """One sheet per tile; with several the tile number goes into the name."""
    path.parent.mkdir(parents=True, exist_ok=True)
    for tile in tiles:
        target = path if len(tiles) == 1 else path.with_suffix(f".{tile.number}{path.suffix}")
        corner = np.array(tile.corner, np.float64)
        here = replace(islands, triangles=islands.triangles - corner, edges=islands.edges - corner)
        if path.suffix.lower() == ".svg":
            target.write_text(layout_svg(here, names, tile.width, tile.height), encoding="utf-8")
        else:
            target.write_bytes(layout_png(here, tile.width, tile.height))
