"""``untold-quilt pack``."""

from __future__ import annotations

import argparse
import time
from pathlib import Path
from typing import Any

import numpy as np

from quilt_cli.gather import Gathered, gather, say
from quilt_cli.inspect import finite
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats import write_scene
from quilt_core.measure import equalize, measure
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene import IslandSet
from quilt_core.scene.layout import object_corner_uvs
from quilt_core.scene.placement import identity
from quilt_core.sheet import layout_png, layout_svg

REPORT_EVERY = 0.4


def pack(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Pack all files into one tile and write each back in its own format."""
    width, height = options.size
    fixed = isinstance(options.density, float)
    settings = PackSettings(
        width,
        height,
        options.padding,
        options.margin,
        options.rotate,
        options.effort,
        options.seconds,
        options.seed,
        fixed,
    )
    targets = output_paths(options.files, options.out)
    gathered = gather(options.files, options.channel, options.unit)
    islands = gathered.islands
    if islands.count == 0:
        raise LayoutError(
            f"No object has UVs in channel {options.channel}.",
            ", ".join(map(str, options.files)),
            "Flatten the meshes first.",
        )
    placements = identity(islands.count)
    if options.density != "keep":
        placements = equalize(islands, placements, width, height, options.density if fixed else None)

    started = time.monotonic()
    last = started
    placed = np.zeros(islands.count, bool)
    for attempt, found, mask in pack_islands(islands, placements, settings):
        if attempt.done or time.monotonic() - last > REPORT_EVERY:
            last = time.monotonic()
            say(f"packing: step {attempt.step} of {attempt.steps}, coverage {attempt.coverage:.1%}")
        if attempt.done:
            result, placed = found, mask
    seconds = time.monotonic() - started

    figures = measure(islands, result, width, height, options.padding)
    left = np.flatnonzero(~placed & ~figures.collapsed)
    names = gathered.names
    left_over = [
        {"object": names[islands.object_index[i]], "island": _number_in_object(islands, int(i))} for i in left
    ]
    files = _write(gathered, options.channel - 1, result, targets)
    if options.sheet:
        _sheet(options.sheet, islands.placed(result), names, width, height)
    skipped = [name for name, faces in zip(names, islands.unflattened, strict=True) if faces]
    answer = {
        "coverage": finite(figures.coverage, 6),
        "density": finite(figures.density_all),
        "density_unit": "px/m",
        "islands": islands.count,
        "min_gap_px": finite(figures.gap.pixels, 6),
        "min_margin_px": finite(figures.margin_px, 6),
        "seconds": round(seconds, 3),
        "files": [str(path) for path in files],
        "left_over": left_over,
        "unflattened": skipped,
    }
    text = (
        f"{islands.count - len(left)} islands, coverage {figures.coverage:.1%}, {figures.density_all:.1f} px/m, "
        f"smallest gap {figures.gap.pixels:.2f} px, edge {figures.margin_px:.2f} px, {seconds:.1f} s"
    )
    if left_over:
        text += f"\n{len(left_over)} islands do not fit at {options.density:g} px/m and lie beside the tile"
    if skipped:
        text += f"\nwithout UVs, left as they are: {', '.join(skipped)}"
    return {"json": answer, "text": text}, 1 if left_over else 0


def output_paths(files: list[Path], out: Path) -> list[Path]:
    """Where each input goes: a folder for many, a file or a folder for one."""
    if len(files) == 1 and out.suffix.lower() == files[0].suffix.lower() and not out.is_dir():
        return [out]
    if len({path.name for path in files}) < len(files):
        raise QuiltError("Two inputs have the same file name.", str(out), "Rename one of them.")
    if out.exists() and not out.is_dir():
        raise QuiltError("It is a file, but a folder is needed.", str(out), "Give a folder with --out.")
    return [out / path.name for path in files]


def _number_in_object(islands: IslandSet, island: int) -> int:
    first = np.searchsorted(islands.object_index, islands.object_index[island])
    return int(island - first + 1)


def _write(
    gathered: Gathered, channel: int, placements: np.ndarray[Any, Any], targets: list[Path]
) -> list[Path]:
    """Build every file in memory first, so that an error leaves nothing half written."""
    ready: list[tuple[Path, bytes]] = []
    at = 0
    number = 0
    for scene, target in zip(gathered.scenes, targets, strict=True):
        uvs = []
        for obj in scene.objects:
            count = int((gathered.islands.object_index == number).sum())
            uvs.append(object_corner_uvs(obj, channel, placements[at : at + count]) if count else None)
            at += count
            number += 1
        for name, data in write_scene(scene, channel, uvs).items():
            ready.append((target if name == scene.name else target.parent / name, data))
    for path, data in ready:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    return targets


def _sheet(path: Path, islands: IslandSet, names: list[str], width: int, height: int) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    if path.suffix.lower() == ".svg":
        path.write_text(layout_svg(islands, names, width, height), encoding="utf-8")
    else:
        path.write_bytes(layout_png(islands, width, height))
