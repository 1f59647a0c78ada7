"""``untold-quilt again``."""

from __future__ import annotations

import argparse
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_cli.gather import read_path, say
from quilt_cli.pack_write import output_paths, write_all
from quilt_core.errors import QuiltError
from quilt_core.flatten.again import FACE, SURFACE, TOPOLOGY, Again, layout_again
from quilt_core.formats import write_scene
from quilt_core.formats.load import side_files
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import Scene, SceneObject

FloatArray = NDArray[np.float64]


def again(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Give newer versions of files the layout of older ones; exit code 1 when faces have none."""
    channel = options.channel - 1
    if channel < 0:
        raise QuiltError(f"UV channel {options.channel}.", "--channel", "Channels count from 1.")
    targets = output_paths(options.files, options.out)
    older = [
        (scene, obj)
        for path in options.layout
        for scene in [read_path(path, options.unit)]
        for obj in scene.objects
    ]
    if not older:
        raise QuiltError("There is no object in it.", "--layout", "Name the older files.")
    ready: list[tuple[Path, bytes]] = []
    rows: list[dict[str, Any]] = []
    for path, target in zip(options.files, targets, strict=True):
        scene = read_path(path, options.unit)
        uvs, own = _laid(scene, older, channel)
        rows += own
        written = write_scene(scene, channel, uvs)
        for name in side_files(path.name, path.read_bytes()):
            written.setdefault(name, (path.parent / name).read_bytes())
        written.setdefault(scene.name, path.read_bytes())
        ready += [
            (target if n == scene.name else target.parent / n, data) for n, data in written.items()
        ]
    write_all(ready)
    new = sum(row["new"] for row in rows)
    names = {row["from"] for row in rows}
    gone = (
        []
        if "the older objects" in names
        else [obj.name for _, obj in older if obj.name not in names]
    )
    json = {"objects": rows, "gone": gone, "files": [str(p) for p, _ in ready]}
    lines = [*map(_line, rows), *(f"{name}: is gone" for name in gone)]
    return {"json": json, "text": "\n".join(lines)}, int(new > 0)


def _laid(
    scene: Scene, older: list[tuple[Scene, SceneObject]], channel: int
) -> tuple[list[FloatArray | None], list[dict[str, Any]]]:
    """UVs of each object, and how it got them; faces that get none keep their own."""
    uvs: list[FloatArray | None] = []
    rows = []
    whole = cache(
        lambda: _joined([obj for _, obj in older if channel < len(obj.mesh.channels)], channel)
    )
    for obj in scene.objects:
        best: tuple[SceneObject, Again] | None = None
        for _, old in _by_likeness(obj, older):
            if channel >= len(old.mesh.channels):
                continue
            found = layout_again(old.mesh, old.mesh.channels[channel].per_corner, obj.mesh)
            if best is None or found.new < best[1].new:
                best = old, found
            if found.new == 0 or old.name == obj.name:
                break
        count = obj.mesh.face_count
        if best is None or best[1].new:
            # Objects may have been joined, split or called otherwise: all of the older ones together, in the world.
            every, uv = whole()
            found = layout_again(every.mesh, uv, _in_the_world(obj))
            if best is None or found.new < best[1].new:
                best = every, found
        if best is None or best[1].new == count:
            uvs.append(None)
            rows.append(
                {
                    "object": obj.name,
                    "from": "",
                    "faces": count,
                    "same": 0,
                    "by_face": 0,
                    "by_surface": 0,
                    "new": count,
                    "gone": 0,
                    "moved": 0.0,
                }
            )
            continue
        old, found = best
        uvs.append(found.uv)
        how = np.bincount(found.how, minlength=4)
        rows.append({
            "object": obj.name, "from": old.name, "faces": count, "same": int(how[TOPOLOGY]), "by_face": int(how[FACE]),
            "by_surface": int(how[SURFACE]), "new": found.new, "gone": found.gone, "moved": round(found.moved, 6),
        })  # fmt: skip
        say(f"{obj.name}: from {old.name}")
    return uvs, rows


def _in_the_world(obj: SceneObject) -> Mesh:
    """The mesh where its first instance stands."""
    if not obj.instances:
        return obj.mesh
    matrix = obj.instances[0].matrix
    return replace(obj.mesh, positions=obj.mesh.positions @ matrix[:3, :3].T + matrix[:3, 3])


def _joined(objects: list[SceneObject], channel: int) -> tuple[SceneObject, FloatArray]:
    """Objects as one mesh in the world, and its UVs."""
    meshes = [_in_the_world(obj) for obj in objects]
    first = np.cumsum([0, *(len(mesh.positions) for mesh in meshes)])
    sizes = [np.diff(mesh.face_offsets) for mesh in meshes]
    none = np.zeros(0, np.int64)
    mesh = Mesh(
        positions=np.concatenate([np.zeros((0, 3)), *(mesh.positions for mesh in meshes)]),
        face_offsets=np.concatenate([[0], np.cumsum(np.concatenate([none, *sizes]))]).astype(
            np.int64
        ),
        corner_vertex=np.concatenate(
            [none, *(mesh.corner_vertex + k for mesh, k in zip(meshes, first, strict=False))]
        ),
        channels=(),
        face_material=np.zeros(sum(map(len, sizes)), np.int64),
    )
    uv = np.concatenate(
        [np.zeros((0, 2)), *(obj.mesh.channels[channel].per_corner for obj in objects)]
    )
    return SceneObject("the older objects", mesh, ()), uv


def _by_likeness(
    obj: SceneObject, older: list[tuple[Scene, SceneObject]]
) -> list[tuple[Scene, SceneObject]]:
    """Older objects, those of the same name first, then those of as many faces, then the others near in number."""
    count = obj.mesh.face_count

    def unlike(row: tuple[Scene, SceneObject]) -> tuple[bool, float]:
        other = row[1].mesh.face_count
        return row[1].name != obj.name, abs(np.log((other + 1) / (count + 1)))

    return sorted(older, key=unlike)[:4]


def _line(row: dict[str, Any]) -> str:
    if not row["from"]:
        return f"{row['object']}: is new, {row['faces']:,} faces keep the UVs that they have"
    parts = [
        f"{row['same']:,} faces of the same topology" if row["same"] else "",
        f"{row['by_face']:,} faces at their old places" if row["by_face"] else "",
        f"{row['by_surface']:,} faces by the surface" if row["by_surface"] else "",
        f"{row['new']:,} faces are new" if row["new"] else "",
        f"{row['gone']:,} are gone" if row["gone"] else "",
        f"moved by up to {row['moved']:.2%} of its size" if row["moved"] else "",
    ]
    return f"{row['object']}: {', '.join(p for p in parts if p)}"
