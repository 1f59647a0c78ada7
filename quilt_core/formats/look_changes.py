"""Pictures that are given to materials, taken from them, or brought in late."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

import cv2
import numpy as np

from quilt_core.formats.gltf_looks import LookBook
from quilt_core.formats.numbered import ALONE, over_tiles
from quilt_core.textures.decode import Picture, decode, encode_png
from quilt_core.textures.looks import GREY, PLAIN, Look, Slot, Use
from quilt_core.textures.roles import FREE, guess_role

FREE_SLOTS = {
    name: Slot(name, "data", (0, 1, 2) if name in ("id", "objectNormal") else GREY) for name in FREE
}
PARTS = {"roughness": ("metallicRoughness", 1), "metal": ("metallicRoughness", 2), "opacity": ("baseColor", 3)}  # fmt: skip
"""Roles that glTF keeps in one channel of another's picture."""
GREEN_DOWN = "normalGreenDown"
"""A normal map whose green points down; here it points up, as in glTF."""
NO_MATRIX = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


@dataclass(frozen=True, eq=False)
class PictureChange:
    """A picture of a material that the file does not have so.

    Parameters
    ----------
    name : str
        Of the picture's file.
    data : bytes, optional
        None takes the role's picture away.
    material : int
        Number among the file's materials; the one behind the last is that of faces without any.
    role : str
        Slot name, or one of `quilt_core.textures.roles.ROLES`.
    channel : int
        UV channel that it is read by, from 0.
    number : int
        Instead of material and role: the picture of the file that it stands for, -1 for none.
    tiles : (4,) int
        Column, row, columns and rows of the tiles that a numbered set covers.
    """

    name: str
    data: bytes | None
    material: int = -1
    role: str = ""
    channel: int = 0
    number: int = -1
    tiles: tuple[int, int, int, int] = ALONE


def changed_book(book: LookBook, changes: Sequence[PictureChange]) -> LookBook:
    """The looks of a file with changes made one after the other; those that fit nothing are left out."""
    looks = list(book.looks)
    pictures, names = dict(book.pictures), dict(book.names)
    fresh = 1 + max([*pictures, *names, -1])
    for change in changes:
        if change.number >= 0:
            if change.number in pictures:
                pictures[change.number] = change.data
                looks = [_over_tiles(look, change) for look in looks]
            continue
        if not 0 <= change.material < len(looks):
            continue
        look = looks[change.material]
        physical = "metallicRoughness" in look.factors
        if change.data is None:
            looks[change.material] = _without(look, change.role)
            continue
        data, role = change.data, change.role
        if role == "occlusionRoughnessMetallic":
            roles = ["occlusion", "metallicRoughness"] if physical else ["occlusion"]
        elif physical and role in PARTS:
            role, place = PARTS[role]
            old = look.uses.get(role)
            data = _put_together(change, place, pictures.get(old.picture) if old else None)
            roles = [role]
        else:
            roles = [role]
        if role == GREEN_DOWN:
            data, roles = _green_up(change), ["normal"]
        pictures[fresh], names[fresh] = data, change.name
        for role in roles:
            use = Use(fresh, change.channel, NO_MATRIX, nearest=role == "id")
            look = _with(look, role, over_tiles(use, change.tiles))
        looks[change.material] = look
        fresh += 1
    return LookBook(tuple(looks), pictures, names)


def _over_tiles(look: Look, change: PictureChange) -> Look:
    """A look whose missing picture came as a numbered set."""
    uses = {
        role: over_tiles(use, change.tiles) if use.picture == change.number else use
        for role, use in look.uses.items()
    }
    return replace(look, uses=uses)


def _without(look: Look, role: str) -> Look:
    uses = {name: use for name, use in look.uses.items() if name != role}
    return replace(look, uses=uses)


def _with(look: Look, role: str, use: Use) -> Look:
    """A look with a picture in a role. Where it had none its factor gives way: what is painted counts."""
    factors, slots = dict(look.factors), look.slots
    if role in FREE_SLOTS and role not in {slot.name for slot in slots}:
        slots = (*slots, FREE_SLOTS[role])
    if role not in look.uses:
        factors[role] = (1.0,) * len(factors.get(role, PLAIN.get(role, (1.0,))))
        if role in FREE_SLOTS:
            factors[role] = (1.0,) * len(FREE_SLOTS[role].channels)
    return replace(look, uses=look.uses | {role: use}, factors=factors, slots=slots)


