"""``untold-quilt flatten``."""

from __future__ import annotations

import argparse
import time
from collections.abc import Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_cli.gather import Gathered, NothingToDo, read_path, say
from quilt_cli.inspect import finite
from quilt_cli.one_tile import in_one_tile
from quilt_cli.pack_write import output_paths, write_files
from quilt_core.errors import QuiltError
from quilt_core.flatten import Flattened, FlattenSettings, Stage, flatten_mesh
from quilt_core.flatten.object_flat import with_channel, world_points
from quilt_core.flatten.useless import UVState, uv_state
from quilt_core.measure import measure
from quilt_core.measure.density import scale_about_centres
from quilt_core.scene import (
    IslandSet,
    Scene,
    SceneObject,
    concatenate,
    island_set,
)
from quilt_core.scene.naming import unique_names
from quilt_core.scene.placement import identity
from quilt_core.scene.weld import welded

REPORT_EVERY = 0.4
FloatArray = NDArray[np.float64]


def flatten(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Flatten objects without usable UVs, pack them into the unit tile and write the files back."""
    if options.channel < 1:
        raise QuiltError(f"UV channel {options.channel}.", "--channel", "Channels count from 1.")
    settings = FlattenSettings(
        charts=options.charts,
        angle=options.angle,
        stretch=options.stretch,
        balance=options.balance,
        seconds=options.seconds,
        weld=options.weld,
        symmetric=options.symmetric,
        seed=options.seed,
    )
    targets = output_paths(options.files, options.out)
    scenes = [read_path(path, options.unit) for path in options.files]
    for scene in scenes:
        for warning in scene.warnings:
            say(f"note: {warning}")
    rows = [(scene, obj) for scene in scenes for obj in scene.objects]
    names = unique_names([obj.name for _, obj in rows], [scene.name for scene, _ in rows])
    chosen = _chosen([obj for _, obj in rows], names, options)
    if not chosen.any():
        raise NothingToDo(
            f"No object is to be flattened: none has {options.which} UVs in channel {options.channel}.",
            ", ".join(map(str, options.files)),
            "Give --which all, or another --only.",
        )
    done: dict[int, Flattened] = {}
    objects: list[SceneObject] = []
    for number, (_, obj) in enumerate(rows):
        if chosen[number]:
            obj = replace(obj, mesh=welded(obj.mesh, settings.weld))
            made = flatten_mesh(obj.mesh, settings, world_points(obj), _teller(names[number]))
            if made.charts:
                done[number] = made
                obj = with_channel(obj, options.channel - 1, made.uv)
        objects.append(obj)
    gathered, placements, overlap = _packed(options, scenes, objects, done)
    files = write_files(
        gathered, options, placements, targets, np.zeros(len(placements), np.int64), ["flat"], done
    )
    answers = [_answer(names[k], made, overlap[k]) for k, made in done.items()]
    json = {
        "objects": answers,
        "left": [name for k, name in enumerate(names) if k not in done],
        "files": [str(path) for path in files],
    }
    text = "\n".join(_line(row) for row in answers)
    return {"json": json, "text": text}, 0


def _chosen(
    objects: Sequence[SceneObject], names: Sequence[str], options: argparse.Namespace
) -> NDArray[np.bool_]:
    """(O,) objects that are to be flattened."""
    out = np.zeros(len(objects), bool)
    for number, obj in enumerate(objects):
        if options.only and not any(fnmatchcase(names[number], text) for text in options.only):
            continue
        state = uv_state(obj.mesh, options.channel - 1)
        wanted = {
            "missing": state is UVState.MISSING,
            "useless": state is not UVState.USABLE,
            "all": True,
        }
        out[number] = wanted[options.which]
    if options.only:
        for text in options.only:
            if not any(fnmatchcase(name, text) for name in names):
                raise QuiltError(
                    f"“{text}” names no object.", "--only", f"There are {', '.join(names[:8])}."
                )
    return out


def _teller(name: str) -> Any:
    last = time.monotonic()

    def tell(stage: Stage) -> bool:
        nonlocal last
        if time.monotonic() - last > REPORT_EVERY:
            last = time.monotonic()
            seam = f", seams {stage.seam:.2f}" if np.isfinite(stage.seam) else ""
            say(f"flattening {name}: {stage.progress:.0%}{seam}")
        return True

    return tell


def _packed(
    options: argparse.Namespace,
    scenes: Sequence[Scene],
    objects: Sequence[SceneObject],
    done: dict[int, Flattened],
) -> tuple[Gathered, FloatArray, dict[int, float]]:
    """All objects with the flattened ones in one tile at equal density, and which part of each
    overlaps itself."""
    sets: list[IslandSet] = []
    made: list[Scene] = []
    at = 0
    for scene in scenes:
        own = tuple(objects[at : at + len(scene.objects)])
        at += len(own)
        made.append(replace(scene, objects=own))
        for obj in own:
            found = island_set(
                obj, options.channel - 1, scene.metres_per_unit, tolerance=options.uv_tolerance
            )
            sets.append(replace(found, proportion=np.ones(found.count)))
    islands = concatenate(sets)
    gathered = Gathered(tuple(options.files), tuple(made), islands)
    mine = np.isin(islands.object_index, list(done))
    flat = islands.select(mine)
    overlap = _overlaps(flat, done)
    placed = _pack(flat, options)
    placements = identity(islands.count)
    placements[mine] = placed
    return gathered, placements, overlap


def _overlaps(flat: IslandSet, done: dict[int, Flattened]) -> dict[int, float]:
    figures = measure(flat, identity(flat.count), 1024, 1024)
    pairs, texels = figures.overlaps.pairs, figures.overlaps.texels
    own = pairs[:, 0] == pairs[:, 1]
    out: dict[int, float] = {}
    for number in done:
        area = float(flat.uv_area[flat.object_index == number].sum()) * 1024**2
        mine = own & (flat.object_index[pairs[:, 0]] == number)
        out[number] = float(texels[mine].sum()) / max(area, 1e-300)
    return out


def _pack(flat: IslandSet, options: argparse.Namespace) -> FloatArray:
    """Placements at equal density in one tile."""
    placements = identity(flat.count)
    # Within an object the density is even: its islands share one factor.
    count = int(flat.object_index.max(initial=-1)) + 1
    world = np.bincount(flat.object_index, flat.world_area, count)
    layout = np.bincount(flat.object_index, flat.uv_area, count)
    factor = np.sqrt(world / np.maximum(layout, 1e-300))[flat.object_index]
    placements = scale_about_centres(flat, placements, factor)
    return in_one_tile(flat, placements, options)


def _answer(name: str, made: Flattened, overlap: float) -> dict[str, Any]:
    return {
        "object": name,
        "charts": made.charts,
        "seam_length": finite(made.seam_length, 4),
        "stretch": {
            "l2": finite(made.stretch_l2, 6),
            "p95": finite(made.stretch_p95, 6),
            "energy": finite(made.energy, 6),
        },
        "flipped": made.flipped,
        "self_overlap": finite(overlap, 9),
        "seconds": round(made.seconds, 3),
    }


def _line(row: dict[str, Any]) -> str:
    stretch = row["stretch"]
    return (
        f"{row['object']}: {row['charts']} charts, seams {row['seam_length']:.2f}, stretch L2 {stretch['l2']:.4f}, "
        f"95 % below {stretch['p95']:.3f}, energy {stretch['energy']:.4f}, {row['flipped']} flipped, {row['seconds']:.1f} s"
    )
