"""One project as a file, with its whole history: out of one installation, into another.

The file is that of a backup (see `studio.backup`) with the rows of one project and the files they refer to; contents.json says kind
"project". Rows bear the numbers of the installation that they come from; where they come in they get new ones, wherever they
are referred to. Jobs, people and what a line of the run sheet has made stay behind.
"""

from __future__ import annotations

import re
import tempfile
import uuid
from collections.abc import Callable
from typing import IO, Any

from django.core import serializers
from django.db import transaction
from django.db.models import ForeignKey, Model, QuerySet

from studio import storage
from studio.actions.access import EDITOR, own, require
from studio.actions.errors import Refused
from studio.actions.project.clean_projects import keys_in
from studio.backup import opened, rows_of, verify, write_archive, write_rows
from studio.models import (
    Atlas,
    BaseLayout,
    Change,
    GivenPicture,
    MeshObject,
    Note,
    Project,
    Recipe,
    Revision,
    RunLine,
    SavedProfile,
    SheetPicture,
    Source,
)

OF: dict[type[Model], str] = {
    Project: "pk", Change: "project", Source: "project", MeshObject: "project", BaseLayout: "object__project",
    Atlas: "project", Revision: "atlas__project", GivenPicture: "source__project", SheetPicture: "atlas__project",
    Recipe: "project", SavedProfile: "project", RunLine: "project", Note: "project",
}  # fmt: skip
"""Tables of a project in the order in which rows can be made, and how each leads to the project."""


def export_project(project: Project, target: IO[bytes]) -> dict[str, Any]:
    """Write a project with its history into a file."""
    queries: list[tuple[type[Model], QuerySet[Any]]] = [
        (model, model._base_manager.filter(**{path: project.pk}).order_by("pk"))
        for model, path in OF.items()
    ]
    with tempfile.TemporaryFile() as rows:
        found = write_rows(rows, queries)
        about = {"kind": "project", "name": project.name}
        return write_archive(target, rows, found, about, lambda said: None)


def import_project(source: IO[bytes]) -> Project:
    """Bring a project in from a file, as a new one: whole or not at all.

    Raises
    ------
    Refused
        When the file is damaged, or holds no project.
    """
    contents = verify(source)
    if contents["kind"] != "project":
        raise Refused("This is a whole installation.", "", "Put it back with “manage.py restore”.")
    archive = opened(source)
    for name in archive.namelist():
        if name.startswith("files/"):
            storage.put(archive.read(name))
    try:
        with transaction.atomic():
            reader = _Rows()
            project = reader.read(rows_of(archive))
            # Nobody comes to another's files by naming their hashes.
            brought = {name.removeprefix("files/") for name in archive.namelist()}
            foreign = [key for key in reader.keys - brought if storage.has(key)]
            if foreign or reader.keys - brought - set(contents["missing"]):
                raise Refused(
                    "Files are missing from it.",
                    foreign[0] if foreign else "files",
                    "Export it once more.",
                )
            return project
    except (KeyError, TypeError, ValueError, AttributeError, serializers.base.DeserializationError):
        raise Refused(
            "The rows of the file do not fit together.", "rows.jsonl", "Export it once more."
        ) from None


class _Rows:
    """Rows that come in: their old numbers and their new ones."""

    def __init__(self) -> None:
        self.new: dict[type[Model], dict[int, int]] = {model: {} for model in OF}
        self.later: list[tuple[type[Model], int, str, int]] = []
        self.folders: dict[str, str] = {}
        self.keys: set[str] = set()

    def read(self, rows: Any) -> Project:
        """Make them all; then let them refer to one another."""
        known = {model._meta.label_lower: model for model in OF}
        for row in rows:
            self._make(known[row["model"]], row)
        for model, pk, name, old in self.later:
            field = model._meta.get_field(name)
            model._base_manager.filter(pk=pk).update(
                **{name: self.new[field.related_model].get(old)}
            )
        (project_id,) = self.new[Project].values()
        for model, fix in FIXES.items():
            for made in model._base_manager.filter(pk__in=self.new[model].values()):
                fix(made, self.new)
                made.save()
        project = Project.objects.get(pk=project_id)
        own(project)
        return project

    def _make(self, model: type[Model], row: dict[str, Any]) -> None:
        fields, after = dict(row["fields"]), []
        for field in model._meta.concrete_fields:
            if not isinstance(field, ForeignKey) or fields.get(field.name) is None:
                continue
            old = fields[field.name]
            if field.related_model not in self.new:
                fields[field.name] = None  # people are others here
            elif field.null:
                fields[field.name] = None
                after.append((field.name, old))
            else:
                fields[field.name] = self.new[field.related_model][old]
        (made,) = serializers.deserialize(
            "python", [{"model": row["model"], "pk": None, "fields": fields}]
        )
        made.object.pk = None
        if isinstance(made.object, Source):
            # Files that came together see one another: under a name of their own here.
            old = made.object.folder
            made.object.folder = self.folders.setdefault(old, uuid.uuid4().hex)
        self.keys |= keys_in(made.object)
        made.save(force_insert=True)
        self.new[model][row["pk"]] = made.object.pk
        self.later += [(model, made.object.pk, name, old) for name, old in after]


New = dict[type[Model], dict[int, int]]


def _fix_project(project: Project, new: New) -> None:
    project.redo = [new[Change][step] for step in project.redo]


def _fix_change(change: Change, new: New) -> None:
    change.atlases = [[new[Atlas][a], new[Revision][r]] for a, r in change.atlases]
    change.touched = {_part(name, new): islands for name, islands in change.touched.items()}


def _part(name: str, new: New) -> str:
    """Name of a part with the new numbers of its atlas and its object."""
    found = re.fullmatch(r"atlas/(\d+)/(.*)", name)
    if not found:
        return name
    rest = re.sub(
        r"^member (\d+)$", lambda m: f"member {new[MeshObject].get(int(m[1]), 0)}", found[2]
    )
    return f"atlas/{new[Atlas].get(int(found[1]), 0)}/{rest}"


def _fix_revision(revision: Revision, new: New) -> None:
    if revision.members is not None:
        rows = []
        for row in revision.members:
            row = dict(row) if isinstance(row, dict) else list(row)
            at: tuple[Any, Any] = ("object", "base") if isinstance(row, dict) else (0, 1)
            row[at[0]], row[at[1]] = new[MeshObject][row[at[0]]], new[BaseLayout][row[at[1]]]
            rows.append(row)
        revision.members = rows
    if revision.verb == "put back" and "as" in revision.params:
        revision.params = {**revision.params, "as": new[Revision].get(revision.params["as"], 0)}


def _fix_line(line: RunLine, new: New) -> None:
    line.made = {}


FIXES: dict[type[Model], Callable[[Any, New], None]] = {
    Project: _fix_project, Change: _fix_change, Revision: _fix_revision, RunLine: _fix_line,
}  # fmt: skip
"""Numbers that stand within values."""


def may_export(project: Project) -> None:
    """Whoever may change a project may take a copy of it along."""
    require(project.pk, EDITOR)