def _put_together(change: PictureChange, place: int, old: bytes | None) -> bytes:
    """A PNG with one channel from another picture; the other ones as they were."""
    assert change.data is not None
    part = decode(change.name, change.data)
    if old is None:
        full = np.iinfo(part.pixels.dtype).max
        pixels = np.full_like(part.pixels, full)
        pixels[..., place] = part.pixels[..., 0]
        return encode_png(pixels)
    base = decode(change.name, old)
    deep = max(base.depth, part.depth)
    wide = max(base.size[0], part.size[0]), max(base.size[1], part.size[1])
    pixels = _as(base, deep, wide)
    pixels[..., place] = _as(part, deep, wide)[..., 0]
    return encode_png(pixels)


def _green_up(change: PictureChange) -> bytes:
    """A PNG of a normal map whose green pointed down."""
    assert change.data is not None
    pixels = decode(change.name, change.data).pixels.copy()
    green = pixels[..., 1]
    # The byte nearest to nothing at all, 128, is meant as flat, and stays so.
    flat = green == 128 if pixels.dtype == np.uint8 else np.zeros_like(green, bool)
    pixels[..., 1] = np.where(flat, green, np.iinfo(pixels.dtype).max - green)
    return encode_png(np.ascontiguousarray(pixels[..., :3]))


def _as(picture: Picture, depth: int, size: tuple[int, int]) -> np.ndarray:
    """The pixels of a picture with some bits and size."""
    pixels = picture.pixels
    if depth == 16 and picture.depth == 8:
        pixels = pixels.astype(np.uint16) * 257
    if picture.size != size:
        pixels = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_LINEAR))
    return pixels.copy()


@dataclass(frozen=True)
class Place:
    """Where a dropped picture belongs: a file, and a missing picture of it, or a material and a role there."""

    file: int
    number: int = -1
    material: int = -1
    role: str = ""


@dataclass(frozen=True)
class Known:
    """What is known of a file: its missing pictures by number, its materials, and the materials of its objects."""

    missing: Mapping[int, str]
    materials: Sequence[str]
    objects: Sequence[tuple[str, Sequence[int]]] = ()


def places_for(name: str, files: Sequence[Known]) -> list[Place]:
    """Where a picture belongs by its name: for missing pictures of that name, else to the material, or the material of
    the object, that it is called after, in the role that its ending tells.

    Examples
    --------
    >>> known = Known({3: "textures/wood.png"}, ["Crate", "Rope"])
    >>> places_for("Wood.PNG", [known])
    [Place(file=0, number=3, material=-1, role='')]
    >>> places_for("rope_normal.<UDIM>.png", [known])
    [Place(file=0, number=-1, material=1, role='normal')]
    >>> places_for("crate_normal.tga", [known])
    [Place(file=0, number=-1, material=0, role='normal')]
    >>> places_for("holiday.png", [known])
    []
    """
    base = _plain(PurePosixPath(name.replace("\\", "/")).name)
    out = [
        Place(k, number=number)
        for k, own in enumerate(files)
        for number, wanted in own.missing.items()
        if _plain(PurePosixPath(wanted.replace("\\", "/")).name) == base
    ]
    if out:
        return out
    role, stem = guess_role(name)
    if not role:
        return []
    wanted = _plain(stem)
    for same in (str.__eq__, str.startswith):
        for k, own in enumerate(files):
            named = [
                i for i, title in enumerate(own.materials) if title and same(wanted, _plain(title))
            ]
            if not named:
                named = [
                    i for title, rows in own.objects if same(wanted, _plain(title)) for i in rows
                ]
            out += [Place(k, material=i, role=role) for i in sorted(set(named))]
        if out:
            return out
    only = [(k, i) for k, own in enumerate(files) for i in range(len(own.materials))]
    return [Place(only[0][0], material=only[0][1], role=role)] if len(only) == 1 else []


def _plain(text: str) -> str:
    return "".join(c for c in text.lower() if c.isalnum() or c == ".")
