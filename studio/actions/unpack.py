"""Look into uploaded files: zip archives are opened within strict bounds."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterable
from pathlib import PurePosixPath

from django.conf import settings

from studio.actions.errors import Refused

MAX_RATIO = 200
MAX_ENTRIES = 2000
Files = dict[str, bytes]


def clean_name(name: str) -> str:
    """A relative name without anything that leads out of its folder; empty for what must be ignored."""
    parts = [part for part in PurePosixPath(name.replace("\\", "/")).parts if part not in ("/", "..", ".")]
    if not parts or parts[0] == "__MACOSX" or parts[-1].startswith("."):
        return ""
    return "/".join(parts)


def unpack(uploads: Iterable[tuple[str, bytes]]) -> Files:
    """All files of an upload by name.

    Raises
    ------
    Refused
        For archives that are damaged, encrypted or would unpack to more than is allowed.
    """
    out: Files = {}
    for name, data in uploads:
        if name.lower().endswith(".zip"):
            out.update(_open_zip(name, data))
        elif clean_name(name):
            out[clean_name(name)] = data
    return out


def _open_zip(name: str, data: bytes) -> Files:
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        entries = [entry for entry in archive.infolist() if not entry.is_dir() and clean_name(entry.filename)]
    except zipfile.BadZipFile:
        raise Refused(
            "This is not a zip archive, or it is damaged.", name, "Make the archive again."
        ) from None
    total = sum(entry.file_size for entry in entries)
    if (
        len(entries) > MAX_ENTRIES
        or total > settings.MAX_UNPACKED_BYTES
        or total > MAX_RATIO * max(len(data), 50_000)
    ):
        raise Refused(
            f"The archive unpacks to {len(entries):,} files with {total / 1e6:,.0f} MB from {len(data) / 1e6:,.1f} MB.",
            name,
            "That is not taken; send the mesh files themselves.",
        )
    out: Files = {}
    budget = settings.MAX_UNPACKED_BYTES
    for entry in entries:
        try:
            with archive.open(entry) as file:
                # The sizes in an archive can lie: read no more than the entry says.
                body = file.read(entry.file_size + 1)
        except (RuntimeError, zipfile.BadZipFile, NotImplementedError, EOFError, OSError):
            raise Refused(
                f"“{entry.filename}” in it cannot be read.",
                name,
                "Make the archive again, without a password.",
            ) from None
        budget -= len(body)
        if budget < 0 or len(body) > entry.file_size:
            raise Refused("The archive holds more than it says.", name, "Make the archive again.")
        out[clean_name(entry.filename)] = body
    return out
