"""Bring files into a project: all of them, or none."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from pathlib import PurePosixPath
from typing import Any

from django.db import transaction

from quilt_core.document.state import MemberRow
from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene
from quilt_core.formats.load import is_mesh, siblings_in
from quilt_core.operations.gather import UNSAID, house_density, read_layouts
from quilt_core.scene import Scene, SceneObject
from quilt_core.scene.island_set import object_size
from studio import storage
from studio.actions.errors import Conflict, Refused
from studio.actions.history.change import append_change, check_idle
from studio.actions.history.parts import parts_of_atlas, settings_parts
from studio.arrays import islands_of
from studio.models import Atlas, BaseLayout, MeshObject, Project, Revision, Source
from studio.state import read_state, write_state

Report = Callable[[float, str], None]
Ready = tuple[SceneObject, list[dict[str, Any]]]
"""An object and what is kept of it in each channel."""


def first_atlas(project: Project) -> Atlas:
    """The first atlas that is there now."""
    atlas = project.atlases.exclude(head=None).first()
    if atlas is None:
        raise Conflict("The project has no atlas.", project.name, "Make one first.")
    return atlas


def gather_files(
    project_id: int,
    files: dict[str, bytes],
    metres_per_unit: float = 1.0,
    report: Report = lambda p, m: None,
    own_job: int | None = None,
) -> Revision:
    """Read all meshes among the files and add their objects to the project's atlas.

    Nothing is written before every file has been read, and everything in one transaction.
    """
    project = Project.objects.get(pk=project_id)
    atlas = first_atlas(project)
    meshes = [name for name in files if is_mesh(name)]
    if not meshes:
        raise Refused(
            f"There is no mesh among the {len(files)} files." if files else "No files were sent.",
            ", ".join(list(files)[:3]),
            "Bring .obj, .gltf or .glb files, or a zip that holds some.",
        )
    if not 0 < metres_per_unit < 1e6:
        raise Refused(
            f"A unit of {metres_per_unit:g} m.",
            "metres_per_unit",
            "Give the length of one OBJ unit in metres.",
        )
    ready: list[tuple[str, Scene, list[Ready]]] = []
    for number, name in enumerate(meshes):
        report(number / len(meshes), f"reading {name}")
        scene = read_mesh(name, files, metres_per_unit)
        rows = [(obj, object_bases(obj, scene, project.uv_tolerance)) for obj in scene.objects]
        ready.append((name, scene, rows))
    keys = {name: storage.put(data) for name, data in files.items()}
    report(0.95, "keeping the files")
    return _keep(project, atlas, files, keys, ready, own_job)


def object_bases(obj: SceneObject, scene: Scene, uv_tolerance: float) -> list[dict[str, Any]]:
    """Facts of an object's base layout in each of its channels."""
    return [
        {
            "channel": one.channel,
            "islands": one.islands.count,
            "unflattened": one.islands.unflattened[0],
            "useless": one.useless,
            "geometry": storage.put(one.data),
            "proportion": one.proportion,
            "suggested": one.suggested,
        }
        for one in read_layouts(obj, scene, uv_tolerance)
    ]


def read_mesh(name: str, files: dict[str, bytes], metres_per_unit: float) -> Scene:
    """A mesh among files that were sent together."""
    try:
        return read_scene(
            PurePosixPath(name).name,
            files[name],
            siblings_in(files, name, files.__getitem__),
            metres_per_unit,
        )
    except QuiltError:
        raise
    except (MemoryError, OverflowError, ValueError, ArithmeticError) as error:
        raise Refused(f"It cannot be understood ({error}).", name, "Export it again.") from error


@transaction.atomic
def _keep(
    project: Project,
    atlas: Atlas,
    files: dict[str, bytes],
    keys: Mapping[str, str],
    ready: list[tuple[str, Scene, list[Ready]]],
    own_job: int | None,
) -> Revision:
    """Add rows, and one change with the objects in the atlas, on whatever its state is now."""
    project = Project.objects.select_for_update().get(pk=project.pk)
    atlas = Atlas.objects.get(pk=atlas.pk)
    if atlas.head is None:
        raise Conflict("The atlas has been deleted meanwhile.", atlas.name, "Undo brings it back.")
    if own_job is None:
        check_idle(atlas)
    folder = uuid.uuid4().hex
    scenes = {name: (scene, rows) for name, scene, rows in ready}
    before = read_state(atlas.head)
    state, colour = before, next_colour(project)
    for name, data in files.items():
        scene, rows = scenes.get(name, (None, []))
        source = Source.objects.create(
            project=project,
            name=name,
            sha256=keys[name],
            size=len(data),
            is_mesh=scene is not None,
            folder=folder,
            uv_tolerance=project.uv_tolerance,
            metres_per_unit=scene.metres_per_unit if scene else 1.0,
            warnings=list(scene.warnings) if scene else [],
        )
        for number, (obj, bases) in enumerate(rows):
            state = state.with_member(keep_object(project, source, number, obj, bases, colour))
            colour += 1
    settings = project.settings
    if not before.members and project.house_density == UNSAID:
        firsts = [bases[0]["geometry"] for _, _, rows in ready for _, bases in rows]
        objects = [(obj, scene) for _, scene, rows in ready for obj, _ in rows]
        tile = before.tiles[0]
        size = (tile.width, tile.height)
        settings["house_density"] = house_density([islands_of(firsts)], objects, size)
    names = [name for name, _, _ in ready]
    revision = write_state(atlas, atlas.head, state, verb="gather", params={"files": names})
    touched = parts_of_atlas(atlas.pk, before, state) | settings_parts(project.settings, settings)
    what = names[0] if len(names) == 1 else f"{len(names)} files"
    change = append_change(
        project, "gather", what, touched, settings=settings, revisions={atlas.pk: revision}
    )
    Source.objects.filter(folder=folder).update(gathered=change)
    return revision


def next_colour(project: Project) -> int:
    """Number of the first colour that no object of a project has had."""
    rows = project.mesh_objects.values_list("pk", "colour")
    return 1 + max((pk - 1 if colour is None else colour for pk, colour in rows), default=-1)


def keep_object(
    project: Project, source: Source, number: int, obj: SceneObject, bases: list[dict[str, Any]], colour: int
) -> MemberRow:  # fmt: skip
    """Rows of an object and its base layouts; what an atlas keeps of it."""
    made = MeshObject.objects.create(
        project=project,
        source=source,
        number=number,
        name=obj.name,
        parent=obj.instances[0].parent,
        instances=[[i.name, i.matrix.tolist()] for i in obj.instances],
        channels=[c.name for c in obj.mesh.channels if (c.corner_uv >= 0).any()],
        faces=obj.mesh.face_count,
        size=object_size(obj, source.metres_per_unit).tolist(),
        colour=colour,
    )
    kept = [BaseLayout.objects.create(object=made, **facts) for facts in bases]
    return MemberRow(object=made.pk, base=kept[0].pk, islands=kept[0].islands)
