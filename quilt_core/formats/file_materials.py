"""What a file's materials are, as plain values that can be stored: told without decoding a texture."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Any

import numpy as np

from quilt_core.errors import QuiltError
from quilt_core.formats.gltf_materials import MaterialBook, gltf_materials, painted_objects
from quilt_core.formats.load import GLTF, OBJ, format_of
from quilt_core.formats.obj_materials import obj_materials, painted_obj
from quilt_core.formats.texture_changes import TextureChange, changed_book
from quilt_core.scene.model import Material, Scene, Siblings
from quilt_core.textures.high_range import kind_of, size_of
from quilt_core.textures.materials import PLAIN, Slot, TextureBinding, TexturedMaterial
from quilt_core.textures.painted import Painted
from quilt_core.textures.pictures import opened

CHANNELS = {
    "1": 1,
    "L": 1,
    "LA": 2,
    "I;16": 1,
    "I": 1,
    "F": 1,
    "P": 3,
    "RGB": 3,
    "RGBA": 4,
    "PA": 4,
}


def material_book(
    scene: Scene, siblings: Siblings | None, changes: Sequence[TextureChange] = ()
) -> MaterialBook:
    """The materials of a file, whatever its format, with textures that were given to them."""
    own = format_of(scene.name)
    if own is OBJ:
        book = obj_materials(scene, siblings)
    elif own is GLTF:
        book = gltf_materials(scene.source.doc, scene.source.buffers, siblings)
    else:
        book = MaterialBook(
            tuple(
                TexturedMaterial(one.name, {}, PLAIN | {"baseColor": (*one.base_color, 1.0)})
                for one in (*scene.materials, Material("plain"))
            ),
            {},
            {},
        )
    return changed_book(book, changes) if changes else book


def is_obj(scene: Scene) -> bool:
    """Whether a scene came as OBJ."""
    return format_of(scene.name) is OBJ


def painted_of(scene: Scene, first_material: int) -> list[Painted]:
    """The objects of a file with their UVs as the file stores them; see `painted_objects`."""
    return (painted_objects if format_of(scene.name) is GLTF else painted_obj)(
        scene, first_material
    )


def facts_of(
    scene: Scene, siblings: Siblings | None, changes: Sequence[TextureChange] = ()
) -> dict[str, Any]:
    """Materials, textures and objects of a file.

    Returns
    -------
    dict
        looks (name, state, alpha, factors, uses, slots), textures (by number: name, mark, width,
        height, channels, bits, bytes; None for one that is missing), names of all of them, objects (materials that their faces
        have, whether some face reaches over more than one repeat, the texels that they cover, and how many times their
        textures of colour that is).
    """
    book = material_book(scene, siblings, changes)
    painted = painted_of(scene, 0)
    facts = {
        k: _image_facts(book.names.get(k, f"texture {k}"), data) for k, data in book.images.items()
    }

    def size(number: int, binding: TextureBinding) -> tuple[int, int] | None:
        row = facts.get(binding.image)
        return (row["width"], row["height"]) if row else None

    objects = []
    for own in painted:
        mine = sorted({int(k) for k in np.unique(own.face_materials)})
        repeats = False
        for number in mine:
            binding = book.materials[number].bindings.get("baseColor")
            repeats |= binding is not None and own.repeats(number, binding)
        area, there = own.covered(book.materials, size)
        times = area / there if there else 0.0
        objects.append({"materials": mine, "repeats": repeats, "px_area": area, "times": times})
    return {
        "materials": [_material_facts(material) for material in book.materials],
        "textures": {str(k): row for k, row in facts.items()},
        "names": {str(k): name for k, name in book.names.items()},
        "channels": [len(own.stored) for own in painted],
        "objects": objects,
    }


def _material_facts(material: TexturedMaterial) -> dict[str, Any]:
    return {
        "name": material.name,
        "state": material.state,
        "alpha": material.alpha,
        "factors": {name: list(values) for name, values in material.factors.items()},
        "slots": [[s.name, s.kind, list(s.channels)] for s in material.slots],
        "bindings": {
            name: [u.image, u.channel, u.matrix.tolist(), list(u.wrap), u.nearest]
            for name, u in material.bindings.items()
        },
    }


def _image_facts(name: str, data: bytes | None) -> dict[str, Any] | None:
    if data is None:
        return None
    if kind_of(data):
        return _high_range_facts(name, data)
    try:
        with opened(name, data) as image:
            width, height = image.size
            mode, kind = image.mode, image.format
    except QuiltError:  # whatever is wrong with it, it is no texture
        return None
    # Sixteen bits of colour are read as eight here; the header of a PNG tells (ISO/IEC 15948, 11.2.2).
    bits = data[24] if kind == "PNG" and len(data) > 25 else 16 if mode.startswith("I") else 8
    channels = (
        {0: 1, 2: 3, 3: 3, 4: 2, 6: 4}.get(data[25], 3) if kind == "PNG" else CHANNELS.get(mode, 3)
    )
    return {
        "name": name,
        "digest": hashlib.sha256(data).hexdigest(),
        "width": width,
        "height": height,
        "channels": channels,
        "bits": 16 if bits == 16 else 8,
        "bytes": len(data),
        "kind": kind,
    }


def _high_range_facts(name: str, data: bytes) -> dict[str, Any] | None:
    try:
        width, height = size_of(name, data)
    except QuiltError:
        return None
    return {
        "name": name,
        "digest": hashlib.sha256(data).hexdigest(),
        "width": width,
        "height": height,
        "channels": 3,
        "bits": 16,
        "bytes": len(data),
        "kind": kind_of(data),
    }


def materials_from(facts: dict[str, Any]) -> list[TexturedMaterial]:
    """The materials of `facts_of`; bindings of textures that are missing are left out."""
    out = []
    for row in facts["materials"]:
        bindings = {
            name: TextureBinding(image, channel, np.array(matrix), (wrap[0], wrap[1]), nearest)
            for name, (image, channel, matrix, wrap, nearest) in row["bindings"].items()
            if facts["textures"].get(str(image))
        }
        out.append(
            TexturedMaterial(
                row["name"],
                bindings,
                {name: tuple(values) for name, values in row["factors"].items()},
                row["state"],
                row["alpha"],
                tuple(Slot(name, kind, tuple(channels)) for name, kind, channels in row["slots"]),
            )
        )
    return out
