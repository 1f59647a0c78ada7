"""Bring files into a project: all of them, or none."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
from django.db import transaction

from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene
from quilt_core.formats.load import MESH_SUFFIXES, Siblings
from quilt_core.measure.density import island_densities, proposed_house
from quilt_core.scene import IslandSet, Scene, SceneObject, Surface, read_surface
from quilt_core.scene.placement import identity
from quilt_core.scene.proportion import suggested_proportion
from studio import storage
from studio.actions.create_project import UNSAID
from studio.actions.errors import Refused
from studio.actions.revise import append_revision
from studio.arrays import free_controls, islands_of, read_controls, store_geometry
from studio.models import Atlas, Member, MeshObject, Project, Revision, Source

Report = Callable[[float, str], None]
Ready = tuple[SceneObject, dict[str, Any]]
"""An object and what is kept of it."""


def is_mesh(name: str) -> bool:
    """Whether a file name is one of a mesh."""
    return Path(name).suffix.lower() in MESH_SUFFIXES


def siblings_in(
    files: dict[str, bytes] | dict[str, str], name: str, read: Callable[[str], bytes]
) -> Siblings:
    """Files of the same upload, by a path relative to the mesh, never outside the upload."""
    base = PurePosixPath(name).parent

    def find(wanted: str) -> bytes | None:
        parts: list[str] = []
        for part in (base / wanted.replace("\\", "/")).parts:
            if part == "..":
                if not parts:
                    return None
                parts.pop()
            elif part == "/":
                return None
            elif part != ".":
                parts.append(part)
        path = "/".join(parts)
        return read(path) if path in files else None

    return find


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
    atlas = project.atlases.get()
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
        scene = _read(name, files, metres_per_unit)
        rows = []
        for obj in scene.objects:
            islands, surface = read_surface(
                obj, 0, scene.metres_per_unit, scene.materials, project.uv_tolerance
            )
            facts = {
                "islands": islands.count,
                "unflattened": islands.unflattened[0],
                "geometry": store_geometry(obj, islands, surface),
                **_proportions(islands, surface),
            }
            rows.append((obj, facts))
        ready.append((name, scene, rows))
    keys = {name: storage.put(data) for name, data in files.items()}
    report(0.95, "keeping the files")
    return _keep(project, atlas, files, keys, ready, own_job)


def _read(name: str, files: dict[str, bytes], metres_per_unit: float) -> Scene:
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


def _proportions(islands: IslandSet, surface: Surface) -> dict[str, float | None]:
    """Proportions of an object's pictures, that of its largest islands, and what its stretch suggests instead."""
    if not islands.count:
        return {}
    values, of = np.unique(islands.proportion, return_inverse=True)
    usual = float(values[int(np.argmax(np.bincount(of, islands.world_area)))])
    return {
        "proportion": usual,
        "suggested": suggested_proportion(islands.triangles, surface.points, usual),
    }


def _propose_house(project: Project, geometries: list[str], atlas: Atlas) -> None:
    """Take the house density from the first files, where nobody has said one."""
    islands = islands_of(geometries)
    tile = atlas.tiles.first()
    width, height = (tile.width, tile.height) if tile else (2048, 2048)
    found = proposed_house(
        island_densities(islands, identity(islands.count), width, height), islands.world_area
    )
    if found is not None:
        project.house_density = found
        project.save(update_fields=["house_density"])


@transaction.atomic
def _keep(
    project: Project,
    atlas: Atlas,
    files: dict[str, bytes],
    keys: dict[str, str],
    ready: list[tuple[str, Scene, list[Ready]]],
    own_job: int | None,
) -> Revision:
    atlas = Atlas.objects.select_for_update().get(pk=atlas.pk)
    folder = uuid.uuid4().hex
    scenes = {name: (scene, rows) for name, scene, rows in ready}
    contents: list[list[int]] = list(atlas.head.contents) if atlas.head else []
    added = 0
    for name, data in files.items():
        scene, rows = scenes.get(name, (None, []))
        source = Source.objects.create(
            project=project, name=name, sha256=keys[name], size=len(data), is_mesh=scene is not None, folder=folder, uv_tolerance=project.uv_tolerance,
            metres_per_unit=scene.metres_per_unit if scene else 1.0, warnings=list(scene.warnings) if scene else [],
        )  # fmt: skip
        for number, (obj, facts) in enumerate(rows):
            made = MeshObject.objects.create(
                project=project, source=source, number=number, name=obj.name, parent=obj.instances[0].parent,
                instances=[[i.name, i.matrix.tolist()] for i in obj.instances],
                channels=[c.name for c in obj.mesh.channels if (c.corner_uv >= 0).any()],
                faces=obj.mesh.face_count, **facts,
            )  # fmt: skip
            Member.objects.create(atlas=atlas, object=made)
            contents.append([made.pk, made.islands])
            added += made.islands
    head = atlas.head
    if head is None and project.house_density == UNSAID:
        _propose_house(project, [facts["geometry"] for _, _, rows in ready for _, facts in rows], atlas)
    before = np.frombuffer(bytes(head.placements), np.float64).reshape(-1, 2, 3) if head else identity(0)
    unplaced = np.frombuffer(bytes(head.unplaced), np.uint8).astype(bool) if head else np.empty(0, bool)
    return append_revision(
        atlas, head, "gather", {"files": [name for name, _, _ in ready]},
        np.concatenate([before, identity(added)]), np.concatenate([unplaced, np.zeros(added, bool)]),
        contents=contents, controls=np.concatenate([read_controls(head) if head else free_controls(0), free_controls(added)]),
        own_job=own_job, tiles=head.tiles if head else [[t.number, t.width, t.height, t.label, t.frozen] for t in atlas.tiles.all()],
    )  # fmt: skip
