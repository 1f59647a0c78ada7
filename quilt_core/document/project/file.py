"""Reading and writing a project file: a ZIP with quilt.json, project.json, states/N.npy and files/SHA-256."""

from __future__ import annotations

import hashlib
import io
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import IO, Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from quilt_core.document.islands import CHANGED_ISLAND, ISLAND
from quilt_core.document.plain_npz import read_npy
from quilt_core.document.project.records import VERSION, Contents, Project, Settings
from quilt_core.errors import FileFormatError

FORMAT = "untold-quilt project"
SUFFIX = ".quilt"
CONTENTS, PROJECT = "quilt.json", "project.json"
MOST_ENTRIES = 200_000
MOST_JSON = 1 << 30
"""Bytes of the records."""
MOST_BYTES = 64 << 30
"""Bytes of all that is in it, unpacked."""
MOST_RATIO = 200
"""Unpacked to packed, of an entry that is not small."""
SMALL = 16 << 20
BLOCK = 1 << 20
AGAIN = "Save the project as a file once more."

Islands = NDArray[Any]


def is_project(path: Path) -> bool:
    """Whether a file is a project file, by its name."""
    return path.suffix.lower() == SUFFIX


@dataclass(frozen=True, eq=False)
class ProjectFile:
    """A project file that is open.

    Parameters
    ----------
    name : str
        What to call it in errors.
    project : Project
    archive : ZipFile
    """

    name: str
    project: Project
    archive: zipfile.ZipFile

    @cached_property
    def files(self) -> dict[str, zipfile.ZipInfo]:
        """Entries of files by their SHA-256."""
        found = ((e.filename, e) for e in self.archive.infolist())
        return {n.removeprefix("files/"): e for n, e in found if n.startswith("files/")}

    def data(self, sha256: str) -> bytes:
        """Bytes of a file.

        Raises
        ------
        FileFormatError
            When it is damaged.
        """
        entry = self.files[sha256]
        data = b"".join(_blocks(self.archive, entry, self.name))
        if hashlib.sha256(data).hexdigest() != sha256:
            raise FileFormatError("A file in it is damaged.", f"{self.name}, {entry.filename}", AGAIN)  # fmt: skip
        return data

    def stored(self, state: int) -> Islands:
        """(I,) `ISLAND` of a state that is whole, (K,) `CHANGED_ISLAND` of another one.

        Raises
        ------
        FileFormatError
        """
        name = f"states/{state}.npy"
        place = f"{self.name}, {name}"
        kind = ISLAND if self.project.states[state].whole else CHANGED_ISLAND
        try:
            data = b"".join(_blocks(self.archive, self.archive.getinfo(name), self.name))
            found = read_npy(data)
        except (KeyError, ValueError):
            raise FileFormatError("Islands of a state cannot be read.", place, AGAIN) from None
        if found.dtype != kind or found.ndim != 1:
            raise FileFormatError("Islands of a state are of another form.", place, AGAIN)
        return found

    def islands(self, state: int) -> Islands:
        """(I,) `ISLAND` of a state."""
        changes = []
        while not self.project.states[state].whole:
            changes.append(self.stored(state))
            parent = self.project.states[state].parent
            assert parent is not None
            state = parent
        out = self.stored(state).copy()
        for changed in reversed(changes):
            out[changed["island"]] = changed["state"]
        return out


def open_project(source: IO[bytes], name: str) -> ProjectFile:
    """Open a project file; whether it fits together is `checks.check_project`'s to say.

    Parameters
    ----------
    source : file
        Open for reading, and seekable.
    name : str
        What to call it in errors.

    Raises
    ------
    FileFormatError
        When it is no project file, of another version, damaged, or larger than is allowed.
    """
    try:
        archive = zipfile.ZipFile(source)
        entries = archive.infolist()
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError, EOFError):
        raise FileFormatError(
            "This is no project file, or it is damaged.", name, f"Give one that ends in {SUFFIX}."
        ) from None
    _check_entries(entries, name)
    known = {entry.filename: entry for entry in entries}
    if CONTENTS not in known:
        raise FileFormatError(
            f"This is no project file: it has no {CONTENTS}.", name, f"Give one that ends in {SUFFIX}."
        )  # fmt: skip
    text = b"".join(_blocks(archive, known[CONTENTS], name))
    about = _decoded(text, dict[str, Any], f"{name}, {CONTENTS}")
    if about.get("format") != FORMAT:
        raise FileFormatError("This is no project file.", f"{name}, {CONTENTS}", f"Give one that ends in {SUFFIX}.")  # fmt: skip
    if about.get("version") not in (1, VERSION):
        raise FileFormatError(
            f"It is of version {str(about.get('version'))[:20]}; this program reads up to version {VERSION}.",
            name, "Open it with the program that wrote it, or a newer one.",
        )  # fmt: skip
    contents = _decoded(text, Contents, f"{name}, {CONTENTS}")
    if PROJECT not in known:
        raise FileFormatError(f"It has no {PROJECT}.", name, AGAIN)
    records = b"".join(_blocks(archive, known[PROJECT], name))
    if hashlib.sha256(records).hexdigest() != contents.sha256:
        raise FileFormatError("Its records are damaged.", f"{name}, {PROJECT}", AGAIN)
    project = _decoded(records, Project, f"{name}, {PROJECT}")
    for profile in project.profiles if about["version"] == 1 else ():
        # Textures of a profile were called so in version 1.
        profile.what.update(texture=profile.what.pop("picture", []))
    return ProjectFile(name, project, archive)


