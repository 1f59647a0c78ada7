"""Write what was packed: each file in its own format, layout sheets, all or nothing."""

from __future__ import annotations

import argparse
import re
from collections.abc import Collection, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from quilt_cli.gather import Gathered
from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene, write_scene
from quilt_core.formats.load import Siblings, folder_siblings, shared_side_names, side_files
from quilt_core.formats.part_materials import split_materials
from quilt_core.scene import IslandSet, Scene, SceneObject, TileSize, find_islands
from quilt_core.scene.layout import object_corner_uvs
from quilt_core.sheet import layout_png, layout_svg

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


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


def check_target(gathered: Gathered, options: argparse.Namespace) -> None:
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


def write_files(
    gathered: Gathered,
    options: argparse.Namespace,
    placements: FloatArray,
    targets: list[Path],
    atlas: IntArray,
    names: Sequence[str],
    changed: Collection[int] = (),
) -> list[Path]:
    """Build every file in memory first, so that an error leaves nothing half written; `atlas` (I,)
    is that of each island, `names` what they are called, `changed` the objects whose UVs are not
    those of their files even where nothing moved."""
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
        uvs, faces = [], []
        for obj in scene.objects:
            count = int((gathered.islands.object_index == number).sum())
            uvs.append(
                object_corner_uvs(
                    obj,
                    channel,
                    placements[at : at + count],
                    options.uv_tolerance,
                    whole or number in changed,
                )
                if count
                else None
            )
            faces.append(_face_atlas(obj, channel, atlas[at : at + count], options.uv_tolerance))
            at += count
            number += 1
        written = write_scene(scene, target_channel, uvs, side_names[str(target)])
        if len(names) > 1:
            find = folder_siblings(origin.parent)
            again = _read_back(scene.name, written, find, options.unit)
            written |= split_materials(again, faces, names, find)
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


def _read_back(
    name: str, written: dict[str, bytes], find: Siblings, metres_per_unit: float
) -> Scene:
    return read_scene(
        name, written[name], lambda other: written.get(other) or find(other), metres_per_unit
    )


def _face_atlas(obj: SceneObject, channel: int, atlas: IntArray, tolerance: float) -> IntArray:
    """(F,) atlas of each face, -1 for none."""
    if channel >= len(obj.mesh.channels) or not len(atlas):
        return np.full(obj.mesh.face_count, -1)
    island = find_islands(obj.mesh, obj.mesh.channels[channel], tolerance=tolerance).face_island
    return np.where(island >= 0, atlas[island], -1)


def draw_sheets(path: Path, islands: IslandSet, names: list[str], tiles: list[TileSize]) -> None:
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


def sheet_path(path: Path, atlas: str) -> Path:
    """Where the sheet of one of several atlases goes."""
    name = re.sub(r"[^\w.-]+", "_", atlas).strip("_.") or "atlas"
    return path.with_name(f"{path.stem}.{name}{path.suffix}")
