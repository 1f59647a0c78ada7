"""Project files made of mesh files, and broken on purpose."""

from __future__ import annotations

import copy
import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np

from quilt_core.document.base import base_bytes, read_base
from quilt_core.document.islands import fresh_islands
from quilt_core.document.project import file as project_file
from quilt_core.document.project import records as r
from quilt_core.formats import read_scene

WHEN = "2026-11-01T10:00:00Z"
SETTINGS = {"name": "Pier", "house_density": 512.0, "tolerance": 0.05, "uv_tolerance": 1e-5, "rules": {}}  # fmt: skip


def project_bytes(
    meshes: dict[str, bytes], change: Callable[[Any, Any], None] | None = None
) -> bytes:
    """A project with one atlas, “props A”, of all objects of some meshes.

    `change(islands, state)` may change (I,) `ISLAND` and the plain state.
    """
    sources, objects, bases, members, files = [], [], [], [], {}
    for number, (name, data) in enumerate(meshes.items()):
        scene = read_scene(name, data)
        files[hashlib.sha256(data).hexdigest()] = data
        sources.append({"name": name, "sha256": hashlib.sha256(data).hexdigest(), "size": len(data), "mesh": True, "unit": 1.0, "uv_tolerance": 1e-5, "group": number, "gathered": 0})  # fmt: skip
        for place, obj in enumerate(scene.objects):
            base = read_base(obj, 0, scene, 1e-5)
            arrays = base_bytes(obj, base)
            key = hashlib.sha256(arrays).hexdigest()
            files[key] = arrays
            count, at = base.islands.count, len(objects)
            instances = [{"name": i.name, "matrix": i.matrix.tolist()} for i in obj.instances]
            objects.append({"source": number, "number": place, "name": obj.name, "instances": instances, "channels": ["UVMap"], "faces": obj.mesh.face_count})  # fmt: skip
            bases.append({"object": at, "arrays": key, "islands": count, "unflattened": base.islands.unflattened[0]})  # fmt: skip
            members.append({"object": at, "base": at, "islands": count})
    state = {"atlas": 0, "whole": True, "name": "props A", "members": members, "tiles": [{"number": 1001, "width": 512, "height": 512}], "padding": 6.0, "margin": 3.0, "verb": "gather", "made": WHEN}  # fmt: skip
    islands = fresh_islands(sum(m["islands"] for m in members))
    if change:
        change(islands, state)
    plain = {
        "head": 0, "sources": sources, "objects": objects, "bases": bases, "atlases": [{"state": 0}], "states": [state],
        "changes": [{"verb": "gather", "settings": SETTINGS, "atlases": [[0, 0]], "touched": [], "made": WHEN}],
    }  # fmt: skip
    out = io.BytesIO()
    record = project_file._decoded(json.dumps(plain).encode(), r.Project, "test")
    project_file.write_project(out, record, lambda n: islands, files.__getitem__)
    return out.getvalue()


def entries_of(data: bytes) -> dict[str, bytes]:
    """What is in an archive."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def archive_of(entries: dict[str, bytes], compress: int = zipfile.ZIP_DEFLATED) -> bytes:
    """An archive of some entries."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", compress) as archive:
        for name, body in entries.items():
            archive.writestr(name, body)
    return out.getvalue()


def with_records(data: bytes, change: Callable[[Any], None]) -> bytes:
    """A project file whose records were changed, with a hash that fits them."""
    entries = entries_of(data)
    plain = copy.deepcopy(json.loads(entries["project.json"]))
    change(plain)
    entries["project.json"] = json.dumps(plain).encode()
    about = json.loads(entries["quilt.json"])
    about["sha256"] = hashlib.sha256(entries["project.json"]).hexdigest()
    entries["quilt.json"] = json.dumps(about).encode()
    return archive_of(entries)


def with_arrays(data: bytes, name: str, change: Callable[[Any], Any]) -> bytes:
    """A project file whose first base layout has another array, stored under its own hash."""
    plain = json.loads(entries_of(data)["project.json"])
    old = plain["bases"][0]["arrays"]
    with np.load(io.BytesIO(entries_of(data)[f"files/{old}"])) as found:
        arrays = {key: found[key] for key in found.files}
    arrays[name] = change(arrays[name].copy())
    out = io.BytesIO()
    np.savez(out, **arrays)
    new = hashlib.sha256(out.getvalue()).hexdigest()

    def renamed(plain: Any) -> None:
        for base in plain["bases"]:
            base["arrays"] = new if base["arrays"] == old else base["arrays"]

    entries = entries_of(with_records(data, renamed))
    entries.pop(f"files/{old}")
    return archive_of({**entries, f"files/{new}": out.getvalue()})


def with_islands(data: bytes, change: Callable[[Any], Any]) -> bytes:
    """A project file whose first state has other islands."""
    entries = entries_of(data)
    rows = change(np.load(io.BytesIO(entries["states/0.npy"])).copy())
    out = io.BytesIO()
    np.save(out, rows)
    return archive_of({**entries, "states/0.npy": out.getvalue()})
