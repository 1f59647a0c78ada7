"""Bring a newer version of a file in: what is still there keeps its layout, its place and what was said about it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Any

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from quilt_core.document.base import Base, in_proportion, read_base
from quilt_core.document.islands import ISLAND, fresh_islands
from quilt_core.document.layout import Made
from quilt_core.document.state import MemberRow, State, spans, split
from quilt_core.formats.load import is_mesh
from quilt_core.operations.bases import Remade, with_bases
from quilt_core.operations.operation import Progress, plain
from quilt_core.operations.update import updated_object
from quilt_core.scene import Scene, SceneObject
from quilt_core.unwrap.again import Again
from quilt_core.unwrap.matching import Match, Older, carried_uv, match_objects
from quilt_core.unwrap.object_flat import with_channel
from studio import storage
from studio.actions.documents import document_of, saved
from studio.actions.errors import Refused
from studio.actions.gather.gather_files import keep_object, next_colour, object_bases, read_mesh
from studio.actions.gather.watch_folder import brought, files_in
from studio.actions.history.change import Made as Change
from studio.actions.history.change import finish_job
from studio.actions.scenes import object_of, scene_of
from studio.arrays import Layout, Member, load_geometry, load_layout
from studio.models import BaseLayout, MeshObject, Revision, Source


def update_file(
    revision: Revision,
    source_id: int,
    keys: Mapping[str, str],
    folder: str,
    metres_per_unit: float | None,
    progress: Progress,
) -> dict[str, Any]:
    """Put a newer version in the place of a file.

    Parameters
    ----------
    revision : Revision
    source_id : int
        Of the older file.
    keys : mapping
        The newer one and those beside it by their names: where their bytes are stored.
    folder : str
        Of this machine, in which they lie instead; "" for none. Without both it is the older file once more, in another unit.
    metres_per_unit : float, optional
        Without it as the older file was read.
    progress : Progress

    Raises
    ------
    Refused
    Stopped
    """
    report = progress.report
    atlas = revision.atlas
    old = Source.objects.filter(project=atlas.project_id, pk=source_id, is_mesh=True).first()
    if old is None:
        raise Refused("There is no such file in the project.", "source", "Read the project again.")
    if folder:
        files = files_in(folder, old)
        keys = {name: storage.put(data) for name, data in files.items()}
    else:
        keys = keys or _same_files(old)
        files = {name: storage.get(key) for name, key in keys.items()}
    name = _the_mesh(files, old)
    report(0.05, f"reading {name}")
    unit = metres_per_unit or old.metres_per_unit
    scene = read_mesh(name, files, unit).in_unit(unit)
    layout = load_layout(revision)
    state, members = layout.state, list(layout.members)
    mine = [k for k, member in enumerate(members) if member.object.source_id == old.pk]
    if not mine:
        raise Refused(
            f"No object of “{old.name}” lies in this atlas.", revision.name,
            "Choose the atlas that they lie in, or bring the file in as a new one.",
        )  # fmt: skip
    was = scene_of(old)
    # Parts of objects stay as they are: the others lie elsewhere.
    parts = {members[k].object.name for k in mine if members[k].row.part is not None}
    places = [k for k in mine if members[k].row.part is None]
    older = [_older(members[k], was) for k in places]
    newer = {k: obj for k, obj in enumerate(scene.objects) if obj.name not in parts}

    def tick(k: int) -> None:
        report(0.1 + 0.6 * k / max(len(newer), 1), f"comparing {list(newer.values())[k].name}")
        progress.check()

    matches = dict(zip(newer, match_objects(list(newer.values()), older, tick), strict=True))
    slots = _slots(matches, older, newer)
    report(0.8, "keeping the files")
    with transaction.atomic():
        colours = {
            number: members[places[match.older[0]]].colour
            for number, match in matches.items()
            if match.older
        }
        source, objects = _kept(old, name, files, scene, keys, colours)
        made: dict[int, Made] = {}
        remade: dict[int, Remade] = {}
        all_of_them, fresh = state, list(members)
        held = {m.object.name for k, m in enumerate(members) if k not in mine}
        proportions: dict[int, float] = {}
        rows, new = [], []
        for number, match in matches.items():
            obj, first = objects[number]
            if match.again is None:
                if obj.name not in held:
                    new.append(number)
                continue
            rows.append(updated_object(name, newer[number], older, match))
            before = members[places[match.older[0]]]
            if number in slots:
                place = places[slots[number]]
                fresh[place] = _member(before, obj)
            else:  # it was joined or split
                place = len(fresh)
                all_of_them = all_of_them.with_member(MemberRow(obj.pk, first.pk, first.islands))
                fresh.append(replace(_member(before, obj), row=all_of_them.members[-1]))
            base = _carried(before, scene, newer[number], match.again)
            sources = [(places[k], members[places[k]]) for k in match.older]
            proportions[place] = before.base.proportion
            made[place] = Made(base, newer[number], "updated", before.base.weld)
            remade[place] = _placed(state, sources, base, match.again.source)
        after = _with_bases(Layout(all_of_them, fresh, revision), made, remade, proportions)
        leaving = {k for n, k in enumerate(places) if n not in slots.values()}
        if leaving:
            after, _ = split(after, leaving)
        for number in new:
            obj, first = objects[number]
            after = after.with_member(MemberRow(obj.pk, first.pk, first.islands))
        what = f"“{name}”"
        if unit != old.metres_per_unit:
            what += f", a unit of {old.metres_per_unit:g} → {unit:g} m"
        used = {older[k].name for match in matches.values() for k in match.older}
        found = {
            "objects": plain(rows), "new": [newer[k].name for k in new],
            "gone": [one.name for one in older if one.name not in used], "kept": sorted(parts),
        }  # fmt: skip
        done = finish_job(atlas.pk, revision, Change("update", after, what, found))
        change = done.atlas.project.__class__.objects.get(pk=atlas.project_id).head
        Source.objects.filter(folder=source.folder).update(gathered=change)
        Source.objects.filter(pk=old.pk).update(replaced=change)
        brought(old.pk, source.pk)
    return {"revision": done.pk, "draft": done.draft, **found}


def _same_files(old: Source) -> dict[str, str]:
    """A mesh that there is, and what came with it, by their names: where their bytes are stored."""
    rows = Source.objects.filter(project=old.project_id, folder=old.folder)
    return {row.name: row.sha256 for row in rows if row.pk == old.pk or not row.is_mesh}


def _older(member: Member, was: Scene) -> Older:
    uv = load_geometry(member.base.geometry)["uv"]
    return Older(member.object.name, object_of(member.base, was), uv)


def _slots(
    matches: dict[int, Match], older: list[Older], newer: dict[int, SceneObject]
) -> dict[int, int]:
    """Newer objects that stand for one older object each, those of its name first."""
    alone = {number: match.older[0] for number, match in matches.items() if len(match.older) == 1}
    order = sorted(alone, key=lambda number: older[alone[number]].name != newer[number].name)
    out: dict[int, int] = {}
    for number in order:
        if alone[number] not in out.values():
            out[number] = alone[number]
    return out


def _the_mesh(files: dict[str, bytes], old: Source) -> str:
    """The mesh among the files: the only one, or the one that is called as the older file."""
    meshes = [name for name in files if is_mesh(name)]
    wanted = PurePosixPath(old.name).name.lower()
    named = [name for name in meshes if PurePosixPath(name).name.lower() == wanted]
    if len(meshes) != 1 and len(named) != 1:
        raise Refused(
            f"There are {len(meshes)} meshes among the files." if meshes else "There is no mesh among the files.",
            ", ".join(list(files)[:3]),
            f"Give the newer version of “{old.name}”, with its textures.",
        )  # fmt: skip
    return named[0] if len(named) == 1 else meshes[0]


def _carried(member: Member, scene: Scene, obj: SceneObject, again: Again) -> Base:
    """The layout of a member on the newer version of its object."""
    channel = min(member.base.channel, len(obj.mesh.channels))
    flat = with_channel(obj, channel, carried_uv(obj, again, channel))
    read = read_base(flat, channel, scene, member.object.source.uv_tolerance)
    return replace(read, islands=in_proportion(read.islands, member.base.proportion))


def _kept(
    old: Source, name: str, files: dict[str, bytes], scene: Scene, keys: Mapping[str, str], colours: dict[int, int],
) -> tuple[Source, dict[int, tuple[MeshObject, BaseLayout]]]:  # fmt: skip
    """Rows of the files, and of the objects with the layouts that they came with and the colours that they had."""
    import uuid

    folder = uuid.uuid4().hex
    stored = dict(keys)
    source = None
    for file, data in files.items():
        mesh = file == name
        row = Source.objects.create(
            project=old.project, name=file, sha256=stored[file], size=len(data), is_mesh=mesh,
            folder=folder, uv_tolerance=old.uv_tolerance,
            metres_per_unit=scene.metres_per_unit if mesh else 1.0,
            warnings=list(scene.warnings) if mesh else [],
        )  # fmt: skip
        source = row if mesh else source
    assert source is not None
    out: dict[int, tuple[MeshObject, BaseLayout]] = {}
    new = next_colour(old.project)
    for number, obj in enumerate(scene.objects):
        bases = object_bases(obj, scene, old.uv_tolerance)
        colour = colours.get(number, new + len(out))
        kept = keep_object(old.project, source, number, obj, bases, colour)
        out[number] = (
            MeshObject.objects.get(pk=kept.object),
            BaseLayout.objects.get(pk=kept.base),
        )
    return source, out


def _member(old: Member, obj: MeshObject) -> Member:
    """A member whose object is the newer one."""
    first = BaseLayout.objects.filter(object=obj, channel=min(old.base.channel, 15)).first()
    first = first or BaseLayout.objects.get(object=obj, channel=0)
    return Member(replace(old.row, object=obj.pk, base=first.pk), obj, first)


def _with_bases(
    layout: Layout, made: dict[int, Made], remade: dict[int, Remade], proportions: dict[int, float]
) -> State:
    """The state with the layouts on the newer objects, whose rows are saved."""
    document = replace(document_of([layout.revision]), layouts=[layout])
    after = with_bases(document, layout, made, remade)
    for place, proportion in proportions.items():
        member = after.members[place]
        assert isinstance(member, Member)
        member.base.proportion = proportion
    return saved(after)


def _placed(
    state: State, sources: list[tuple[int, Member]], base: Base, source: NDArray[np.int64]
) -> Remade:
    """What lies where: each island at the place of the older one that most of its faces come from; `source` (F,) numbers faces
    through the older objects."""
    older: list[NDArray[np.int64]] = []
    for place, member in sources:
        of_face = load_geometry(member.base.geometry)["face_island"]
        begin, _ = spans(state.members)[place]
        older.append(np.where(of_face >= 0, of_face + begin, -1))
    island_of = np.concatenate(older)
    rows = fresh_islands(base.islands.count)
    aside = np.ones(base.islands.count, bool)
    known = (source >= 0) & (base.face_island >= 0)
    was = np.full(len(source), -1)
    was[known] = island_of[source[known]]
    for island in range(base.islands.count):
        found = was[(base.face_island == island) & (was >= 0)]
        if len(found):
            rows[island] = state.islands[np.bincount(found).argmax()]
            aside[island] = False
    return Remade(rows.astype(ISLAND), aside)
