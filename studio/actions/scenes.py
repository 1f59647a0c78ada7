"""Sources as scenes of the core."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from quilt_core.formats import read_scene
from quilt_core.formats.load import siblings_in
from quilt_core.scene import Scene, SceneObject
from quilt_core.scene.weld import welded
from studio import storage
from studio.models import BaseLayout, Source


def scene_of(source: Source) -> Scene:
    """A source as it was brought in, with the files beside it; the last one is kept, as edits by hand
    follow one another."""
    return _scene(source, source.sha256, source.metres_per_unit)


@lru_cache(maxsize=1)
def _scene(source: Source, sha256: str, metres_per_unit: float) -> Scene:
    beside = {
        s.name: s.sha256
        for s in Source.objects.filter(folder=source.folder, project=source.project_id)
    }
    find = siblings_in(beside, source.name, lambda name: storage.get(beside[name]))
    name = source.name.rsplit("/", 1)[-1]
    scene = read_scene(name, storage.get(sha256), find, metres_per_unit)
    return scene.in_unit(metres_per_unit)


def object_of(base: BaseLayout, scene: Scene) -> SceneObject:
    """The object of a base layout, with those of its vertices as one that count as one there."""
    obj = scene.objects[base.object.number]
    return replace(obj, mesh=welded(obj.mesh, base.weld))
