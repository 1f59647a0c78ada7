"""Operations on mesh files."""

from __future__ import annotations

import argparse
import atexit
import io
import shutil
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

from quilt_cli.parser import given_options
from quilt_cli.progress import TerminalProgress
from quilt_cli.shown import shown
from quilt_core.document.project.file import SUFFIX, ProjectFile, is_project
from quilt_core.errors import QuiltError
from quilt_core.operations.operation import AGAINST, Operation, Progress
from quilt_core.operations.registry import operation
from quilt_core.run.inputs import inputs_of
from quilt_core.run.on_files import FilesDone, do_on_files, read_settings
from quilt_core.run.outputs import output_folder, write_all


def on_files(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Do an operation on the files that were named, and write what it made."""
    asked = operation(options.command)
    paths = _inputs(options.files)
    given = given_options(options)
    if asked.files.two and AGAINST not in given and len(paths) == 2:
        given[AGAINST] = (str(paths[0]),)
        paths = paths[1:]
    progress = TerminalProgress()
    with _opened(paths, progress) as opened:
        settings = read_settings(asked, given, Path(), True, opened)
        writes = _writes(asked, settings[asked.settings])
        into = _project_out(asked, options, paths, opened is not None) if writes else None
        out, name = (None, "") if into else _place(asked, options, paths, writes)
        inputs = inputs_of(paths) if opened is None else []
        done = do_on_files(
            asked, inputs, settings, progress, Path(), out or Path(), opened, into is None
        )
        if into is not None:
            done = replace(done, files={}, aside={**done.aside, str(into): _project(done)})
    progress.close()
    written = _written(options, done, out, name, paths)
    for note in done.notes:
        print(shown(f"note: {note}"), file=sys.stderr)
    lines = list(done.lines)
    if asked.files.writes and not lines:
        lines = [f"wrote {path}" for path in written]
    values = {**done.values, "ok": done.ok, "notes": [*done.values.get("notes", []), *done.notes]}
    if asked.files.writes:
        values["files"] = [str(path) for path in written]
    return {"json": values, "text": lines}, 0 if done.ok else 1


@contextmanager
def _opened(paths: list[Path], progress: Progress) -> Iterator[ProjectFile | None]:
    """The project file that was named, where it is one; it is closed at the end."""
    if not any(map(is_project, paths)):
        yield None
        return
    if len(paths) > 1:
        raise QuiltError("A project file goes by itself.", str(paths[0]), "Give one project file.")
    from quilt_core.run.on_project import opened_project  # loads slowly

    with opened_project(paths[0], progress.part(0.0, 0.05)) as opened:
        yield opened


def _project_out(
    asked: Operation, options: argparse.Namespace, paths: list[Path], opened: bool
) -> Path | None:
    """The project file that comes out, where one is asked for."""
    in_place = getattr(options, "in_place", False)
    wanted = in_place or (options.out is not None and is_project(options.out))
    if asked.files.writes == "project":
        if not wanted or options.out is None:
            raise QuiltError(
                "There is no place for the project.", "out", f"Name a file that ends in {SUFFIX}."
            )
        return Path(options.out)
    if not opened or not wanted:
        return None
    if asked.changes != "layout":
        raise QuiltError("This changes no layout of the project.", "out", "Name a folder.")
    return paths[0] if in_place else Path(options.out)


def _project(done: FilesDone) -> bytes:
    assert done.project is not None
    out = io.BytesIO()
    done.project(out)
    return out.getvalue()


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
