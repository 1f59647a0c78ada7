"""Backups of the whole installation, while people work.

A backup is an uncompressed-header ZIP (PKWARE APPNOTE 6.3) with rows.jsonl, one row of a table a line as Django's serializers have it
(so that it goes from one database engine to another), files/<SHA-256> with the stored bytes, and contents.json with the
counts and the SHA-256 of rows.jsonl. Rows are read in one snapshot; stored files never change, and what the snapshot refers to is
there until long after (`clean_projects.YOUNG`).
"""

from __future__ import annotations

import hashlib
import io
import json
import tempfile
import zipfile
from collections.abc import Callable, Iterable, Iterator
from datetime import date, datetime
from pathlib import Path
from typing import IO, Any, BinaryIO

from django.apps import apps
from django.core import serializers
from django.core.management.color import no_style
from django.db import connection, transaction
from django.db.models import Model
from django.utils import timezone

from studio import storage
from studio.actions.errors import Refused
from studio.models import FileReference

VERSION = 5
APPS_LEFT_OUT = ("sessions", "axes", "admin", "contenttypes")
LEFT_OUT = ("auth.permission", "studio.measurement", "studio.presence")
"""What is made again, or belongs to one installation only."""
Tell = Callable[[str], None]


def tables() -> list[type[Model]]:
    """All tables of a backup, those first that others refer to."""
    order = serializers.sort_dependencies([(app, None) for app in apps.get_app_configs()])
    return [
        model
        for model in order
        if model._meta.app_label not in APPS_LEFT_OUT
        and model._meta.label_lower not in LEFT_OUT
        and not model._meta.proxy
    ]


def back_up(target: IO[bytes], tell: Tell = lambda said: None) -> dict[str, Any]:
    """Write the whole installation into a file."""
    with tempfile.TemporaryFile() as rows:
        found = _write_rows(
            rows, ((model, model._base_manager.order_by("pk")) for model in tables())
        )
        tell(f"{sum(found['rows'].values()):,} rows")
        return _write_archive(target, rows, found, tell)


def _write_rows(out: IO[bytes], queries: Iterable[tuple[type[Model], Any]]) -> dict[str, Any]:
    """One row a line, in one snapshot of the database; the stored files that they refer to."""
    counts: dict[str, int] = {}
    keys: set[str] = set()
    with transaction.atomic():
        if connection.vendor == "postgresql":
            with connection.cursor() as cursor:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        for model, query in queries:
            label = model._meta.label_lower
            counts[label] = 0
            for row in query.iterator(chunk_size=500):
                # Django's own JSON cuts times to milliseconds.
                (value,) = serializers.serialize("python", [row])
                out.write(json.dumps(value, separators=(",", ":"), default=_text).encode() + b"\n")
                if isinstance(row, FileReference):
                    keys.add(row.sha256)
                counts[label] += 1
    return {"rows": counts, "keys": sorted(keys)}


def _text(value: Any) -> str:
    return value.isoformat() if isinstance(value, (datetime, date)) else str(value)


def _write_archive(
    target: IO[bytes], rows: BinaryIO, found: dict[str, Any], tell: Tell
) -> dict[str, Any]:
    rows.seek(0)
    digest = hashlib.file_digest(rows, "sha256").hexdigest()  # type: ignore[arg-type]
    rows.seek(0)
    missing: list[str] = []
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, allowZip64=True) as archive:
        with archive.open("rows.jsonl", "w", force_zip64=True) as out:
            while block := rows.read(1 << 20):
                out.write(block)
        for number, key in enumerate(found["keys"]):
            try:
                data = storage.get(key)
            except FileNotFoundError:
                missing.append(key)
                continue
            archive.writestr(zipfile.ZipInfo(f"files/{key}"), data, zipfile.ZIP_STORED)
            if number % 200 == 199:
                tell(f"{number + 1:,} of {len(found['keys']):,} files")
        contents = {
            "version": VERSION, "made": timezone.now().isoformat(), "rows": found["rows"],
            "files": len(found["keys"]) - len(missing), "missing": missing, "rows_sha256": digest,
        }  # fmt: skip
        archive.writestr("contents.json", json.dumps(contents, indent=1))
    return contents