def write_project(
    target: IO[bytes],
    project: Project,
    stored: Callable[[int], Islands],
    data: Callable[[str], bytes],
    now: datetime | None = None,
) -> None:
    """Write a project file.

    Parameters
    ----------
    target : file
        Open for writing.
    project : Project
    stored : callable
        Gives for each state its islands, or what differs, as `ProjectFile.stored` does.
    data : callable
        Gives the bytes of a SHA-256.
    now : datetime, optional
        When it is written.

    Raises
    ------
    KeyError, OSError
        When bytes are not there.
    """
    records = msgspec.json.format(msgspec.json.encode(project), indent=1)
    contents = Contents(
        format=FORMAT, version=VERSION, written=now or datetime.now(UTC), project=project.settings.name,
        sha256=hashlib.sha256(records).hexdigest(),
    )  # fmt: skip
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, allowZip64=True) as archive:
        archive.writestr(CONTENTS, msgspec.json.format(msgspec.json.encode(contents), indent=1))
        archive.writestr(PROJECT, records)
        for number in range(len(project.states)):
            out = io.BytesIO()
            np.save(out, np.ascontiguousarray(stored(number)), allow_pickle=False)
            archive.writestr(f"states/{number}.npy", out.getvalue())
        for key in sorted(project.files()):
            archive.writestr(zipfile.ZipInfo(f"files/{key}"), data(key), zipfile.ZIP_STORED)


def settings_as(given: Any, place: str) -> Settings:
    """Settings of a project from plain values.

    Raises
    ------
    FileFormatError
    """
    try:
        return msgspec.convert(given, Settings)
    except msgspec.ValidationError as error:
        raise FileFormatError(f"{str(error)[:300]}.", place, AGAIN) from None


def _decoded(text: bytes, kind: Any, place: str) -> Any:
    try:
        return msgspec.json.decode(text, type=kind)
    except msgspec.MsgspecError as error:
        raise FileFormatError(
            f"It does not say what it should: {str(error)[:300]}.", place, AGAIN
        ) from None
    except (UnicodeDecodeError, RecursionError):
        raise FileFormatError("It cannot be read.", place, AGAIN) from None


def _check_entries(entries: list[zipfile.ZipInfo], name: str) -> None:
    """Refuse what would unpack to too much, before anything is unpacked."""
    if len(entries) > MOST_ENTRIES:
        raise FileFormatError(f"It holds {len(entries):,} entries.", name, f"At most {MOST_ENTRIES:,} are read.")  # fmt: skip
    if len({entry.filename for entry in entries}) < len(entries):
        raise FileFormatError("Two entries in it have the same name.", name, AGAIN)
    total = sum(entry.file_size for entry in entries)
    if total > MOST_BYTES:
        raise FileFormatError(
            f"It unpacks to {total / 1e9:,.0f} GB.", name, f"At most {MOST_BYTES / 1e9:,.0f} GB are read."
        )  # fmt: skip
    for entry in entries:
        folder, _, rest = entry.filename.partition("/")
        known = entry.filename in (CONTENTS, PROJECT) or (
            folder in ("states", "files") and rest and "/" not in rest and ".." not in rest
        )
        if not known or "\\" in entry.filename:
            raise FileFormatError(f"“{entry.filename[:80]}” in it is none of its entries.", name, AGAIN)  # fmt: skip
        too_dense = entry.file_size > SMALL and entry.file_size > MOST_RATIO * entry.compress_size
        if too_dense or (not rest and entry.file_size > MOST_JSON):
            raise FileFormatError(
                f"“{entry.filename[:80]}” in it unpacks to {entry.file_size / 1e6:,.0f} MB from "
                f"{entry.compress_size / 1e6:,.1f} MB.", name, "That is not read.",
            )  # fmt: skip


def _blocks(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, name: str) -> Iterator[bytes]:
    """An entry by and by: no more than it says of itself."""
    left = entry.file_size
    try:
        with archive.open(entry) as file:
            while block := file.read(BLOCK):
                left -= len(block)
                if left < 0:
                    raise FileFormatError("It holds more than it says.", f"{name}, {entry.filename}", AGAIN)  # fmt: skip
                yield block
    except (FileFormatError, MemoryError, GeneratorExit):
        raise
    except Exception:  # damaged offsets, streams and passwords end in many kinds of errors
        raise FileFormatError(
            "An entry of it cannot be read.", f"{name}, {entry.filename[:80]}", AGAIN
        ) from None
    if left:
        raise FileFormatError("It holds less than it says.", f"{name}, {entry.filename}", AGAIN)
