"""Bring a newer version of a file in: what is still there keeps its layout, its place and what was said about it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath
from typing import Any

import numpy as np
from django.db import transaction

from quilt_core.document.base import Base, in_proportion, read_base
from quilt_core.document.islands import ISLAND, fresh_islands
from quilt_core.document.layout import Made
from quilt_core.document.state import MemberRow, State, spans, split
from quilt_core.operations.bases import Remade, with_bases
from quilt_core.scene import Scene
from studio import storage
from studio.actions.documents import document_of, saved
from studio.actions.errors import Refused
from studio.actions.gather.gather_files import is_mesh, keep_object, object_bases, read_mesh
from studio.actions.gather.watch_folder import brought, files_in
from studio.actions.history.change import Made as Change
from studio.actions.history.change import finish_job
from studio.actions.scenes import object_of, scene_of
from studio.arrays import Layout, Member, load_geometry, load_layout
from studio.models import BaseLayout, MeshObject, Revision, Source

Report = Callable[[float, str], None]
NEARLY = 0.05
"""Part of an object's size that its vertices may have moved for it to be known under another name."""


@dataclass
class News:
    """What has become of the objects of a file."""

    rows: list[dict[str, Any]] = field(default_factory=list)
    fresh: list[str] = field(default_factory=list)
    gone: list[str] = field(default_factory=list)
    kept: list[str] = field(default_factory=list)


