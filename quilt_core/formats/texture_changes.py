"""Textures that are given to materials, taken from them, or brought in late."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

import cv2
import numpy as np

from quilt_core.formats.gltf_materials import MaterialBook
from quilt_core.formats.numbered import ALONE, over_tiles
from quilt_core.textures.decode import DecodedImage, decode, encode_png
from quilt_core.textures.materials import GREY, PLAIN, Slot, TextureBinding, TexturedMaterial
from quilt_core.textures.roles import FREE, guess_role

FREE_SLOTS = {
    name: Slot(name, "data", (0, 1, 2) if name in ("id", "objectNormal") else GREY) for name in FREE
}
PARTS = {"roughness": ("metallicRoughness", 1), "metal": ("metallicRoughness", 2), "opacity": ("baseColor", 3)}  # fmt: skip
"""Roles that glTF keeps in one channel of another's texture."""
GREEN_DOWN = "normalGreenDown"
"""A normal map whose green points down; here it points up, as in glTF."""
NO_MATRIX = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


@dataclass(frozen=True, eq=False)
class TextureChange:
    """A texture of a material that the file does not have so.

    Parameters
    ----------
    name : str
        Of the texture's file.
    data : bytes, optional
        None takes the role's texture away.
    material : int
        Number among the file's materials; the one behind the last is that of faces without any.
    role : str
        Slot name, or one of `quilt_core.textures.roles.ROLES`.
    channel : int
        UV channel that it is read by, from 0.
    number : int
        Instead of material and role: the texture of the file that it stands for, -1 for none.
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


def changed_book(book: MaterialBook, changes: Sequence[TextureChange]) -> MaterialBook:
    """The materials of a file with changes made one after the other; those that fit nothing are left out."""
    own_materials = list(book.materials)
    images, names = dict(book.images), dict(book.names)
    fresh = 1 + max([*images, *names, -1])
    for change in changes:
        if change.number >= 0:
            if change.number in images:
                images[change.number] = change.data
                own_materials = [_over_tiles(textured, change) for textured in own_materials]
            continue
        if not 0 <= change.material < len(own_materials):
            continue
        textured = own_materials[change.material]
        physical = "metallicRoughness" in textured.factors
        if change.data is None:
            own_materials[change.material] = _without(textured, change.role)
            continue
        data, role = change.data, change.role
        if role == "occlusionRoughnessMetallic":
            roles = ["occlusion", "metallicRoughness"] if physical else ["occlusion"]
        elif physical and role in PARTS:
            role, place = PARTS[role]
            old = textured.bindings.get(role)
            data = _put_together(change, place, images.get(old.image) if old else None)
            roles = [role]
        else:
            roles = [role]
        if role == GREEN_DOWN:
            data, roles = _green_up(change), ["normal"]
        images[fresh], names[fresh] = data, change.name
        for role in roles:
            binding = TextureBinding(fresh, change.channel, NO_MATRIX, nearest=role == "id")
            textured = _with(textured, role, over_tiles(binding, change.tiles))
        own_materials[change.material] = textured
        fresh += 1
    return MaterialBook(tuple(own_materials), images, names)


def _over_tiles(textured: TexturedMaterial, change: TextureChange) -> TexturedMaterial:
    """A material whose missing texture came as a numbered set."""
    bindings = {
        role: over_tiles(binding, change.tiles) if binding.image == change.number else binding
        for role, binding in textured.bindings.items()
    }
    return replace(textured, bindings=bindings)


def _without(textured: TexturedMaterial, role: str) -> TexturedMaterial:
    bindings = {name: binding for name, binding in textured.bindings.items() if name != role}
    return replace(textured, bindings=bindings)


def _with(textured: TexturedMaterial, role: str, binding: TextureBinding) -> TexturedMaterial:
    """A material with a texture in a role. Where it had none its factor gives way: what is painted counts."""
    factors, slots = dict(textured.factors), textured.slots
    if role in FREE_SLOTS and role not in {slot.name for slot in slots}:
        slots = (*slots, FREE_SLOTS[role])
    if role not in textured.bindings:
        factors[role] = (1.0,) * len(factors.get(role, PLAIN.get(role, (1.0,))))
        if role in FREE_SLOTS:
            factors[role] = (1.0,) * len(FREE_SLOTS[role].channels)
    return replace(
        textured, bindings=textured.bindings | {role: binding}, factors=factors, slots=slots
    )


def _put_together(change: TextureChange, place: int, old: bytes | None) -> bytes:
    """A PNG with one channel from another texture; the other ones as they were."""
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


def _green_up(change: TextureChange) -> bytes:
    """A PNG of a normal map whose green pointed down."""
    assert change.data is not None
    pixels = decode(change.name, change.data).pixels.copy()
    green = pixels[..., 1]
    # The byte nearest to nothing at all, 128, is meant as flat, and stays so.
    flat = green == 128 if pixels.dtype == np.uint8 else np.zeros_like(green, bool)
    pixels[..., 1] = np.where(flat, green, np.iinfo(pixels.dtype).max - green)
    return encode_png(np.ascontiguousarray(pixels[..., :3]))


def _as(image: DecodedImage, depth: int, size: tuple[int, int]) -> np.ndarray:
    """The pixels of a texture with some bits and size."""
    pixels = image.pixels
    if depth == 16 and image.depth == 8:
        pixels = pixels.astype(np.uint16) * 257
    if image.size != size:
        pixels = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_LINEAR))
    return pixels.copy()


@dataclass(frozen=True)
class Place:
    """Where a dropped texture belongs: a file, and a missing texture of it, or a material and a role there."""

    file: int
    number: int = -1
    material: int = -1
    role: str = ""


@dataclass(frozen=True)
class Known:
    """What is known of a file: its missing textures by number, its materials, and the materials of its objects."""

    missing: Mapping[int, str]
    materials: Sequence[str]
    objects: Sequence[tuple[str, Sequence[int]]] = ()


def places_for(name: str, files: Sequence[Known]) -> list[Place]:
    """Where a texture belongs by its name: for missing textures of that name, else to the material, or the material of
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
