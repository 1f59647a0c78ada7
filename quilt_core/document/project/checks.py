"""Whether a project file fits together: everything is looked at before anything of it is used."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Sequence
from pathlib import PurePosixPath, PureWindowsPath
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.base_checks import check_arrays
from quilt_core.document.project.file import AGAIN, ProjectFile
from quilt_core.document.project.records import Member, Note, State
from quilt_core.errors import FileFormatError
from quilt_core.scene.weights import HIGHEST_WEIGHT, LOWEST_WEIGHT

FARTHEST = 1e9
"""No placement holds a larger number, in tiles."""
ALL_FLAGS = 31
"""All that can be said of an island, see `quilt_core.pack.controls`."""
LAST_TILE = 2000
NOTE_KINDS = ("atlas", "object", "island", "finding")


def check_project(file: ProjectFile) -> None:
    """Refuse a project file whose records, arrays or files do not fit together.

    Raises
    ------
    FileFormatError
        With the first thing that is wrong.
    """
    check_records(file)
    project = file.project
    islands = [base.islands for base in project.bases]
    for number, state in enumerate(project.states):
        _check_islands(file, number, state, islands)
    sizes = {source.sha256: source.size for source in project.sources}
    arrays = {base.arrays: number for number, base in enumerate(project.bases)}
    for key in file.files:
        data = file.data(key)
        if key in arrays:
            base = project.bases[arrays[key]]
            place = f"{file.name}, files/{key}"
            check_arrays(data, base.islands, base.unflattened, project.objects[base.object].faces, place)  # fmt: skip
        elif sizes.get(key, len(data)) != len(data):
            raise FileFormatError("A file is not as large as it says.", f"{file.name}, {key}", AGAIN)  # fmt: skip


def check_records(file: ProjectFile) -> None:
    """The records alone: names, and what they refer to.

    Raises
    ------
    FileFormatError
    """
    project, look = file.project, _Look(file.name)
    sources, objects, bases = project.sources, project.objects, project.bases
    states, changes, atlases = project.states, project.changes, project.atlases
    look.refer("head", [project.head], changes)
    look.refer("redo", project.redo, changes)
    for n, source in enumerate(sources):
        at = f"sources {n}"
        look.name(at, source.name)
        look.refer(at, [source.gathered, source.replaced], changes)
    look.once("sources", [(s.group, s.name) for s in sources])
    for n, texture in enumerate(project.textures):
        look.refer(f"textures {n}", [texture.source], sources)
        look.name(f"textures {n}", texture.name)
    for n, obj in enumerate(objects):
        look.refer(f"objects {n}", [obj.source], sources)
        look.true(f"objects {n}", sources[obj.source].mesh, "its source is no mesh")
        look.true(f"objects {n}", bool(obj.instances), "it stands nowhere")
    look.once("objects", [(obj.source, obj.number) for obj in objects])
    for n, base in enumerate(bases):
        look.refer(f"bases {n}", [base.object, base.copied_from], objects)
        look.earlier(f"bases {n}", base.parent, n)
    for n, atlas in enumerate(atlases):
        look.refer(f"atlases {n}", [atlas.state], states)
        look.once(f"atlases {n}", [(image.purpose, image.tile) for image in atlas.images])
        for image in atlas.images:
            look.name(f"atlases {n}", image.name)
    for n, state in enumerate(states):
        at = f"states {n}"
        look.refer(at, [state.atlas], atlases)
        look.earlier(at, state.parent, n)
        look.refer(at, [state.same_as], states)
        look.refer(at, [m.object for m in state.members], objects)
        look.refer(at, [m.base for m in state.members], bases)
        look.once(at, [tile.number for tile in state.tiles])
        look.true(at, bool(state.tiles), "it has no tile")
        for member in state.members:
            base = bases[member.base]
            look.true(at, base.object == member.object, "a base layout is of another object")
            look.true(at, _has_part(member, base.islands), "a member's islands are not its base layout's")  # fmt: skip
        if state.parent is not None:
            look.true(at, states[state.parent].atlas == state.atlas, "its parent is of another atlas")  # fmt: skip
        look.true(at, state.whole or _same_islands(states, state), "its islands are not its parent's")  # fmt: skip
    for n, change in enumerate(changes):
        at = f"changes {n}"
        look.earlier(at, change.parent, n)
        look.refer(at, [a for a, _ in change.atlases], atlases)
        look.refer(at, [s for _, s in change.atlases], states)
        look.once(at, [a for a, _ in change.atlases])
        for atlas_at, state_at in change.atlases:
            look.true(at, states[state_at].atlas == atlas_at, "a state is of another atlas")
        for part in change.touched:
            look.refer(at, [part.atlas], atlases)
            look.refer(at, [part.object], objects)
    now = dict(changes[project.head].atlases)
    for n, atlas in enumerate(atlases):
        look.true(f"atlases {n}", atlas.state == now.get(n), "its state is not that of the present change")  # fmt: skip
    look.once("presets", [preset.name for preset in project.presets])
    look.once("profiles", [profile.name for profile in project.profiles])
    for n, line in enumerate(project.lines):
        look.refer(f"lines {n}", line.atlases, atlases)
        look.true(
            f"lines {n}", bool(line.atlases or line.objects or line.channel), "it is about nothing"
        )
    _check_notes(look, project.notes, len(atlases), len(objects))
    named, there = set(project.files()), set(file.files)
    look.true("files", named <= there, f"{len(named - there)} of the files it refers to are missing")  # fmt: skip
    look.true("files", there <= named, f"nothing refers to {len(there - named)} of its files")


class _Look:
    """Asks, and says where it is wrong."""

    def __init__(self, name: str) -> None:
        self._name = name

    def true(self, place: str, fits: bool, otherwise: str) -> None:
        if not fits:
            what = f"Its records do not fit together: {otherwise}."
            raise FileFormatError(what, f"{self._name}, {place}", AGAIN)

    def refer(self, place: str, to: Iterable[int | None], rows: Sequence[Any]) -> None:
        for one in to:
            self.true(place, one is None or one < len(rows), f"there is no number {one}")

    def earlier(self, place: str, parent: int | None, own: int) -> None:
        """Parents come first, so that there is no ring among them."""
        self.true(place, parent is None or parent < own, "its parent is no earlier one")

    def once(self, place: str, keys: Sequence[Any]) -> None:
        self.true(place, len(set(keys)) == len(keys), "two are the same")

    def name(self, place: str, name: str) -> None:
        """A path below a folder, and nothing else."""
        parts = name.split("/")
        fits = (
            not any(part in ("", ".", "..") for part in parts)
            and "\\" not in name
            and not any(unicodedata.category(sign) in ("Cc", "Cs") for sign in name)
            and not PurePosixPath(name).is_absolute()
            and not PureWindowsPath(name).drive
        )
        self.true(place, fits, f"“{name[:60]!r}” leads out of its folder, or is no name")


def _has_part(member: Member, islands: int) -> bool:
    if member.part is None:
        return member.islands == islands
    part = member.part
    ascending = all(a < b for a, b in zip(part, part[1:], strict=False))
    return len(part) == member.islands and ascending and (not part or part[-1] < islands)


def _same_islands(states: Sequence[State], state: State) -> bool:
    """Whether a state has the islands of its parent: what differs can be said one by one."""
    if state.parent is None:
        return False
    mine, others = state.members, states[state.parent].members
    return [(m.base, m.part) for m in mine] == [(m.base, m.part) for m in others]


def _check_notes(look: _Look, notes: Sequence[Note], atlases: int, objects: int) -> None:
    for n, note in enumerate(notes):
        at = f"notes {n}"
        look.true(at, note.kind in NOTE_KINDS, f"“{note.kind}” is no kind of note")
        look.refer(at, [note.atlas], range(atlases))
        look.refer(at, [note.object], range(objects))
        look.earlier(at, note.answers, n)
        above = notes[note.answers] if note.answers is not None else None
        look.true(at, above is None or above.answers is None, "it answers an answer")


def _check_islands(file: ProjectFile, number: int, state: State, counts: Sequence[int]) -> None:
    """Islands of a state: as many as its members have, with places and controls that can be."""
    found, place = file.stored(number), f"{file.name}, states/{number}.npy"
    count = sum(member.islands for member in state.members)
    if state.whole:
        fits, rows = len(found) == count, found
    else:
        numbers, rows = found["island"], found["state"]
        fits = bool(((numbers >= 0) & (numbers < count)).all()) and len(np.unique(numbers)) == len(numbers)  # fmt: skip
    if not fits or not _sound(rows):
        raise FileFormatError("Islands of a state cannot be as they are.", place, AGAIN)


def _sound(rows: NDArray[Any]) -> bool:
    control, places = rows["control"], rows["placement"]
    return bool(
        np.isfinite(places).all()
        and (np.abs(places) < FARTHEST).all()
        and (rows["unplaced"] <= 1).all()
        and (control["flags"] <= ALL_FLAGS).all()
        and ((control["tile"] >= 0) & (control["tile"] <= LAST_TILE)).all()
        and (control["bundle"] >= -1).all()
        and (control["stack"] >= -1).all()
        and (control["weight"] >= LOWEST_WEIGHT * (1 - 1e-6)).all()
        and (control["weight"] <= HIGHEST_WEIGHT * (1 + 1e-6)).all()
    )
