"""Watch a folder of this machine: newer versions of a project's files are brought in by themselves."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction

from quilt_core.errors import QuiltError
from quilt_core.run.standing import STALE
from studio.actions.errors import Refused
from studio.actions.run.facts import surveyed
from studio.models import Job, Project, Revision, RunLine, Source, WatchedFolder
from studio.state import members_of

SETTLED = 1.5
"""Seconds for which a file must not have changed: whoever writes it has ended."""
MOST = 500
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
    for source in _sources(project):
        found = _file_of(folder, source)
        if found is not None and _same(found, source):
            seen[str(source.pk)] = _stamps(folder, source)
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


def look(row: WatchedFolder) -> dict[str, Any]:
    """Look into the folder, and start what is to be done: at most one job of an atlas at a time.

    Returns the state for the screen: how many files are watched, which wait, what was started, and what is wrong.
    """
    from studio.jobs.run import claim

    folder = Path(row.path)
    if not folder.is_dir():
        return {"watched": 0, "waiting": [], "started": "", "wrong": "The folder is not there."}
    busy = set(
        Job.objects.filter(project=row.project, state__in=(Job.QUEUED, Job.RUNNING))
        .exclude(kind__in=("measure", "explain"))
        .values_list("atlas_id", flat=True)
    )
    watched, waiting, started = 0, [], ""
    homes = _homes(row.project)
    for source in _sources(row.project):
        if _file_of(folder, source) is None:
            continue
        watched += 1
        now = _stamps(folder, source)
        if row.seen.get(str(source.pk)) == now:
            continue
        waiting.append(source.name)
        atlas = homes.get(source.pk)
        fresh = time.time() - max(stamp[0] for stamp in now.values()) < SETTLED
        if started or atlas is None or atlas in busy or fresh:
            continue
        # Known from now on, also where it cannot be read: it is tried again once it changes.
        _know(row, source.pk, now)
        try:
            claim("update", atlas, {"source": source.pk, "folder": str(folder)})
        except QuiltError as error:
            _know(row, source.pk, None)
            return {"watched": watched, "waiting": waiting, "started": "", "wrong": str(error)}
        started = source.name
    if not waiting and not busy and row.run_lines:
        started = _run_next(row.project)
    return {"watched": watched, "waiting": waiting, "started": started, "wrong": ""}


@transaction.atomic
def _know(row: WatchedFolder, source: int, stamps: dict[str, list[float]] | None) -> None:
    """Keep what is known of a file, beside what others keep meanwhile."""
    now = WatchedFolder.objects.select_for_update().get(pk=row.pk)
    now.seen.pop(str(source), None)
    if stamps is not None:
        now.seen[str(source)] = stamps
    now.save(update_fields=["seen"])
    row.seen = now.seen


def _run_next(project: Project) -> str:
    """Start the first line that is out of date; a line that failed waits until something changes."""
    from studio.jobs.run import run_line

    for line, told in surveyed(RunLine.objects.filter(project=project)):
        if told.state == STALE and line.made_from:
            run_line(line)
            return f"line “{line.name}”"
    return ""


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

    found = _file_of(Path(folder), source)
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


def _sources(project: Project) -> list[Source]:
    return list(project.sources.filter(is_mesh=True, replaced=None)[:MOST])


def _file_of(folder: Path, source: Source) -> Path | None:
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


def _stamps(folder: Path, source: Source) -> dict[str, list[float]]:
    """When the file and those that came with it were written last, and their sizes."""
    found = _file_of(folder, source)
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


def _homes(project: Project) -> dict[int, int]:
    """The first atlas in which objects of each source lie."""
    owner = dict(project.mesh_objects.values_list("pk", "source_id"))
    out: dict[int, int] = {}
    assert project.head is not None
    revisions = Revision.objects.select_related("keyframe").in_bulk(
        [revision for _, revision in project.head.atlases]
    )
    for atlas, revision in project.head.atlases:
        for member in members_of(revisions[revision]):
            out.setdefault(owner[member.object], atlas)
    return out
