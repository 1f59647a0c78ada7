"""Files that are merged: their materials, numbered through, and their decoded textures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats.file_materials import material_book, painted_of
from quilt_core.formats.gltf_materials import MaterialBook
from quilt_core.formats.gltf_merge import objects_with_variants
from quilt_core.formats.load import GLTF, OBJ, format_of
from quilt_core.formats.texture_changes import TextureChange
from quilt_core.scene.model import Scene, Siblings
from quilt_core.textures.decode import DecodedImage, decode
from quilt_core.textures.materials import TextureBinding, TexturedMaterial
from quilt_core.textures.painted import Painted


@dataclass(eq=False)
class Case:
    """Files with their materials, numbered through."""

    scenes: Sequence[Scene]
    siblings: Sequence[Siblings | None]
    books: list[MaterialBook] = field(default_factory=list)
    first_material: list[int] = field(default_factory=list)
    materials: list[TexturedMaterial] = field(default_factory=list)
    canonical: list[int] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    decoded: dict[tuple[int, int], DecodedImage | None] = field(default_factory=dict)
    of_book: list[int] = field(default_factory=list)

    def image(self, material: int, number: int) -> DecodedImage | None:
        """A decoded texture of a material."""
        key = (self.of_book[material], number)
        if key not in self.decoded:
            book, scene = self.books[key[0]], self.scenes[key[0]]
            name = f"{scene.name}, {book.names.get(number, number)}"
            data = book.images.get(number)
            found = None
            if data is None:
                self.notes.append(f"{name}: the texture is not there; it is left out.")
            else:
                try:
                    found = decode(name, data)
                    if found.clipped:
                        self.notes.append(
                            f"{name}: what is brighter than 1 is cut off at 1; merged textures have no more."
                        )
                except QuiltError as error:
                    self.notes.append(f"{name}: {error.what} It is left out.")
            self.decoded[key] = found
        return self.decoded[key]

    def digest(self, material: int, binding: TextureBinding) -> str:
        """Equal for textures with equal pixels."""
        image = self.image(material, binding.image)
        return image.digest if image else ""

    def size(self, material: int, binding: TextureBinding) -> tuple[int, int] | None:
        """Size of a binding's texture."""
        image = self.image(material, binding.image)
        return image.size if image else None


def read_materials(
    scenes: Sequence[Scene],
    siblings: Sequence[Siblings | None],
    changes: Sequence[Sequence[TextureChange]] | None = None,
) -> Case:
    """Read the materials of files, with a reader of the files beside each, and textures that were
    given to them."""
    case = Case(scenes, siblings)
    known: dict[Any, int] = {}
    for number, (scene, find) in enumerate(zip(scenes, siblings, strict=True)):
        book = material_book(scene, find, changes[number] if changes else ())
        case.books.append(book)
        case.first_material.append(len(case.materials))
        for material in book.materials:
            at = len(case.materials)
            case.of_book.append(number)
            # What has no texture that can be read is a material without one.
            bindings = {
                n: binding
                for n, binding in material.bindings.items()
                if _readable(case, material, binding, at)
            }
            material = replace(material, bindings=bindings)
            case.materials.append(material)
            case.canonical.append(known.setdefault(_content(case, at), at))
    return case


def _readable(case: Case, material: TexturedMaterial, binding: TextureBinding, at: int) -> bool:
    return case.image(at, binding.image) is not None


def _content(case: Case, at: int) -> Any:
    """Equal for materials that are the same, whatever file they are of."""
    material = case.materials[at]
    bindings = []
    for name, binding in sorted(material.bindings.items()):
        image = case.image(at, binding.image)
        digest = image.digest if image else ""
        bindings.append(
            (name, digest, binding.channel, binding.matrix.tobytes(), binding.wrap, binding.nearest)
        )
    factors = tuple(sorted((name, tuple(value)) for name, value in material.factors.items()))
    return material.state, material.alpha, factors, tuple(bindings)


def members_of(
    case: Case, wanted: Sequence[Sequence[bool]]
) -> tuple[list[list[int]], list[Painted]]:
    """Objects of each file that are merged, and all of them in order; a LayoutError where there are none."""
    members, painted = painted_members(case, wanted)
    if not painted:
        raise LayoutError(
            "No object can be merged.", "", "Bring in files whose materials are not switched."
        )
    return members, painted


def painted_members(
    case: Case, wanted: Sequence[Sequence[bool]]
) -> tuple[list[list[int]], list[Painted]]:
    """Objects of each file whose textures can be read, and all of them in order."""
    members: list[list[int]] = []
    painted: list[Painted] = []
    table = np.array(case.canonical, np.int64)
    for scene, first, asked in zip(case.scenes, case.first_material, wanted, strict=True):
        own = painted_of(scene, first)
        if format_of(scene.name) not in (OBJ, GLTF):
            case.notes.append(
                f"{scene.name}: textures of this format are not merged; it stays as it is."
            )
            members.append([])
            continue
        out = set(objects_with_variants(scene)) if format_of(scene.name) is GLTF else set()
        for number in sorted(k for k in out if asked[k]):
            case.notes.append(
                f"{scene.name}: “{scene.objects[number].name}” has materials that can be switched (KHR_materials_variants); it stays as it is."
            )
        kept = [k for k in range(len(own)) if asked[k] and k not in out]
        members.append(kept)
        painted += [replace(own[k], face_materials=table[own[k].face_materials]) for k in kept]
    return members, painted
