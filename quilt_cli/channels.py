"""``untold-quilt channels``."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

import numpy as np

from quilt_cli.gather import read_path, say
from quilt_cli.pack_write import output_paths, write_all
from quilt_core.errors import QuiltError
from quilt_core.formats.channels import edit_channels
from quilt_core.formats.load import side_files
from quilt_core.scene.model import Scene


def channels(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """List the UV channels of the files; with edits, write the files with other channels."""
    if options.edits and options.out is None:
        raise QuiltError(
            "There is no place for the result.", "--out", "Name a folder, or a file for one input."
        )
    scenes = [read_path(path, options.unit) for path in options.files]
    answer: dict[str, Any] = {
        "files": [_listed(path, scene) for path, scene in zip(options.files, scenes, strict=True)]
    }
    lines = [line for file in answer["files"] for line in _lines(file)]
    if options.edits:
        ready: list[tuple[Path, bytes]] = []
        notes: list[str] = []
        for origin, scene, target in zip(
            options.files, scenes, output_paths(options.files, options.out), strict=True
        ):
            written, said = edit_channels(scene, options.edits)
            notes += said
            for name in side_files(origin.name, origin.read_bytes()):
                written.setdefault(name, (origin.parent / name).read_bytes())
            ready += [
                (target if name == scene.name else target.parent / name, data)
                for name, data in written.items()
            ]
        write_all(ready)
        for note in notes:
            say(f"note: {note}")
        answer |= {"edits": [str(edit) for edit in options.edits], "notes": notes}
        answer["written"] = [str(path) for path, _ in ready]
        lines = [f"wrote {path}" for path, _ in ready]
    return {"json": answer, "text": "\n".join(lines)}, 0


def _listed(path: Path, scene: Scene) -> dict[str, Any]:
    """What channels each object of a file has, and where their UVs lie."""
    objects = []
    for obj in scene.objects:
        rows = []
        for number, channel in enumerate(obj.mesh.channels, start=1):
            uv = channel.per_corner
            there = np.isfinite(uv).all(axis=1)
            whole = np.bincount(obj.mesh.corner_face, ~there, minlength=obj.mesh.face_count) == 0
            box = (
                [uv[there].min(axis=0).tolist(), uv[there].max(axis=0).tolist()]
                if there.any()
                else None
            )
            if box is not None:
                rows.append({"channel": number, "faces": int(whole.sum()), "bounds": box})
        objects.append({"name": obj.name, "faces": obj.mesh.face_count, "channels": rows})
    return {"file": str(path), "objects": objects}


def _lines(file: dict[str, Any]) -> list[str]:
    out = [file["file"]]
    for obj in file["objects"]:
        said = []
        for row in obj["channels"]:
            box = row["bounds"]
            where = (
                "no UVs"
                if box is None
                else f"u {box[0][0]:.3f} to {box[1][0]:.3f}, v {box[0][1]:.3f} to {box[1][1]:.3f}"
            )
            said.append(f"{row['channel']}: {row['faces']:,} of {obj['faces']:,} faces, {where}")
        out.append(f"  {obj['name'] or 'unnamed'}: " + ("; ".join(said) or "no UV channel"))
    return out
