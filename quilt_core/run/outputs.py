"""Writing what an operation made: whole or not at all, and nothing of the user's is overwritten unasked."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path

from quilt_core.errors import QuiltError
from quilt_core.formats.load import is_mesh

MANIFEST = ".untold-quilt.json"
"""What was written into a folder, by whom nothing else is overwritten: names and SHA-256."""


def common_parent(paths: Sequence[Path]) -> Path:
    """The deepest folder that holds all files."""
    return Path(os.path.commonpath([path.resolve().parent for path in paths]))


def output_folder(out: Path, paths: Sequence[Path], meshes: bool) -> tuple[Path, str]:
    """Folder of the output; and a name for the only file, where one is given.

    Raises
    ------
    QuiltError
        When it is a file where a folder is needed.
    """
    if (
        meshes
        and len(paths) == 1
        and out.suffix.lower() == paths[0].suffix.lower()
        and not out.is_dir()
    ):
        return out.parent, out.name
    if out.exists() and not out.is_dir():
        raise QuiltError("It is a file, but a folder is needed.", str(out), "Give a folder as out.")
    if not meshes or len(paths) != 1:
        _refuse_file_name(out)
    elif is_mesh(out.name) and not out.is_dir():
        raise QuiltError(
            f"“{paths[0].name}” cannot be written as “{out.name}”.",
            str(out),
            f"Give a folder, or a name that ends in {paths[0].suffix}.",
        )
    return out, ""


def _refuse_file_name(out: Path) -> None:
    if is_mesh(out.name) and not out.is_dir():
        raise QuiltError(
            f"“{out.name}” is the name of a file, but a folder is needed.",
            str(out),
            "Give a folder as out.",
        )


def refuse_sources(targets: Iterable[Path], sources: Sequence[Path]) -> None:
    """Refuse to write onto a file that was read.

    Raises
    ------
    QuiltError
    """
    known = {path.resolve() for path in sources}
    for target in targets:
        if target.resolve() in known:
            raise QuiltError(
                "This is a file that was read; it would be overwritten.", str(target),
                "Give another folder as out, or say that it is meant with in_place.",
            )  # fmt: skip


def write_all(
    files: Mapping[Path, bytes],
    sources: Sequence[Path] = (),
    in_place: bool = False,
    force: bool = False,
    beside: Sequence[Path] = (),
) -> list[Path]:
    """Write files: all of them, or none.

    Parameters
    ----------
    files : mapping
        Paths to bytes.
    sources : sequence of Path
        Files that were read; they are not overwritten but in place.
    in_place : bool
        Whether files that were read may be overwritten.
    force : bool
        Whether files may be that somebody else wrote, or changed since.
    beside : sequence of Path
        Further files that were read: they are not overwritten by others.

    Returns
    -------
    list of Path
        Those that are there now.

    Raises
    ------
    QuiltError
        When a file would be overwritten that is not this program's.
    OSError
    """
    read = {path.resolve() for path in (*sources, *beside)}
    if not in_place:
        refuse_sources(files, sources)
    manifests: dict[Path, dict[str, str]] = {}
    fresh: dict[Path, bytes] = {}
    for path, data in files.items():
        known = manifests.setdefault(path.parent, _manifest(path.parent))
        digest = _digest(data)
        if path.is_dir():
            raise QuiltError(
                "There is a folder of this name.", str(path), "Give another folder as out."
            )
        if path.exists():
            there = _digest(path.read_bytes())
            if there == digest:
                continue
            if not in_place:
                refuse_sources([path], beside)
            mine = known.get(path.name) == there or (in_place and path.resolve() in read)
            if not mine and not force:
                why = (
                    "was changed by hand since"
                    if path.name in known
                    else "is there already and was not written by this program"
                )
                raise QuiltError(
                    f"It {why}; it is kept.", str(path), "Give another folder as out, or overwrite it with force."
                )  # fmt: skip
        fresh[path] = data
        known[path.name] = digest
    parts: list[Path] = []
    try:
        for path, data in fresh.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            part = path.with_name(f".{path.name}.{os.getpid()}.part")
            parts.append(part)
            with part.open("wb") as handle:
                handle.write(data)
                handle.flush()
                os.fsync(handle.fileno())
        for path, part in zip(fresh, parts, strict=True):
            part.replace(path)
    except BaseException:
        for part in parts:
            with suppress(OSError):
                part.unlink(missing_ok=True)
        raise
    for folder, known in manifests.items():
        _keep_manifest(folder, known)
    return list(files)


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _manifest(folder: Path) -> dict[str, str]:
    try:
        found = json.loads((folder / MANIFEST).read_text(encoding="utf-8"))["files"]
        return {str(name): str(digest) for name, digest in found.items()}
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return {}


def _keep_manifest(folder: Path, known: Mapping[str, str]) -> None:
    """Best effort: without it files are asked about, not lost."""
    there = {name: digest for name, digest in sorted(known.items()) if (folder / name).exists()}
    part = folder / f"{MANIFEST}.{os.getpid()}.part"
    with suppress(OSError):
        part.write_text(json.dumps({"version": 1, "files": there}, indent=1), encoding="utf-8")
        part.replace(folder / MANIFEST)
