"""Operations on a project file: what it says by itself, where its meshes come out, and its newest step."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import fields
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import IO, Any

import msgspec

from quilt_core.document.base import base_bytes
from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.document.project import records as r
from quilt_core.document.project.file import ProjectFile, write_project
from quilt_core.document.state import MemberRow
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.operations.files import ControlSettings, LayoutSettings
from quilt_core.operations.operation import Operation, Progress
from quilt_core.operations.project import StoredMember, read_project
from quilt_core.options import options_of, plain_settings
from quilt_core.run.inputs import Input


def project_settings(
    operation: Operation, given: Mapping[str, Any], opened: ProjectFile
) -> dict[str, Any]:
    """Settings that a project file says by itself: those of a preset.

    Raises
    ------
    LayoutError
        When a setting is given that the project says already, or there is no such preset.
    """
    said = {one.name for kind in (LayoutSettings, ControlSettings) for one in options_of(kind)}
    for name in given:
        if name in (said | {"refer", "in_place"}) - {"atlas"}:
            raise LayoutError(
                "The project file says this by itself.", name, "Leave it out, or give mesh files."
            )
    out: dict[str, Any] = {}
    if given.get("preset"):
        out |= _preset(opened, str(given["preset"]))
    return out


def _preset(opened: ProjectFile, name: str) -> dict[str, Any]:
    presets = {preset.name: preset.settings for preset in opened.project.presets}
    if name not in presets:
        known = ", ".join(presets) or "none"
        raise LayoutError(f"There is no preset “{name}”.", "preset", f"There are {known}.")
    return presets[name]


@contextmanager
def opened_project(path: Path, progress: Progress) -> Iterator[ProjectFile]:
    """A project file that was looked at; it is closed at the end.

    Raises
    ------
    QuiltError
        When it cannot be read, or something in it is wrong.
    """
    try:
        handle = path.open("rb")
    except OSError as error:
        raise QuiltError(
            f"It cannot be read ({error.strerror}).", str(path), "Check the path."
        ) from None
    with handle:
        yield read_project(handle, str(path), progress)


def project_inputs(document: Document) -> dict[int, Input]:
    """Mesh files of the document's atlases by their keys, each with its place below the folder of the output: where two have
    one name, those that came later lie in folders of their own."""
    out: dict[int, Input] = {}
    taken: set[str] = set()
    for key in sorted({member.source for layout in document.layouts for member in layout.members}):
        name = document.sources[key].name
        place, number = name, 1
        while place.lower() in taken:
            number += 1
            place = f"{number}/{name}"
        taken.add(place.lower())
        out[key] = Input(Path(PurePosixPath(name)), place)
    return out


def changed_project(
    opened: ProjectFile | None, operation: Operation, settings: Any, after: Document, result: Any
) -> Callable[[IO[bytes]], None] | None:
    """Writes the project file with what an operation made of its layouts as the newest step; None where it changes none."""
    if opened is None or operation.changes != "layout":
        return None
    what = str(operation.find("what")(settings, result))[:200]
    made = _Step(opened, operation, plain_settings(settings, True), after, what)
    return made.write


class _Step:
    """A new step of a project."""

    def __init__(
        self,
        opened: ProjectFile,
        operation: Operation,
        params: dict[str, Any],
        after: Document,
        what: str,
    ) -> None:
        self._opened, self._now = opened, datetime.now(UTC)
        self._verb, self._params = operation.name, params
        self._fresh: dict[str, bytes] = {}
        self._islands: dict[int, Any] = {}
        project = opened.project
        self._bases = list(project.bases)
        self._states = list(project.states)
        atlases = list(project.atlases)
        named = {project.states[a.state].name: n for n, a in enumerate(atlases) if a.state is not None}  # fmt: skip
        head = project.changes[project.head]
        now = dict(head.atlases)
        touched = []
        for layout in after.layouts:
            place = named[layout.state.name]
            number = self._state(place, now[place], layout)
            atlases[place] = msgspec.structs.replace(atlases[place], state=number)
            now[place] = number
            touched.append(r.Touched(atlas=place))
        change = r.Change(
            parent=project.head, verb=self._verb[:40], what=what, author=r.AUTHOR, settings=head.settings,
            atlases=[(a, now[a]) for a, _ in head.atlases], touched=touched, made=self._now,
        )  # fmt: skip
        self._project = msgspec.structs.replace(
            project, head=len(project.changes), redo=[], changes=[*project.changes, change],
            bases=self._bases, atlases=atlases, states=self._states,
        )  # fmt: skip

    def _state(self, atlas: int, parent: int, layout: Layout) -> int:
        state, number = layout.state, len(self._states)
        rows = [self._member(member.row, member) for member in layout.members]  # type: ignore[arg-type]
        self._states.append(
            r.State(
                atlas=atlas, parent=parent, whole=True, name=state.name, members=rows,
                tiles=[r.Tile(**{f.name: getattr(t, f.name) for f in fields(t)}) for t in state.tiles],
                padding=state.padding, margin=state.margin, verb=self._verb[:40], params=self._params, made=self._now,
            )
        )  # fmt: skip
        self._islands[number] = state.islands
        return number

    def _member(self, row: MemberRow, member: StoredMember) -> r.Member:
        base = row.base if member.new is None else self._base(member)
        return r.Member(
            object=row.object, base=base, islands=row.islands, target=row.target, weight=row.weight,
            proportion=row.proportion, part=None if row.part is None else list(row.part),
        )  # fmt: skip

    def _base(self, member: StoredMember) -> int:
        """A new base layout; returns its place."""
        made = member.new
        assert made is not None
        data = base_bytes(made.obj, made.base)
        key = hashlib.sha256(data).hexdigest()
        self._fresh[key] = data
        before = member.made_from
        self._bases.append(
            r.BaseLayout(
                object=member.row.object, channel=member.channel, made=made.how[:40], parent=before, arrays=key,
                islands=made.base.islands.count, unflattened=made.base.islands.unflattened[0], weld=made.weld,
            )
        )  # fmt: skip
        return len(self._bases) - 1

    def write(self, target: IO[bytes]) -> None:
        """Write the project file."""

        def stored(number: int) -> Any:
            fresh = self._islands.get(number)
            return self._opened.stored(number) if fresh is None else fresh

        def data(key: str) -> bytes:
            return self._fresh[key] if key in self._fresh else self._opened.data(key)

        write_project(target, self._project, stored, data, self._now)
