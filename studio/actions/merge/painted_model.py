"""How the objects of a layout are painted in their own files, for the model in the browser."""

from __future__ import annotations

import hashlib
import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.formats.file_materials import material_book, painted_of
from studio.actions.merge.list_materials import changes_of, given_digest, siblings_of
from studio.actions.scenes import scene_of
from studio.arrays import members_with_rows
from studio.geometry import cached, keep_cached
from studio.models import Revision, Source
from studio.state import members_of

FORMAT = 1
MOST_LAYERS = 64
"""Textures that the model shows at most; objects with others keep the colour of their material."""


def painted_digest(revision: Revision) -> str:
    """Another one whenever the objects, their files or what their materials were given change."""
    members = members_with_rows(members_of(revision))
    facts = [[m.object.pk, m.object.source.sha256, given_digest(m.object.source)] for m in members]
    return hashlib.sha256(json.dumps([FORMAT, facts]).encode()).hexdigest()[:24]


def painted_bytes(revision: Revision) -> bytes:
    """For each corner of the triangles, in the order in which the geometry has them: where its texture is read (u to
    the right, v down) and which layer that is.

    A JSON head with its length in front (uint32): `layers` (source, number of the texture or -1, digest, colour in linear
    light), `objects` (object, first corner, number of corners). Then float32, three for each corner.
    """
    name = f"painted-{painted_digest(revision)}"
    known = cached(name)
    if known is not None:
        return known
    layers: list[dict[str, Any]] = []
    at: dict[tuple[Any, ...], int] = {}
    objects: list[dict[str, int]] = []
    rows: list[NDArray[np.float32]] = []
    books: dict[int, Any] = {}
    first = 0
    for member in members_with_rows(members_of(revision)):
        source = member.object.source
        if source.pk not in books:
            books[source.pk] = _read(source)
        book, painted = books[source.pk]
        own = painted[member.object.number]
        tris = own.mesh.triangles
        material_at = own.face_materials[own.mesh.triangle_face]
        found = np.zeros((len(tris), 3, 3), np.float32)
        for number in np.unique(material_at):
            material = book.materials[int(number)]
            binding = material.bindings.get("baseColor")
            fine = (
                binding is not None
                and binding.channel < len(own.stored)
                and book.images.get(binding.image)
            )
            colour = tuple(material.factors.get("baseColor", (1.0,) * 4)[:3])
            key = (source.pk, binding.image if fine and binding else -1, colour)
            if key not in at and len(layers) >= MOST_LAYERS:
                key = next(iter(at))
            if key not in at:
                at[key] = len(layers)
                layers.append(
                    {
                        "source": source.pk,
                        "number": key[1],
                        "digest": given_digest(source),
                        "colour": colour,
                    }
                )
            mine = material_at == number
            found[mine, :, 2] = at[key]
            if fine and binding:
                uv = (
                    own.stored[binding.channel][tris[mine]] @ binding.matrix[:, :2].T
                    + binding.matrix[:, 2]
                )
                found[mine, :, :2] = np.nan_to_num(uv)
        objects.append({"object": member.object.pk, "first": first, "count": 3 * len(tris)})
        first += 3 * len(tris)
        rows.append(found.reshape(-1, 3))
    head = json.dumps({"layers": layers, "objects": objects}).encode()
    head += b" " * (-len(head) % 4)
    body = np.concatenate(rows).astype("<f4").tobytes() if rows else b""
    data = len(head).to_bytes(4, "little") + head + body
    keep_cached(name, data)
    return data


def _read(source: Source) -> tuple[Any, Any]:
    scene = scene_of(source)
    book = material_book(scene, siblings_of(source), changes_of(source))
    return book, painted_of(scene, 0)
