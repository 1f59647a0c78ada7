"""Bytes by their SHA-256, in Django's default storage."""

from __future__ import annotations

import hashlib
import os
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from django.core.files.base import ContentFile
from django.core.files.storage import FileSystemStorage, default_storage

RENEWED = 1800.0
"""Seconds after which a file that is stored once more is written anew, where its time cannot be set."""


class Key(str):
    """What bytes are stored under: their SHA-256."""

    __slots__ = ()


def _path(key: str) -> str:
    return f"{key[:2]}/{key}"


def put(data: bytes) -> Key:
    """Store bytes; equal bytes are stored once. Returns their key."""
    key = Key(hashlib.sha256(data).hexdigest())
    if not _freshened(_path(key)):
        write_whole(_path(key), data)
    return key


def _freshened(name: str) -> bool:
    """Whether a file is there already; it counts as new then, so that nobody clears it as left
    over."""
    if not isinstance(default_storage, FileSystemStorage):
        # There the time of a file is that of its writing: an old one is written again.
        return default_storage.exists(name) and age_of(name) < RENEWED
    try:
        os.utime(default_storage.path(name))
    except FileNotFoundError:
        return False
    return True


def listed() -> Iterator[tuple[str, float]]:
    """Names of all that is stored, and their ages in seconds."""
    if isinstance(default_storage, FileSystemStorage):
        root, now = Path(default_storage.location), time.time()
        for path in root.rglob("*") if root.is_dir() else ():
            try:
                if path.is_file():
                    yield str(path.relative_to(root)), now - path.stat().st_mtime
            except OSError:
                continue
    elif hasattr(default_storage, "bucket"):
        for row in default_storage.bucket.objects.all():
            yield row.key, time.time() - row.last_modified.timestamp()


def age_of(name: str) -> float:
    """Seconds since a file was stored; none for one that is gone."""
    try:
        return time.time() - default_storage.get_modified_time(name).timestamp()
    except (FileNotFoundError, OSError):
        return 0.0


def has(key: str) -> bool:
    """Whether bytes of a key are stored."""
    return bool(default_storage.exists(_path(key)))


def remove(name: str) -> None:
    """Remove a file by its name."""
    default_storage.delete(name)


def get(key: str) -> bytes:
    """Bytes of a key."""
    with default_storage.open(_path(key)) as file:
        return bytes(file.read())


def write_whole(name: str, data: bytes) -> None:
    """Write a file that is there whole or not at all: into a temporary file, synced, renamed."""
    if not isinstance(default_storage, FileSystemStorage):
        default_storage.save(name, ContentFile(data))
        return
    path = Path(default_storage.path(name))
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=".new-")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        Path(temporary).replace(path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise
