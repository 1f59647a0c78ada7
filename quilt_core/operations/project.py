"""A project file as a document: the artist's layouts with the artist's locks, stacks, weights and rules."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import IO

from quilt_core.check.rules import Rules, make_rules
from quilt_core.document.base import Base, base_arrays, islands_from, surface_from
from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, Made
from quilt_core.document.project.checks import check_project
from quilt_core.document.project.file import AGAIN, ProjectFile, open_project
from quilt_core.document.project.present import present_objects
from quilt_core.document.project.records import BaseLayout, Member, MeshObject, Source
from quilt_core.document.state import MemberRow, State, TileRow
from quilt_core.errors import FileFormatError, LayoutError, QuiltError
from quilt_core.formats import read_scene
from quilt_core.formats.load import siblings_in
from quilt_core.formats.numbered import ALONE
from quilt_core.formats.texture_changes import TextureChange
from quilt_core.operations.bake import DISTANCE
from quilt_core.operations.operation import Progress
from quilt_core.operations.pack_settings import Pack
from quilt_core.operations.steps import checked_steps
from quilt_core.options import settings_from
from quilt_core.scene.model import Scene, Siblings
from quilt_core.textures.profile import profile_from

PAINTED = "reach"
"""Purpose of images over tiles that are painted distances of rays."""


def read_project(source: IO[bytes], name: str, progress: Progress | None = None) -> ProjectFile:
    """Open a project file, and look at all of it.

    Parameters
    ----------
    source : file
        Open for reading, and seekable.
    name : str
        What to call it in errors.
    progress : Progress, optional

    Raises
    ------
    FileFormatError
        With the first thing that is wrong.
    """
    file = open_project(source, name)
    check_project(file)
    project = file.project
    try:
        for change in project.changes:
            make_rules(change.settings.rules, "rules", Rules())
        for preset in project.presets:
            settings_from(Pack, preset.settings)
        for profile in project.profiles:
            profile_from(profile.what, profile.name)
        for line in project.lines:
            checked_steps([{"do": step.do, "settings": step.settings} for step in line.steps])
    except QuiltError as error:
        raise FileFormatError(error.what, f"{name}, {error.where}", error.fix) from None
    for key, row in enumerate(project.sources):
        if row.mesh:
            if progress is not None:
                progress.report(key / len(project.sources), f"reading {row.name}")
                progress.check()
            _check_mesh(file, key)
    return file


def _check_mesh(file: ProjectFile, key: int) -> None:
    """Objects and base layouts of a mesh file must be those of its objects."""
    project = file.project
    scene = StoredSource(file, key).scene()
    place = f"{file.name}, {project.sources[key].name}"
    mine = {n: obj for n, obj in enumerate(project.objects) if obj.source == key}
    for obj in mine.values():
        if obj.number >= len(scene.objects) or obj.faces != scene.objects[obj.number].mesh.face_count:  # fmt: skip
            raise FileFormatError("Its objects are not those of the project.", place, AGAIN)
    for base in project.bases:
        if base.object in mine:
            mesh = scene.objects[mine[base.object].number].mesh
            arrays = base_arrays(file.data(base.arrays))
            have = len(arrays["uv"]), len(arrays["corner_island"])
            if have != (len(mesh.corner_vertex), len(mesh.triangles)):
                raise FileFormatError("A base layout is not one of its objects.", place, AGAIN)


@dataclass(frozen=True, eq=False)
class StoredSource:
    """A mesh file in a project file."""

    opened: ProjectFile
    key: int

    @property
    def _row(self) -> Source:
        return self.opened.project.sources[self.key]

    @property
    def name(self) -> str:
        """Its path among the files that came with it."""
        return self._row.name

    @property
    def path_in_group(self) -> str:
        """The same, with what tells apart files that came at other times."""
        return f"{self._row.group}/{self._row.name}"

    @property
    def data(self) -> bytes:
        """Its bytes."""
        return self.opened.data(self._row.sha256)

    @property
    def unit(self) -> float:
        """Metres per unit."""
        return self._row.unit

    @property
    def uv_tolerance(self) -> float:
        """Largest difference of UVs that are one point, in tiles."""
        return self._row.uv_tolerance

    @property
    def to_images(self) -> str:
        """New textures lie beside it."""
        return ""

    @property
    def changes(self) -> Sequence[TextureChange]:
        """Textures that its materials were given."""
        return [
            TextureChange(
                row.name, self.opened.data(row.sha256) if row.sha256 else None, row.material,
                row.role, row.channel, row.number, row.tiles or ALONE,
            )
            for row in self.opened.project.textures
            if row.source == self.key
        ]  # fmt: skip

    @cached_property
    def _scene(self) -> Scene:
        unit = self._row.unit
        scene = read_scene(self.name.rsplit("/", 1)[-1], self.data, self.siblings(), unit)
        return scene.in_unit(unit)

    def scene(self) -> Scene:
        """What it holds."""
        return self._scene

    def siblings(self) -> Siblings:
        """Reader of the files that came with it."""
        rows = self.opened.project.sources
        beside = {row.name: row.sha256 for row in rows if row.group == self._row.group}
        return siblings_in(beside, self.name, lambda name: self.opened.data(beside[name]))


@dataclass(frozen=True, eq=False)
class StoredMember:
    """An object's part in an atlas of a project file.

    Parameters
    ----------
    opened : ProjectFile
    row : MemberRow
        Its object and base layout by their places in the file.
    new : Made, optional
        A base layout that was made since.
    """

    opened: ProjectFile
    row: MemberRow
    new: Made | None = None
    made_in: int = 0
    """Channel of a base layout that was made since."""
    made_from: int | None = None
    """The base layout in the file that it was made from."""

    @property
    def _object(self) -> MeshObject:
        return self.opened.project.objects[self.row.object]

    @property
    def _base(self) -> BaseLayout:
        return self.opened.project.bases[self.row.base]

    @property
    def name(self) -> str:
        """Of the object."""
        return self._object.name

    @property
    def file(self) -> str:
        """Path of its source."""
        return self.opened.project.sources[self.source].name

    @property
    def source(self) -> int:
        """Key of its source."""
        return self._object.source

    @property
    def number(self) -> int:
        """Place of the object in its source."""
        return self._object.number

    @property
    def colour(self) -> int:
        """Number of its colour, from 0."""
        kept = self._object.colour
        return self.row.object if kept is None else kept

    @property
    def channel(self) -> int:
        """UV channel, from 0."""
        return self.made_in if self.new else self._base.channel

    @property
    def made(self) -> bool:
        """Whether its base layout is not the file's."""
        return self.new is not None or self._base.parent is not None

    @property
    def weld(self) -> float:
        """Part of the object's size within which vertices count as one."""
        return self.new.weld if self.new else self._base.weld

    @property
    def useless(self) -> bool:
        """Whether it has no UVs, or such as are of no use."""
        return self.new is None and (self._base.useless or self._base.islands == 0)

    def base_layout(self) -> Base:
        """Its base layout."""
        if self.new:
            return self.new.base
        arrays = base_arrays(self.opened.data(self._base.arrays))
        return Base(
            arrays["uv"], arrays["face_island"], islands_from(arrays), lambda: surface_from(arrays)
        )

    def with_base(self, made: Made) -> StoredMember:
        """The member with another base layout."""
        count = made.base.islands.count
        row = replace(self.row, base=-1 - self.row.object, islands=count, part=None, whole=0)
        before = self.row.base if self.new is None else self.made_from
        return StoredMember(self.opened, row, made, self.channel, before)


def atlas_names(file: ProjectFile) -> list[str]:
    """Atlases that are there now."""
    states = file.project.states
    return [states[a.state].name for a in file.project.atlases if a.state is not None]


def atlases_with(file: ProjectFile, objects: Sequence[str], channel: int | None) -> list[str]:
    """Atlases in which some objects lie, in a UV channel.

    Parameters
    ----------
    file : ProjectFile
    objects : sequence of str
        Their names; all without.
    channel : int, optional
        From 1; any without.

    Raises
    ------
    LayoutError
        When one of the objects lies in none.
    """
    project = file.project
    found: dict[str, None] = {}
    missing = set(objects)
    for atlas in project.atlases:
        if atlas.state is None:
            continue
        state = project.states[atlas.state]
        for member in state.members:
            name = project.objects[member.object].name
            if (objects and name not in objects) or channel not in (None, member.target + 1):
                continue
            missing.discard(name)
            found[state.name] = None
    check_found(sorted(missing), bool(found), channel)
    return list(found)


def check_found(missing: Sequence[str], found: bool, channel: int | None) -> None:
    """Look whether all that was asked for lies in an atlas.

    Raises
    ------
    LayoutError
    """
    within = f" in channel {channel}" if channel else ""
    if missing:
        raise LayoutError(
            f"{missing[0]} lies in no atlas{within}.", "objects", "Name an object that lies in one."
        )
    if not found:
        raise LayoutError(f"No atlas has layouts{within}.", "channel", "Name another channel.")


