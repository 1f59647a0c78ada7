"""Look into uploaded files: zip archives are opened within strict bounds."""

from __future__ import annotations

import io
import struct
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from django.conf import settings

from studio.actions.errors import Refused

MAX_RATIO = 200
MAX_ENTRIES = 2000
Files = dict[str, bytes]


def clean_name(name: str) -> str:
    """A relative name without anything that leads out of its folder; empty for what must be
    ignored."""
    parts = [
        part
        for part in PurePosixPath(name.replace("\\", "/")).parts
        if part not in ("/", "..", ".")
    ]
    if not parts or parts[0] == "__MACOSX" or parts[-1].startswith("."):
        return ""
    return "/".join(parts)


def unpack(uploads: Iterable[tuple[str, bytes]]) -> Files:
    """All files of an upload by name; what would have the name of another one gets a folder of its
    own.

    Raises
    ------
    Refused
        For archives that are damaged, encrypted or would unpack to more than is allowed.
    """
    out: Files = {}
    budget = Budget()
    for name, data in uploads:
        if name.lower().endswith(".zip"):
            found = _open_zip(name, data, budget)
        elif clean_name(name):
            found = {clean_name(name): data}
        else:
            continue
        # Files of one archive belong together, so they move together.
        folder = free_folder(found, out, PurePosixPath(clean_name(name) or "files").stem)
        out.update({folder + path: body for path, body in found.items()})
    return out


def free_folder(names: Iterable[str], taken: Iterable[str], stem: str) -> str:
    """A folder (with its slash) in which no name meets one that is taken; empty where that needs
    none.

    Examples
    --------
    >>> free_folder(["a.obj"], ["b.obj"], "a"), free_folder(["a.obj"], ["a.obj"], "a")
    ('', 'a-2/')
    """
    known = {name.lower() for name in taken}
    mine = [name.lower() for name in names]
    folder, number = "", 1
    while any(folder.lower() + name in known for name in mine):
        number += 1
        folder = f"{stem}-{number}/"
    return folder


@dataclass
class Budget:
    """What one request may unpack to."""

    size: int = field(default_factory=lambda: settings.MAX_UNPACKED_BYTES)
    entries: int = MAX_ENTRIES


def _open_zip(name: str, data: bytes, budget: Budget) -> Files:
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        entries = [
            entry
            for entry in archive.infolist()
            if not entry.is_dir() and clean_name(entry.filename)
        ]
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError, struct.error, EOFError):
        raise Refused(
            "This is not a zip archive, or it is damaged.", name, "Make the archive again."
        ) from None
    total = sum(entry.file_size for entry in entries)
    if (
        len(entries) > budget.entries
        or total > budget.size
        or total > MAX_RATIO * max(len(data), 50_000)
    ):
        raise Refused(
            f"The archive unpacks to {len(entries):,} files with {total / 1e6:,.0f} MB from {len(data) / 1e6:,.1f} MB.",
            name,
            "That is not taken; send the mesh files themselves.",
        )
    budget.entries -= len(entries)
    out: Files = {}
    for entry in entries:
        try:
            with archive.open(entry) as file:
                # The sizes in an archive can lie: read no more than the entry says.
                body = file.read(entry.file_size + 1)
        except MemoryError:
            raise
        except Exception as error:  # damaged offsets, streams and names end in many kinds of errors
            raise Refused(
                f"“{entry.filename[:80]}” in it cannot be read ({type(error).__name__}).",
                name,
                "Make the archive again, without a password.",
            ) from None
        budget.size -= len(body)
        if budget.size < 0 or len(body) > entry.file_size:
            raise Refused("The archive holds more than it says.", name, "Make the archive again.")
        path = clean_name(entry.filename)
        out[free_folder([path], out, "again") + path] = body
    return out