def contents_of(archive: zipfile.ZipFile) -> dict[str, Any]:
    """What a backup says of itself.

    Raises
    ------
    Refused
        When it is none, or one of a version that is not known.
    """
    try:
        contents = json.loads(archive.read("contents.json"))
        version = contents["version"]
    except (KeyError, ValueError, zipfile.BadZipFile, TypeError):
        raise Refused("This is no backup.", "", "Give a file that “backup” has written.") from None
    if version != VERSION:
        raise Refused(
            f"The backup is of version {version}.",
            "",
            f"This program reads version {VERSION}: restore it with the program that wrote it, then bring that up to date.",
        )
    return dict(contents)


def verify(source: IO[bytes], tell: Tell = lambda said: None) -> dict[str, Any]:
    """Read a backup through: every file must have the SHA-256 of its name, the rows that of the contents.

    Raises
    ------
    Refused
        With the first thing that is wrong.
    """
    archive = opened(source)
    contents = contents_of(archive)
    digest = hashlib.sha256()
    lines = 0
    with archive.open("rows.jsonl") as rows:
        for line in rows:
            digest.update(line)
            lines += 1
    if digest.hexdigest() != contents["rows_sha256"] or lines != sum(contents["rows"].values()):
        raise Refused("The rows of the backup are damaged.", "rows.jsonl", "Take another backup.")
    files = [name for name in archive.namelist() if name.startswith("files/")]
    if len(files) != contents["files"]:
        raise Refused("Files are missing from the backup.", "files", "Take another backup.")
    for name in files:
        if hashlib.sha256(archive.read(name)).hexdigest() != name.removeprefix("files/"):
            raise Refused("A file of the backup is damaged.", name, "Take another backup.")
    tell(f"{lines:,} rows and {len(files):,} files are whole")
    return contents


def opened(source: IO[bytes]) -> zipfile.ZipFile:
    """A backup to read."""
    try:
        return zipfile.ZipFile(source)
    except zipfile.BadZipFile:
        raise Refused("This is no backup.", "", "Give a file that “backup” has written.") from None


def _rows_of(archive: zipfile.ZipFile) -> Iterator[dict[str, Any]]:
    """Rows of a backup, in their order."""
    with archive.open("rows.jsonl") as rows:
        for line in io.TextIOWrapper(rows, "utf-8"):
            yield json.loads(line)


def restore(source: IO[bytes], tell: Tell = lambda said: None) -> dict[str, Any]:
    """Put a backup into an empty installation, whole or not at all.

    Raises
    ------
    Refused
        When it is damaged, or the installation is not empty.
    """
    contents = verify(source, tell)
    archive = opened(source)
    full = next((m for m in tables() if m._base_manager.exists()), None)
    if full is not None:
        raise Refused(
            "This installation is not empty.", str(full._meta.verbose_name_plural),
            "Restore into a new one: another QUILT_DATA_DIR, or an empty database, after “migrate”.",
        )  # fmt: skip
    for name in archive.namelist():
        if name.startswith("files/"):
            storage.put(archive.read(name))
    tell(f"{contents['files']:,} files")
    with transaction.atomic(), connection.constraint_checks_disabled():
        _without_constraints()
        for row in _rows_of(archive):
            for found in serializers.deserialize("python", [row], ignorenonexistent=True):
                found.save()
        connection.check_constraints()
        for statement in connection.ops.sequence_reset_sql(no_style(), tables()):
            with connection.cursor() as cursor:
                cursor.execute(statement)
    tell(f"{sum(contents['rows'].values()):,} rows")
    return contents


def _without_constraints() -> None:
    """Rows that refer to one another in a ring come one after the other."""
    if connection.vendor == "postgresql":
        with connection.cursor() as cursor:
            cursor.execute("SET CONSTRAINTS ALL DEFERRED")


def write_to(path: Path, make: Callable[[IO[bytes]], dict[str, Any]]) -> dict[str, Any]:
    """Write a file that is there whole or not at all."""
    if path.exists():
        raise Refused("There is a file of this name.", str(path), "Give another name.")
    part = path.with_name(path.name + ".part")
    try:
        with part.open("wb") as out:
            made = make(out)
        part.replace(path)
    except OSError as error:
        raise Refused(
            f"It cannot be written: {error.strerror}.",
            str(path),
            "Make room, or choose another place.",
        ) from None
    finally:
        part.unlink(missing_ok=True)
    return made
