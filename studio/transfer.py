"""One project as a file, with its whole history: out of one installation, into another.

What stands in the file is the core's to say (`quilt_core.document.project`, docs/project-file.md). Jobs, people and what a line of the
run sheet has made stay behind.
"""

from __future__ import annotations

import uuid
import zlib
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import IO, Any, TypeVar

import msgspec
import numpy as np
from django.db import connection, models, transaction

from quilt_core.document.islands import CHANGED_ISLAND, ISLAND
from quilt_core.document.project import records as r
from quilt_core.document.project.file import settings_as, write_project
from quilt_core.document.state import TileRow
from quilt_core.errors import QuiltError
from quilt_core.operations.project import read_project
from studio import storage
from studio.actions.access import EDITOR, own, require
from studio.actions.errors import Refused
from studio.actions.history.parts import of_member, touched_of, within
from studio.actions.operate import FIGURES
from studio.models import (
    Atlas,
    BaseLayout,
    Change,
    GivenTexture,
    MeshObject,
    Note,
    Preset,
    Project,
    Revision,
    RunLine,
    SavedProfile,
    Source,
    TileImage,
)
from studio.state import SAME_AS, members_of

Places = dict[int | None, int | None]
Row = TypeVar("Row", bound=models.Model)
Known = TypeVar("Known")


def may_export(project: Project) -> None:
    """Whoever may change a project may take a copy of it along."""
    require(project.pk, EDITOR)


def export_project(project: Project, target: IO[bytes]) -> None:
    """Write a project with its history into a file; it is read in one snapshot of the database.

    Raises
    ------
    Refused
        When a file of it is gone from the storage.
    """
    with transaction.atomic():
        if connection.vendor == "postgresql":
            with connection.cursor() as cursor:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        rows = ProjectRows(Project.objects.select_related("head").get(pk=project.pk))
        record = rows.record()
        islands = [row.pk for row in rows.revisions]

        def stored(state: int) -> Any:
            data = Revision.objects.values_list("state", flat=True).get(pk=islands[state])
            kind = ISLAND if record.states[state].whole else CHANGED_ISLAND
            return np.frombuffer(zlib.decompress(bytes(data)), kind)

        def data(key: str) -> bytes:
            try:
                return storage.get(key)
            except FileNotFoundError:
                raise Refused(
                    "A file of the project is gone from the storage.", record.files()[key],
                    "Put it back from a backup.",
                ) from None  # fmt: skip

        write_project(target, record, stored, data)


