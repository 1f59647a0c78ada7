"""Bytes by their SHA-256, in Django's default storage."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path

from django.core.files.base import ContentFile
from django.core.files.storage import FileSystemStorage, default_storage


def _path(key: str) -> str:
    return f"{key[:2]}/{key}"


def put(data: bytes) -> str:
    """Store bytes; equal bytes are stored once. Returns their key."""
    key = hashlib.sha256(data).hexdigest()
    if not _freshened(_path(key)):
        write_whole(_path(key), data)
    return key


def _freshened(name: str) -> bool:
    """Whether a file is there already; it counts as new then, so that nobody clears it as left
    over."""
    if not isinstance(default_storage, FileSystemStorage):
        return default_storage.exists(name)
    try:
        os.utime(default_storage.path(name))
    except FileNotFoundError:
        return False
    return True


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
