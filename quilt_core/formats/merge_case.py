"""Files that are merged: their looks, numbered through, and their decoded pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats.gltf_looks import LookBook
from quilt_core.formats.gltf_merge import objects_with_variants
from quilt_core.formats.load import GLTF, OBJ, format_of
from quilt_core.formats.look_changes import PictureChange
from quilt_core.formats.look_facts import look_book, painted_of
from quilt_core.scene.model import Scene, Siblings
from quilt_core.textures.decode import Picture, decode
from quilt_core.textures.looks import Look, Use
from quilt_core.textures.painted import Painted


@dataclass(eq=False)
class Case:
    """Files with their looks, numbered through."""

    scenes: Sequence[Scene]
    siblings: Sequence[Siblings | None]
    books: list[LookBook] = field(default_factory=list)
    first_look: list[int] = field(default_factory=list)
    looks: list[Look] = field(default_factory=list)
    canonical: list[int] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    decoded: dict[tuple[int, int], Picture | None] = field(default_factory=dict)
    of_book: list[int] = field(default_factory=list)

    def picture(self, look: int, number: int) -> Picture | None:
        """A decoded picture of a look."""
        key = (self.of_book[look], number)
        if key not in self.decoded:
            book, scene = self.books[key[0]], self.scenes[key[0]]
            name = f"{scene.name}, {book.names.get(number, number)}"
            data = book.pictures.get(number)
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

    def digest(self, look: int, use: Use) -> str:
        """Equal for pictures with equal pixels."""
        picture = self.picture(look, use.picture)
        return picture.digest if picture else ""

    def size(self, look: int, use: Use) -> tuple[int, int] | None:
        """Size of a use's picture."""
        picture = self.picture(look, use.picture)
        return picture.size if picture else None


def read_looks(
    scenes: Sequence[Scene],
    siblings: Sequence[Siblings | None],
    changes: Sequence[Sequence[PictureChange]] | None = None,
) -> Case:
    """Read the materials of files, with a reader of the files beside each, and pictures that were
    given to them."""
    case = Case(scenes, siblings)
    known: dict[Any, int] = {}
    for number, (scene, find) in enumerate(zip(scenes, siblings, strict=True)):
        book = look_book(scene, find, changes[number] if changes else ())
        case.books.append(book)
        case.first_look.append(len(case.looks))
        for look in book.looks:
            at = len(case.looks)
            case.of_book.append(number)
            # What has no picture that can be read is a material without one.
            uses = {n: use for n, use in look.uses.items() if _readable(case, look, use, at)}
            look = replace(look, uses=uses)
            case.looks.append(look)
            case.canonical.append(known.setdefault(_content(case, at), at))
    return case


def _readable(case: Case, look: Look, use: Use, at: int) -> bool:
    return case.picture(at, use.picture) is not None


def _content(case: Case, at: int) -> Any:
    """Equal for looks that are the same, whatever file they are of."""
    look = case.looks[at]
    uses = []
    for name, use in sorted(look.uses.items()):
        picture = case.picture(at, use.picture)
        digest = picture.digest if picture else ""
        uses.append((name, digest, use.channel, use.matrix.tobytes(), use.wrap, use.nearest))
    factors = tuple(sorted((name, tuple(value)) for name, value in look.factors.items()))
    return look.state, look.alpha, factors, tuple(uses)


def members_of(
    case: Case, wanted: Sequence[Sequence[bool]]
) -> tuple[list[list[int]], list[Painted]]:
    """Objects of each file that are merged, and all of them in order."""
    members: list[list[int]] = []
    painted: list[Painted] = []
    table = np.array(case.canonical, np.int64)
    for scene, first, asked in zip(case.scenes, case.first_look, wanted, strict=True):
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
        painted += [replace(own[k], face_look=table[own[k].face_look]) for k in kept]
    if not painted:
        raise LayoutError(
            "No object can be merged.", "", "Bring in files whose materials are not switched."
        )
    return members, painted
