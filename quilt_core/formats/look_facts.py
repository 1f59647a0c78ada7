"""What a file's materials are, as plain values that can be stored: told without decoding a picture."""

from __future__ import annotations

import hashlib
import io
import warnings
from collections.abc import Sequence
from typing import Any

import numpy as np
from PIL import Image

from quilt_core.errors import QuiltError
from quilt_core.formats.gltf_looks import LookBook, gltf_looks, painted_objects
from quilt_core.formats.load import GLTF, OBJ, format_of
from quilt_core.formats.look_changes import PictureChange, changed_book
from quilt_core.formats.obj_looks import obj_looks, painted_obj
from quilt_core.scene.model import Material, Scene, Siblings
from quilt_core.textures.high_range import kind_of, size_of
from quilt_core.textures.looks import PLAIN, Look, Slot, Use
from quilt_core.textures.painted import Painted

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


def look_book(
    scene: Scene, siblings: Siblings | None, changes: Sequence[PictureChange] = ()
) -> LookBook:
    """The looks of a file, whatever its format, with pictures that were given to them."""
    own = format_of(scene.name)
    if own is OBJ:
        book = obj_looks(scene, siblings)
    elif own is GLTF:
        book = gltf_looks(scene.source.doc, scene.source.buffers, siblings)
    else:
        book = LookBook(
            tuple(
                Look(one.name, {}, PLAIN | {"baseColor": (*one.base_color, 1.0)})
                for one in (*scene.materials, Material("plain"))
            ),
            {},
            {},
        )
    return changed_book(book, changes) if changes else book


def is_obj(scene: Scene) -> bool:
    """Whether a scene came as OBJ."""
    return format_of(scene.name) is OBJ


def painted_of(scene: Scene, first_look: int) -> list[Painted]:
    """The objects of a file with their UVs as the file stores them; see `painted_objects`."""
    return (painted_objects if format_of(scene.name) is GLTF else painted_obj)(scene, first_look)


def facts_of(
    scene: Scene, siblings: Siblings | None, changes: Sequence[PictureChange] = ()
) -> dict[str, Any]:
    """Materials, pictures and objects of a file.

    Returns
    -------
    dict
        looks (name, state, alpha, factors, uses, slots), pictures (by number: name, mark, width,
        height, channels, bits, bytes; None for one that is missing), names of all of them, objects (looks that their faces
        have, whether some face reaches over more than one repeat, the texels that they cover, and how many times their
        pictures of colour that is).
    """
    book = look_book(scene, siblings, changes)
    painted = painted_of(scene, 0)
    facts = {
        k: _picture_facts(book.names.get(k, f"picture {k}"), data)
        for k, data in book.pictures.items()
    }

    def size(number: int, use: Use) -> tuple[int, int] | None:
        row = facts.get(use.picture)
        return (row["width"], row["height"]) if row else None

    objects = []
    for own in painted:
        mine = sorted({int(k) for k in np.unique(own.face_look)})
        repeats = False
        for number in mine:
            use = book.looks[number].uses.get("baseColor")
            repeats |= use is not None and own.repeats(number, use)
        area, there = own.covered(book.looks, size)
        times = area / there if there else 0.0
        objects.append({"looks": mine, "repeats": repeats, "px_area": area, "times": times})
    return {
        "looks": [_look_facts(look) for look in book.looks],
        "pictures": {str(k): row for k, row in facts.items()},
        "names": {str(k): name for k, name in book.names.items()},
        "channels": [len(own.stored) for own in painted],
        "objects": objects,
    }


def _look_facts(look: Look) -> dict[str, Any]:
    return {
        "name": look.name,
        "state": look.state,
        "alpha": look.alpha,
        "factors": {name: list(values) for name, values in look.factors.items()},
        "slots": [[s.name, s.kind, list(s.channels)] for s in look.slots],
        "uses": {
            name: [u.picture, u.channel, u.matrix.tolist(), list(u.wrap), u.nearest]
            for name, u in look.uses.items()
        },
    }


def _picture_facts(name: str, data: bytes | None) -> dict[str, Any] | None:
    if data is None:
        return None
    if kind_of(data):
        return _high_range_facts(name, data)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data)) as picture:
                width, height = picture.size
                mode, kind = picture.mode, picture.format
    except Exception:  # whatever is wrong with it, it is no picture
        return None
    # Sixteen bits of colour are read as eight here; the header of a PNG tells (ISO/IEC 15948, 11.2.2).
    bits = data[24] if kind == "PNG" and len(data) > 25 else 16 if mode.startswith("I") else 8
    channels = (
        {0: 1, 2: 3, 3: 3, 4: 2, 6: 4}.get(data[25], 3) if kind == "PNG" else CHANNELS.get(mode, 3)
    )
    return {
        "name": name,
        "mark": hashlib.sha256(data).hexdigest(),
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
        "mark": hashlib.sha256(data).hexdigest(),
        "width": width,
        "height": height,
        "channels": 3,
        "bits": 16,
        "bytes": len(data),
        "kind": kind_of(data),
    }


def looks_from(facts: dict[str, Any]) -> list[Look]:
    """The looks of `facts_of`; uses of pictures that are missing are left out."""
    out = []
    for row in facts["looks"]:
        uses = {
            name: Use(picture, channel, np.array(matrix), (wrap[0], wrap[1]), nearest)
            for name, (picture, channel, matrix, wrap, nearest) in row["uses"].items()
            if facts["pictures"].get(str(picture))
        }
        out.append(
            Look(
                row["name"],
                uses,
                {name: tuple(values) for name, values in row["factors"].items()},
                row["state"],
                row["alpha"],
                tuple(Slot(name, kind, tuple(channels)) for name, kind, channels in row["slots"]),
            )
        )
    return out