def bring_again(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> dict[str, Any] | None:
    """Put a newer version in the place of a file; None when the user wants nothing of it.

    `params`: source (id of the older file), files ([name, key] of the newer one and those beside it) or folder (of this
    machine, in which it lies), metres_per_unit.
    """
    atlas = revision.atlas
    old = Source.objects.filter(project=atlas.project_id, pk=params["source"], is_mesh=True).first()
    if old is None:
        raise Refused("There is no such file in the project.", "source", "Read the project again.")
    if params.get("folder"):
        files = files_in(params["folder"], old)
        params = params | {"files": [[name, storage.put(data)] for name, data in files.items()]}
    else:
        files = {name: storage.get(key) for name, key in params["files"]}
    name = _the_mesh(files, old)
    report(0.05, f"reading {name}")
    scene = read_mesh(name, files, params.get("metres_per_unit") or old.metres_per_unit)
    layout = load_layout(revision)
    state, members = layout.state, list(layout.members)
    pairs = _pairs(members, old, scene)
    if not pairs:
        raise Refused(
            f"No object of “{old.name}” lies in this atlas.", revision.name,
            "Choose the atlas that they lie in, or bring the file in as a new one.",
        )  # fmt: skip
    was = scene_of(old)
    laid: dict[int, tuple[int, Base, Any]] = {}
    news = News()
    for step, (place, number) in enumerate(pairs.items()):
        member = members[place]
        report(0.1 + 0.6 * step / len(pairs), f"comparing {member.object.name}")
        if stop():
            return None
        if number is None:
            news.gone.append(member.object.name)
            continue
        if member.row.part is not None:
            news.kept.append(member.object.name)
            continue
        laid[place] = (number, *_carried(member, was, scene, number, news))
    report(0.8, "keeping the files")
    with transaction.atomic():
        source, objects = _kept(old, name, files, scene, params["files"])
        taken = {number for number, _, _ in laid.values()}
        made: dict[int, Made] = {}
        remade: dict[int, Remade] = {}
        fresh = list(members)
        for place, (number, base, again) in laid.items():
            was_there = members[place]
            fresh[place] = _member(was_there, objects[number][0])
            made[place] = Made(base, scene.objects[number], "updated", was_there.base.weld)
            remade[place] = _placed(state, place, was_there, base, again)
        after = _with_bases(Layout(state, fresh, revision), made, remade, members)
        leaving = {place for place, number in pairs.items() if number is None}
        if leaving:
            after, _ = split(after, leaving)
        held = {m.object.name for k, m in enumerate(members) if k not in pairs}
        for number, (obj, first) in objects.items():
            if number not in taken and obj.name not in held and obj.name not in news.kept:
                after = after.with_member(MemberRow(obj.pk, first.pk, first.islands))
                news.fresh.append(obj.name)
        what = f"“{name}”"
        found = {"objects": news.rows, "new": news.fresh, "gone": news.gone, "kept": news.kept}
        done = finish_job(atlas.pk, revision, Change("update", after, what, found))
        change = done.atlas.project.__class__.objects.get(pk=atlas.project_id).head
        Source.objects.filter(folder=source.folder).update(gathered=change)
        Source.objects.filter(pk=old.pk).update(replaced=change)
        brought(old.pk, source.pk)
    return {"revision": done.pk, "draft": done.draft, **found}


def _the_mesh(files: dict[str, bytes], old: Source) -> str:
    """The mesh among the files: the only one, or the one that is called as the older file."""
    meshes = [name for name in files if is_mesh(name)]
    wanted = PurePosixPath(old.name).name.lower()
    named = [name for name in meshes if PurePosixPath(name).name.lower() == wanted]
    if len(meshes) != 1 and len(named) != 1:
        raise Refused(
            f"There are {len(meshes)} meshes among the files." if meshes else "There is no mesh among the files.",
            ", ".join(list(files)[:3]),
            f"Give the newer version of “{old.name}”, with its pictures.",
        )  # fmt: skip
    return named[0] if len(named) == 1 else meshes[0]


def _pairs(members: list[Member], old: Source, scene: Scene) -> dict[int, int | None]:
    """For each member of the older file the object of the newer one, None for one that is gone: by name, else the only one
    without an older one that has the same faces at nearly the same places."""
    from quilt_core.flatten.again import layout_again

    numbers = {obj.name: k for k, obj in enumerate(scene.objects)}
    mine = [k for k, member in enumerate(members) if member.object.source_id == old.pk]
    out: dict[int, int | None] = {k: numbers.get(members[k].object.name) for k in mine}
    free = [k for k in range(len(scene.objects)) if k not in out.values()]
    for place in [k for k, number in out.items() if number is None]:
        member = members[place]
        mesh = object_of(member.base, scene_of(old)).mesh
        uv = np.zeros((len(mesh.corner_vertex), 2))
        alike = []
        for k in free:
            if scene.objects[k].mesh.face_count == member.object.faces:
                again = layout_again(mesh, uv, scene.objects[k].mesh)
                if again.new == 0 and again.moved < NEARLY:
                    alike.append(k)
        if len(alike) == 1:
            out[place] = alike[0]
            free.remove(alike[0])
    return out


def _carried(member: Member, was: Scene, scene: Scene, number: int, news: News) -> tuple[Base, Any]:
    """The layout of a member on the newer version of its object, and where each face got it from."""
    from quilt_core.flatten.again import FACE, SURFACE, TOPOLOGY, layout_again
    from quilt_core.flatten.object_flat import with_channel

    data = load_geometry(member.base.geometry)
    obj = scene.objects[number]
    again = layout_again(object_of(member.base, was).mesh, data["uv"], obj.mesh)
    channel = min(member.base.channel, len(obj.mesh.channels))
    uv = again.uv
    bare = np.asarray(~np.isfinite(uv).all(axis=1))
    if bare.any() and channel < len(obj.mesh.channels):
        # What is new keeps the UVs that it came with.
        uv = np.where(bare[:, None], obj.mesh.channels[channel].per_corner, uv)
    flat = with_channel(obj, channel, uv)
    read = read_base(flat, channel, scene, member.object.source.uv_tolerance)
    square = in_proportion(read.islands, member.base.proportion)
    how = np.bincount(again.how, minlength=4)
    news.rows.append({
        "name": obj.name, "faces": obj.mesh.face_count, "same": int(how[TOPOLOGY]), "by_face": int(how[FACE]),
        "by_surface": int(how[SURFACE]), "new": again.new, "gone": again.gone, "moved": round(again.moved, 6),
    })  # fmt: skip
    return replace(read, islands=square), again


def _kept(
    old: Source, name: str, files: dict[str, bytes], scene: Scene, keys: list[list[str]]
) -> tuple[Source, dict[int, tuple[MeshObject, BaseLayout]]]:
    """Rows of the files, and of the objects with the layouts that they came with."""
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
    out = {}
    for number, obj in enumerate(scene.objects):
        kept = keep_object(
            old.project, source, number, obj, object_bases(obj, scene, old.uv_tolerance)
        )
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
    layout: Layout, made: dict[int, Made], remade: dict[int, Remade], old: list[Member]
) -> State:
    """The state with the layouts on the newer objects, whose rows are saved."""
    document = replace(document_of([layout.revision]), layouts=[layout])
    after = with_bases(document, layout, made, remade)
    for place in made:
        member = after.members[place]
        assert isinstance(member, Member)
        member.base.proportion = old[place].base.proportion
    return saved(after)


def _placed(state: State, place: int, member: Member, base: Base, again: Any) -> Remade:
    """What lies where: each island at the place of the older one that most of its faces come from."""
    old_island = load_geometry(member.base.geometry)["face_island"]
    here = np.full(int(old_island.max(initial=-1)) + 2, -1)
    here[member.row.numbers] = np.arange(len(member.row.numbers))
    begin, _ = spans(state.members)[place]
    rows = fresh_islands(base.islands.count)
    aside = np.ones(base.islands.count, bool)
    known = (again.source >= 0) & (base.face_island >= 0)
    was = np.full(len(again.source), -1)
    was[known] = here[old_island[again.source[known]]]
    for island in range(base.islands.count):
        found = was[(base.face_island == island) & (was >= 0)]
        if len(found):
            rows[island] = state.islands[begin + np.bincount(found).argmax()]
            aside[island] = False
    return Remade(rows.astype(ISLAND), aside)
