"""``untold-quilt copy-layout``."""

from __future__ import annotations

import argparse
from dataclasses import replace
from fnmatch import fnmatchcase
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_cli.gather import Gathered, read_path, say
from quilt_cli.inspect import finite
from quilt_cli.one_tile import in_one_tile
from quilt_cli.pack_write import output_paths, write_files
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.flatten.alike import Match, find_match
from quilt_core.flatten.object_flat import with_channel, world_points
from quilt_core.flatten.result import stretch_of
from quilt_core.scene import IslandSet, SceneObject, concatenate, island_set
from quilt_core.scene.naming import unique_names
from quilt_core.scene.placement import identity

FloatArray = NDArray[np.float64]


def copy_layout(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Give objects of equal topology the layout of one of them, and write the files back."""
    channel = options.channel - 1
    if channel < 0:
        raise QuiltError(f"UV channel {options.channel}.", "--channel", "Channels count from 1.")
    targets = output_paths(options.files, options.out)
    scenes = [read_path(path, options.unit) for path in options.files]
    rows = [(scene, obj) for scene in scenes for obj in scene.objects]
    names = unique_names([obj.name for _, obj in rows], [scene.name for scene, _ in rows])
    source = _one(names, options.source)
    first = rows[source][1]
    if (
        channel >= len(first.mesh.channels)
        or not (first.mesh.channels[channel].corner_uv >= 0).any()
    ):
        raise LayoutError(
            f"“{names[source]}” has no UVs in channel {options.channel}.",
            "--from",
            "Flatten it first, or name another one.",
        )
    uv = first.mesh.channels[channel].per_corner
    objects = [obj for _, obj in rows]
    answers, copied = [], {source}
    for k in _targets(names, source, options.to):
        match = find_match(first.mesh, objects[k].mesh)
        if match is None:
            if options.to:
                raise LayoutError(
                    f"“{names[k]}” has another topology than “{names[source]}”.",
                    "--to",
                    "Name look-alikes only, or leave --to out to find them.",
                )
            continue
        objects[k] = with_channel(objects[k], channel, uv[match.corner])
        copied.add(k)
        answers.append(_answer(names[k], objects[k], match, uv[match.corner]))
        say(f"{names[k]}: a look-alike of {names[source]}")
    if not answers:
        raise LayoutError(
            f"Nothing has the topology of “{names[source]}”.", "--from", "Name another object."
        )
    sets: list[IslandSet] = []
    at = 0
    made = []
    for scene in scenes:
        own = tuple(objects[at : at + len(scene.objects)])
        at += len(own)
        made.append(replace(scene, objects=own))
        sets += [
            island_set(obj, channel, scene.metres_per_unit, tolerance=options.uv_tolerance)
            for obj in own
        ]
    islands = concatenate(sets)
    gathered = Gathered(tuple(options.files), tuple(made), islands)
    placements = identity(islands.count)
    if not options.stack:
        mine = np.isin(islands.object_index, list(copied))
        placements[mine] = in_one_tile(islands.select(mine), placements[mine], options)
    files = write_files(
        gathered,
        options,
        placements,
        targets,
        np.zeros(len(placements), np.int64),
        ["copy"],
        copied,
    )
    json = {"from": names[source], "objects": answers, "files": [str(path) for path in files]}
    return {"json": json, "text": "\n".join(map(_line, answers))}, 0


def _one(names: list[str], text: str) -> int:
    found = [k for k, name in enumerate(names) if fnmatchcase(name, text)]
    if len(found) != 1:
        said = "names no object" if not found else f"names {len(found)} objects"
        raise QuiltError(f"“{text}” {said}.", "--from", f"There are {', '.join(names[:8])}.")
    return found[0]


def _targets(names: list[str], source: int, wanted: list[str]) -> list[int]:
    out: list[int] = []
    for text in wanted:
        found = [k for k, name in enumerate(names) if fnmatchcase(name, text) and k != source]
        if not found:
            raise QuiltError(
                f"“{text}” names no other object.", "--to", f"There are {', '.join(names[:8])}."
            )
        out += found
    return list(dict.fromkeys(out)) if wanted else [k for k in range(len(names)) if k != source]


def _answer(name: str, obj: SceneObject, match: Match, uv: FloatArray) -> dict[str, Any]:
    return {
        "object": name,
        "mirrored": match.mirrored,
        "misfit": finite(match.misfit, 6),
        "matches": match.matches,
        "stretch_l2": finite(stretch_of(obj.mesh, world_points(obj), uv), 4),
    }


def _line(row: dict[str, Any]) -> str:
    side = ", mirrored" if row["mirrored"] else ""
    shape = (
        "" if row["misfit"] < 1e-4 else f", its shape differs by {row['misfit']:.2%} of its size"
    )
    return f"{row['object']}: copied{side}{shape}, stretch L2 {row['stretch_l2']:.3f}"
