"""Operations on mesh files."""

from __future__ import annotations

import argparse
import atexit
import shutil
import sys
import tempfile
from pathlib import Path
from typing import Any

from quilt_cli.parser import given_options
from quilt_cli.progress import TerminalProgress
from quilt_core.errors import QuiltError
from quilt_core.operations.operation import Operation
from quilt_core.operations.registry import operation
from quilt_core.run.on_files import FilesDone, do_on_files, inputs_of, read_settings
from quilt_core.run.outputs import output_folder, write_all


def on_files(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Do an operation on the files that were named, and write what it made."""
    asked = operation(options.command)
    settings = read_settings(asked, given_options(options), Path(), words=True)
    paths = _inputs(options.files)
    progress = TerminalProgress()
    out, name = _place(asked, options, paths, _writes(asked, settings[asked.settings]))
    done = do_on_files(asked, inputs_of(paths), settings, progress, Path(), out or Path())
    progress.close()
    written = _written(options, done, out, name, paths)
    for note in done.notes:
        print(f"note: {note}", file=sys.stderr)
    lines = list(done.lines)
    if asked.files.writes and not lines:
        lines = [f"wrote {path}" for path in written]
    values = {**done.values, "ok": done.ok, "notes": [*done.values.get("notes", []), *done.notes]}
    if asked.files.writes:
        values["files"] = [str(path) for path in written]
    return {"json": values, "text": lines}, 0 if done.ok else 1


def _writes(asked: Operation, settings: Any) -> bool:
    """Whether files will come out."""
    return bool(asked.files.writes) and not (asked.files.lists and settings == asked.settings())


def _place(
    asked: Operation, options: argparse.Namespace, paths: list[Path], writes: bool
) -> tuple[Path | None, str]:
    """Folder of the output, and the name of the only file where one is given."""
    if not writes:
        return None, ""
    meshes = asked.files.writes != "images"
    if options.out is None:
        if getattr(options, "in_place", False):
            return None, ""
        raise QuiltError(
            "There is no place for the result.", "out", "Name a folder, or a file for one input."
        )
    return output_folder(options.out, paths, meshes)


def _written(
    options: argparse.Namespace, done: FilesDone, out: Path | None, name: str, paths: list[Path]
) -> list[Path]:
    """Write all files, or none."""
    from quilt_core.run.outputs import common_parent

    in_place = getattr(options, "in_place", False)
    base = out if out is not None else common_parent(paths) if in_place else None
    files: dict[Path, bytes] = {Path(place): data for place, data in done.aside.items()}
    renames = dict.fromkeys(done.meshes, name) if name else {}
    if base is not None:
        files |= {base / renames.get(place, place): data for place, data in done.files.items()}
    force = getattr(options, "force", False)
    return write_all(files, paths, in_place, force, done.read)


def _inputs(files: list[Path]) -> list[Path]:
    """Files that were named; one may come from stdin."""
    if Path("-") not in files:
        return files
    data = sys.stdin.buffer.read()
    kind = ".glb" if data[:4] == b"glTF" else ".gltf" if data.lstrip()[:1] == b"{" else ".obj"
    folder = tempfile.mkdtemp(prefix="untold-quilt-")
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    path = Path(folder) / f"stdin{kind}"
    path.write_bytes(data)
    return [path if one == Path("-") else one for one in files]