class ProjectRows:
    """Rows of a project, in the order in which they can be made again."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self.changes = list(project.changes.order_by("pk"))
        self.sources = list(project.sources.order_by("pk"))
        self.objects = list(MeshObject.objects.filter(project=project).order_by("pk"))
        self.bases = list(BaseLayout.objects.filter(object__project=project).order_by("pk"))
        self.atlases = list(project.atlases.order_by("pk"))
        states = Revision.objects.filter(atlas__project=project).defer("state")
        self.revisions = list(states.select_related("keyframe").order_by("pk"))
        self.notes = list(project.notes.order_by("pk"))
        self.change, self.source = _places(self.changes), _places(self.sources)
        self.object, self.base = _places(self.objects), _places(self.bases)
        self.atlas, self.state = _places(self.atlases), _places(self.revisions)
        self.note = _places(self.notes)

    def record(self) -> r.Project:
        """As a project file has it."""
        project = self.project
        groups = {name: n for n, name in enumerate(dict.fromkeys(s.folder for s in self.sources))}
        given = GivenTexture.objects.filter(source__project=project).order_by("pk")
        return r.Project(
            head=_sure(self.change[project.head_id]),
            redo=[_sure(self.change[pk]) for pk in project.redo],
            changes=[self._change(row) for row in self.changes],
            sources=[self._source(row, groups) for row in self.sources],
            textures=[
                r.GivenTexture(
                    source=_sure(self.source[row.source_id]), name=row.name, sha256=row.sha256 or None,
                    material=row.material, role=row.role, channel=row.channel, number=row.number,
                    tiles=tuple(row.tiles) or None,
                )
                for row in given
            ],
            objects=[
                r.MeshObject(
                    source=_sure(self.source[row.source_id]), number=row.number, name=row.name, parent=row.parent,
                    instances=[r.Instance(name=name, matrix=matrix) for name, matrix in row.instances],
                    channels=[name or "" for name in row.channels], faces=row.faces, size=row.size,
                    colour=row.colour_number,
                )
                for row in self.objects
            ],
            bases=[self._base(row) for row in self.bases],
            atlases=[self._atlas(row) for row in self.atlases],
            states=[self._state(row) for row in self.revisions],
            presets=[r.Preset(name=row.name, settings=row.settings) for row in project.presets.order_by("pk")],
            profiles=[r.Profile(name=row.name, what=row.what) for row in project.profiles.order_by("pk")],
            lines=[
                r.RunLine(
                    atlases=[_sure(self.atlas[pk]) for pk in row.atlases.order_by("pk").values_list("pk", flat=True)],
                    objects=row.objects_named, channel=row.channel, name=row.name, hold=row.hold,
                    steps=[r.Step(do=step["do"], settings=step["settings"]) for step in row.steps],
                )
                for row in project.run_lines.order_by("pk")
            ],
            notes=[self._note(row) for row in self.notes],
        )  # fmt: skip

    def _change(self, row: Change) -> r.Change:
        touched = []
        for name, islands in row.touched.items():
            atlas, what, member = touched_of(name)
            obj = self.object.get(member)
            touched.append(r.Touched(atlas=self.atlas.get(atlas), what=what, object=obj, islands=islands))  # fmt: skip
        return r.Change(
            parent=self.change[row.parent_id], verb=row.verb, what=row.what, author=row.author, label=row.label,
            settings=settings_as(row.settings, f"change {row.pk}"),
            atlases=[(_sure(self.atlas[a]), _sure(self.state[s])) for a, s in row.atlases],
            touched=touched, made=row.created,
        )  # fmt: skip

    def _source(self, row: Source, groups: dict[str, int]) -> r.Source:
        return r.Source(
            name=row.name, sha256=row.sha256, size=row.size, mesh=row.is_mesh, unit=row.metres_per_unit,
            uv_tolerance=row.uv_tolerance, group=groups[row.folder], warnings=row.warnings,
            gathered=self.change[row.gathered_id], replaced=self.change[row.replaced_id],
        )  # fmt: skip

    def _base(self, row: BaseLayout) -> r.BaseLayout:
        return r.BaseLayout(
            object=_sure(self.object[row.object_id]), channel=row.channel, made=row.verb, parent=self.base[row.parent_id],
            arrays=row.geometry, islands=row.islands, unflattened=row.unflattened, useless=row.useless,
            proportion=row.proportion, suggested=row.suggested, weld=row.weld, copied_from=self.object[row.copied_from_id],
        )  # fmt: skip

    def _atlas(self, row: Atlas) -> r.Atlas:
        images = [
            r.TileImage(
                purpose=one.purpose, tile=one.tile, name=one.name, sha256=one.sha256, opacity=one.opacity, repeats=one.repeats,
                metres=one.metres,
            )
            for one in row.tile_images.order_by("pk")
        ]  # fmt: skip
        return r.Atlas(state=self.state[row.head_id], images=images)

    def _state(self, row: Revision) -> r.State:
        params = with_objects(row.params, self.object)
        same_as = self.state.get(params.pop(SAME_AS, None))
        return r.State(
            atlas=_sure(self.atlas[row.atlas_id]), parent=self.state[row.parent_id], whole=row.keyframe_id is None,
            name=row.name, tiles=[_tile(TileRow(*tile)) for tile in row.tiles],
            members=[
                r.Member(
                    object=_sure(self.object[m.object]), base=_sure(self.base[m.base]), islands=m.islands, target=m.target,
                    weight=m.weight, proportion=m.proportion, part=None if m.part is None else list(m.part),
                )
                for m in members_of(row)
            ],
            padding=row.padding, margin=row.margin, verb=row.verb, params=params, same_as=same_as, draft=row.draft,
            seconds=row.seconds, tidy_cost=row.tidy_cost, limit=_known(row.limit, r.Limit), summary=_known(row.summary, r.Summary), made=row.created,
        )  # fmt: skip

    def _note(self, row: Note) -> r.Note:
        return r.Note(
            kind=row.kind, atlas=self.atlas[row.atlas_id], object=self.object[row.object_id], island=row.island,
            finding=row.finding, answers=self.note[row.answers_id], text=row.text, author=row.author,
            made=row.created, closed=row.closed,
        )  # fmt: skip


def with_objects(
    params: dict[str, Any], objects: Mapping[int | None, int | None]
) -> dict[str, Any]:
    """Settings of a state whose figures tell of objects by other numbers."""
    figures = params.get(FIGURES)
    if not isinstance(figures, list):
        return dict(params)
    rows = [{**row, "id": objects.get(row["id"])} if isinstance(row, dict) and "id" in row else row for row in figures]  # fmt: skip
    return {**params, FIGURES: rows}


def _places(rows: Iterable[Any]) -> Places:
    return {None: None, **{row.pk: place for place, row in enumerate(rows)}}


def _known(value: Any, kind: type[Known]) -> Known | None:
    """What is kept as plain values, as a record; nothing where it is none (any more)."""
    try:
        return msgspec.convert(value, kind) if value else None
    except msgspec.ValidationError:
        return None


def _sure(place: int | None) -> int:
    assert place is not None
    return place


def _tile(row: TileRow) -> r.Tile:
    return r.Tile(number=row.number, width=row.width, height=row.height, label=row.label, frozen=row.frozen)  # fmt: skip


def import_project(source: IO[bytes], name: str = "project file") -> Project:
    """Bring a project in from a file, as a new one: whole or not at all.

    Raises
    ------
    Refused
        When it is damaged, or holds no project.
    """
    try:
        file = read_project(source, name)
    except QuiltError as error:
        raise Refused(error.what, error.where, error.fix) from None
    for key in file.files:
        storage.put(file.data(key))
    return made_project(file.project, file.stored)


@transaction.atomic
def made_project(
    record: r.Project, stored: Callable[[int], Any], author: str | None = None
) -> Project:
    """A new project of records that fit together, whose files are stored.

    Parameters
    ----------
    record : Project
    stored : callable
        Gives for each state its islands, or what differs, as `ProjectFile.stored` does.
    author : str, optional
        Of all steps, instead of those that the records name.
    """
    made = _Making(record, stored).project
    if author is not None:
        made.changes.update(author=author)
    return made


class _Making:
    """Rows of a project that was checked."""

    def __init__(self, record: r.Project, stored: Callable[[int], Any]) -> None:
        self.record, self.stored = record, stored
        self.project = Project.objects.create()
        own(self.project)
        changes = [self._change(row) for row in record.changes]
        _point(changes, "parent", [row.parent for row in record.changes])
        self.changes = changes
        folders = {row.group: uuid.uuid4().hex for row in record.sources}
        self.sources = [self._source(row, folders[row.group]) for row in record.sources]
        for texture in record.textures:
            GivenTexture.objects.create(
                source=self.sources[texture.source], name=texture.name, sha256=texture.sha256 or "",
                material=texture.material, role=texture.role, channel=texture.channel, number=texture.number,
                tiles=list(texture.tiles or ()),
            )  # fmt: skip
        self.objects = [self._object(row) for row in record.objects]
        self.bases: list[BaseLayout] = []
        for base in record.bases:
            self.bases.append(self._base(base))
        self.atlases = [self._atlas(row) for row in record.atlases]
        self.states: list[Revision] = []
        for number, state in enumerate(record.states):
            self.states.append(self._state(number, state))
        self._refer()
        self._beside()

    def _change(self, row: r.Change) -> Change:
        return Change.objects.create(
            project=self.project, verb=row.verb, what=row.what, author=row.author, label=row.label,
            settings=msgspec.to_builtins(row.settings), atlases=[], touched={}, created=row.made,
        )  # fmt: skip

    def _source(self, row: r.Source, folder: str) -> Source:
        return Source.objects.create(
            project=self.project, name=row.name, sha256=row.sha256, size=row.size, is_mesh=row.mesh,
            metres_per_unit=row.unit, uv_tolerance=row.uv_tolerance, folder=folder, warnings=row.warnings,
            gathered=_at(self.changes, row.gathered), replaced=_at(self.changes, row.replaced),
        )  # fmt: skip

    def _object(self, row: r.MeshObject) -> MeshObject:
        return MeshObject.objects.create(
            project=self.project, source=self.sources[row.source], number=row.number, name=row.name, parent=row.parent,
            instances=[[one.name, one.matrix] for one in row.instances], channels=row.channels, faces=row.faces, size=row.size,
            colour=row.colour,
        )  # fmt: skip

    def _base(self, row: r.BaseLayout) -> BaseLayout:
        return BaseLayout.objects.create(
            object=self.objects[row.object], channel=row.channel, verb=row.made, parent=_at(self.bases, row.parent),
            geometry=row.arrays, islands=row.islands, unflattened=row.unflattened, useless=row.useless,
            proportion=row.proportion, suggested=row.suggested, weld=row.weld, copied_from=_at(self.objects, row.copied_from),
        )  # fmt: skip

    def _atlas(self, row: r.Atlas) -> Atlas:
        atlas = Atlas.objects.create(project=self.project)
        for image in row.images:
            TileImage.objects.create(
                atlas=atlas, purpose=image.purpose, tile=image.tile, name=image.name, sha256=image.sha256,
                opacity=image.opacity, repeats=image.repeats, metres=image.metres,
            )  # fmt: skip
        return atlas

    def _state(self, number: int, row: r.State) -> Revision:
        parent = _at(self.states, row.parent)
        stored = np.ascontiguousarray(self.stored(number)).tobytes()
        members = [self._member(member) for member in row.members]
        keyframe, depth, changed = None, 0, 0
        if not row.whole:
            assert parent is not None
            keyframe, depth = parent.keyframe or parent, parent.depth + 1
            changed = parent.stored + len(stored) // CHANGED_ISLAND.itemsize
        return Revision.objects.create(
            atlas=self.atlases[row.atlas], parent=parent, keyframe=keyframe, name=row.name,
            members=members if keyframe is None or members != keyframe.members else None,
            tiles=[TileRow(t.number, t.width, t.height, t.label, t.frozen).row() for t in row.tiles],
            state=zlib.compress(stored, 6), depth=depth, stored=changed, padding=row.padding, margin=row.margin,
            verb=row.verb, params=with_objects(row.params, {n: obj.pk for n, obj in enumerate(self.objects)}), draft=row.draft, seconds=row.seconds, tidy_cost=row.tidy_cost,
            limit=msgspec.to_builtins(row.limit), summary=msgspec.to_builtins(row.summary), created=row.made,
        )  # fmt: skip

    def _member(self, row: r.Member) -> dict[str, Any]:
        out: dict[str, Any] = {
            "object": self.objects[row.object].pk, "base": self.bases[row.base].pk, "islands": row.islands,
            "target": row.target, "weight": row.weight, "proportion": row.proportion,
        }  # fmt: skip
        if row.part is not None:
            out |= {"part": row.part, "whole": self.record.bases[row.base].islands}
        return out

    def _refer(self) -> None:
        """What refers to states, now that these are there."""
        record = self.record
        for change, row in zip(self.changes, record.changes, strict=True):
            change.atlases = [[self.atlases[a].pk, self.states[s].pk] for a, s in row.atlases]
            change.touched = {self._part(part): part.islands for part in row.touched}
            change.save(update_fields=["atlases", "touched"])
        for atlas, at in zip(self.atlases, record.atlases, strict=True):
            atlas.head = _at(self.states, at.state)
            atlas.save(update_fields=["head"])
        for revision, state in zip(self.states, record.states, strict=True):
            if state.same_as is not None:
                revision.params = {**revision.params, SAME_AS: self.states[state.same_as].pk}
                revision.save(update_fields=["params"])
        self.project.head = self.changes[record.head]
        self.project.redo = [self.changes[n].pk for n in record.redo]
        self.project.save(update_fields=["head", "redo"])

    def _part(self, part: r.Touched) -> str:
        if part.atlas is None:
            return f"settings/{part.what}"
        what = part.what if part.object is None else of_member(self.objects[part.object].pk)
        return within(self.atlases[part.atlas].pk, what)

    def _beside(self) -> None:
        """What stands beside the history."""
        record, project = self.record, self.project
        for preset in record.presets:
            Preset.objects.create(project=project, name=preset.name, settings=preset.settings)
        for profile in record.profiles:
            SavedProfile.objects.create(project=project, name=profile.name, what=profile.what)
        for line in record.lines:
            steps = [{"do": step.do, "settings": step.settings} for step in line.steps]
            made_line = RunLine.objects.create(
                project=project, name=line.name, steps=steps, hold=line.hold, objects_named=line.objects, channel=line.channel
            )  # fmt: skip
            made_line.atlases.set([self.atlases[n] for n in line.atlases])
        notes: list[Note] = []
        for note in record.notes:
            made = Note.objects.create(
                project=project, kind=note.kind, atlas=_at(self.atlases, note.atlas), object=_at(self.objects, note.object),
                island=note.island, finding=note.finding, answers=_at(notes, note.answers), text=note.text,
                author=note.author, created=note.made, closed=note.closed,
            )  # fmt: skip
            notes.append(made)


def _at(rows: Sequence[Row], place: int | None) -> Row | None:
    return None if place is None else rows[place]


def _point(rows: list[Change], name: str, places: list[int | None]) -> None:
    for row, place in zip(rows, places, strict=True):
        if place is not None:
            setattr(row, name, rows[place])
            row.save(update_fields=[name])
