"""Watch a folder of this machine: newer versions of a project's files are brought in by themselves."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from studio.actions.errors import Refused
from studio.models import Project, Source, WatchedFolder

SETTLED = 1.5
"""Seconds for which a file must not have changed: whoever writes it has ended."""
MOST_FILES = 500
"""Files that are watched at most."""


def watch(project: Project, path: str, run_lines: bool) -> WatchedFolder:
    """Watch a folder; what differs from the project's files there is brought in at the next look.

    Raises
    ------
    Refused
        When folders may not be watched here, or it is none.
    """
    folder = _allowed(path)
    row, _ = WatchedFolder.objects.update_or_create(
        project=project, defaults={"path": str(folder), "run_lines": run_lines, "seen": {}}
    )
    seen = {}
    for source in watched_sources(project):
        found = file_of_source(folder, source)
        if found is not None and _same(found, source):
            seen[str(source.pk)] = stamps_of(folder, source)
    row.seen = seen
    row.save(update_fields=["seen"])
    return row


def _allowed(path: str) -> Path:
    roots = settings.WATCH_ROOTS
    if (settings.DEMAND_TOKEN or settings.ACCOUNTS) and not roots:
        raise Refused(
            "Folders of a server that others reach are not watched.", path,
            "Set QUILT_WATCH_ROOTS to the folders that may be, or bring newer files in by hand.",
        )  # fmt: skip
    folder = Path(path).expanduser()
    if not folder.is_absolute() or not folder.is_dir():
        raise Refused("There is no such folder.", path, "Give its whole path on this machine.")
    folder = folder.resolve()
    if roots and not any(folder.is_relative_to(Path(root).resolve()) for root in roots):
        raise Refused(
            "This folder may not be watched.", path, f"Choose one within {', '.join(roots)}."
        )
    return folder


def brought(old: int, new: int) -> None:
    """A newer version has taken the place of a file: it is watched in its stead."""
    for row in WatchedFolder.objects.select_for_update():
        if str(old) in row.seen:
            row.seen[str(new)] = row.seen.pop(str(old))
            row.save(update_fields=["seen"])


def files_in(folder: str, source: Source) -> dict[str, bytes]:
    """The newer version of a file, and the files beside it that it reads or that came with the older one."""
    from quilt_core.formats.load import folder_siblings
    from quilt_core.run.contents import contents_of

    found = file_of_source(Path(folder), source)
    if found is None:
        raise Refused("The file is not there any more.", source.name, "Put it back.")
    root = found.parent
    out = {found.name: found.read_bytes()}
    siblings = folder_siblings(root)
    known = contents_of(found.name, out[found.name], siblings).siblings
    for name in known:
        data = siblings(name)
        if data is not None:
            out[name] = data
    return out


def watched_sources(project: Project) -> list[Source]:
    return list(project.sources.filter(is_mesh=True, replaced=None)[:MOST_FILES])


def file_of_source(folder: Path, source: Source) -> Path | None:
    """The file of a source in a folder, by its whole name or its last part."""
    for name in (source.name, Path(source.name).name):
        found = folder / name
        if found.is_file() and found.resolve().is_relative_to(folder):
            return found
    return None


def _same(path: Path, source: Source) -> bool:
    import hashlib

    if path.stat().st_size != source.size:
        return False
    return hashlib.sha256(path.read_bytes()).hexdigest() == source.sha256


def stamps_of(folder: Path, source: Source) -> dict[str, list[float]]:
    """When the file and those that came with it were written last, and their sizes."""
    found = file_of_source(folder, source)
    names = set(
        Source.objects.filter(folder=source.folder, is_mesh=False).values_list("name", flat=True)
    )
    paths = [found, *(folder / name for name in sorted(names))]
    out = {}
    for path in paths:
        if path is not None and path.is_file():
            facts = path.stat()
            out[path.name] = [facts.st_mtime, facts.st_size]
    return out