def step_before(file: ProjectFile, step: int | None) -> int:
    """Place of a step of the history; without one that of the step before the present.

    Raises
    ------
    LayoutError
    """
    project = file.project
    if step is None:
        step = project.changes[project.head].parent
        if step is None:
            raise LayoutError(
                "The project has one step only.", "against", "Name another project file."
            )
    if not 0 <= step < len(project.changes):
        raise LayoutError(
            f"There is no step {step}.", "step", f"Give 0 to {len(project.changes) - 1}."
        )
    return step


def project_document(
    file: ProjectFile, wanted: Sequence[str] = (), scene: bool = False, step: int | None = None
) -> Document:
    """A project file as a document.

    Parameters
    ----------
    file : ProjectFile
    wanted : sequence of str
        Names of the atlases that are meant; all without.
    step : int, optional
        Place of a step of the history; the present one without.
    scene : bool
        Whether all files that stand in the project are sources, and not those of the atlases alone.

    Raises
    ------
    LayoutError
        When there is no atlas of a name, or nothing in those that there are.
    """
    project = file.project
    named = atlas_names(file)
    for name in wanted:
        if name not in named:
            raise LayoutError(
                f"There is no atlas “{name}”.", "atlas", f"There are {', '.join(named) or 'none'}."
            )
        if named.count(name) > 1:
            raise LayoutError(f"Two atlases are called “{name}”.", "atlas", "Rename one of them.")
    change = project.changes[project.head if step is None else step]
    then = dict(change.atlases)
    now = {n: atlas.state for n, atlas in enumerate(project.atlases) if atlas.state is not None}
    places = [
        (n, state)
        for n, state in sorted((now if step is None else then).items())
        if not wanted or project.states[state].name in wanted
    ]
    layouts = [_layout(file, state) for _, state in places]
    if step is not None:
        layouts = [layout for layout in layouts if layout.members]
    elif not any(layout.members for layout in layouts):
        raise LayoutError("There is no object in it.", "atlas", "Name another atlas.")
    keys = {member.source for layout in layouts for member in layout.members}
    standing = None
    if scene:
        there = present_objects(project)
        keys |= {project.objects[n].source for n in there}
        standing = frozenset((project.objects[n].source, project.objects[n].number) for n in there)
    settings = change.settings
    return Document(
        layouts,
        {key: StoredSource(file, key) for key in sorted(keys)},
        house_density=settings.house_density,
        tolerance=settings.tolerance,
        least_density=settings.least_density,
        most_density=settings.most_density,
        density_unit=settings.density_unit,
        rules=settings.rules,
        arranged=True,
        name=settings.name,
        images=_images(file, [n for n, _ in places]),
        standing=standing,
    )


def _layout(file: ProjectFile, number: int) -> Layout:
    record = file.project.states[number]
    rows = tuple(_row(file, member) for member in record.members)
    tiles = sorted(
        (TileRow(t.number, t.width, t.height, t.label, t.frozen) for t in record.tiles),
        key=lambda tile: tile.number,
    )
    state = State(
        record.name, rows, tuple(tiles), record.padding, record.margin, file.islands(number)
    )
    return Layout(state, [StoredMember(file, row) for row in rows])


def _row(file: ProjectFile, member: Member) -> MemberRow:
    part = None if member.part is None else tuple(member.part)
    whole = 0 if part is None else file.project.bases[member.base].islands
    return MemberRow(
        member.object, member.base, member.islands, member.target, member.weight,
        member.proportion, part, whole,
    )  # fmt: skip


def _images(
    file: ProjectFile, atlases: Sequence[int]
) -> dict[tuple[str, int], Callable[[], bytes]]:
    """Painted distances over tiles, by purpose and tile."""
    return {
        (DISTANCE, image.tile): partial(file.data, image.sha256)
        for number in atlases
        for image in file.project.atlases[number].images
        if image.purpose == PAINTED and image.tile in _tile_numbers(file, number)
    }


def _tile_numbers(file: ProjectFile, atlas: int) -> list[int]:
    state = file.project.atlases[atlas].state
    return [] if state is None else [tile.number for tile in file.project.states[state].tiles]
