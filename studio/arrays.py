"""Base layouts as stored arrays, and layouts of revisions as the core takes them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from threading import Lock
from typing import Any

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from quilt_core.document import layout as core
from quilt_core.document.base import (
    Base,
    base_arrays,
    base_bytes,
    in_proportion,
    islands_from,
    surface_from,
)
from quilt_core.document.state import MemberRow
from quilt_core.scene import IslandSet, SceneObject, Surface, concatenate, part_of_islands
from quilt_core.scene.naming import unique_names
from studio import storage
from studio.models import BaseLayout, MeshObject, Revision, Source
from studio.state import read_state

MOST_KEPT = 128 * 2**20
"""Bytes of base layouts that a process keeps: those of some thousand small objects."""
ARRAYS_EACH = 6000
"""Bytes that the arrays of one take beside their numbers."""


def store_geometry(obj: SceneObject, base: Base) -> str:
    """Store a base layout; returns the key."""
    return storage.put(base_bytes(obj, base))


def _size(arrays: dict[str, NDArray[Any]]) -> int:
    return ARRAYS_EACH + sum(array.nbytes for array in arrays.values())


@cached(LRUCache(MOST_KEPT, _size), lock=Lock())
def load_geometry(key: str) -> dict[str, NDArray[Any]]:
    """The stored arrays of a base layout."""
    return base_arrays(storage.get(key))


def load_base(key: str) -> Base:
    """A stored base layout."""
    data = load_geometry(key)
    return Base(data["uv"], data["face_island"], islands_from(data), lambda: surface_from(data))


def islands_of(keys: list[str]) -> IslandSet:
    """The islands of some objects, by the keys of their geometry."""
    return concatenate([islands_from(load_geometry(key)) for key in keys])


@dataclass(frozen=True, eq=False)
class Member:
    """An object's part in a layout, with the rows it is made of."""

    row: MemberRow
    object: MeshObject
    base: BaseLayout

    @property
    def proportion(self) -> float:
        """Width / height of its image: as was said, else as the files say."""
        return self.row.proportion or self.base.proportion

    @property
    def name(self) -> str:
        """Of the object."""
        return self.object.name

    @property
    def file(self) -> str:
        """Path of its source."""
        return self.object.source.name

    @property
    def source(self) -> int:
        """Key of its source."""
        return self.object.source_id

    @property
    def number(self) -> int:
        """Place of the object in its source."""
        return self.object.number

    @property
    def colour(self) -> int:
        """Number of its colour, from 0."""
        return self.object.colour_number

    @property
    def channel(self) -> int:
        """UV channel, from 0."""
        return self.base.channel

    @property
    def made(self) -> bool:
        """Whether its base layout is not the file's."""
        return self.base.parent_id is not None

    @property
    def weld(self) -> float:
        """Part of the object's size within which vertices count as one."""
        return self.base.weld

    @property
    def useless(self) -> bool:
        """Whether it has no UVs, or such as are of no use."""
        return self.base.useless or self.base.islands == 0

    def base_layout(self) -> Base:
        """Its base layout."""
        return load_base(self.base.geometry)

    def with_base(self, made: core.Made) -> Member:
        """The member with another base layout, whose row is not saved yet."""
        islands = made.base.islands
        base = BaseLayout(
            object=self.object, channel=self.base.channel, verb=made.how, parent=self.base,
            geometry=store_geometry(made.obj, made.base), islands=islands.count,
            unflattened=islands.unflattened[0], weld=made.weld,
        )  # fmt: skip
        row = replace(self.row, base=-self.object.pk, islands=islands.count, part=None, whole=0)
        return Member(row, self.object, base)


@dataclass(frozen=True, eq=False)
class Layout(core.Layout):
    """A revision with its objects and arrays."""

    members: Sequence[Member]
    revision: Revision

    @cached_property
    def islands(self) -> IslandSet:
        """All islands, as their base layouts have them."""
        return _joined(tuple((m.base.geometry, m.row.proportion, m.row.part) for m in self.members))

    @cached_property
    def surface(self) -> Surface:
        """The surface behind the islands."""
        return _joined_surface(tuple((m.base.geometry, m.row.part) for m in self.members))

    @property
    def objects(self) -> list[MeshObject]:
        """Objects in order."""
        return [member.object for member in self.members]


def names_of(objects: list[MeshObject]) -> list[str]:
    """Names that tell objects apart."""
    return unique_names([obj.name for obj in objects], [obj.source.name for obj in objects])


def bases_of(rows: Sequence[MemberRow]) -> dict[int, BaseLayout]:
    """Base layouts of members by their ids, with their objects and sources."""
    found = BaseLayout.objects.select_related("object").in_bulk({row.base for row in rows})
    # Many objects are of one file: its row is read once.
    sources = Source.objects.in_bulk({base.object.source_id for base in found.values()})
    for base in found.values():
        base.object.source = sources[base.object.source_id]
    return found


def members_with_rows(rows: Sequence[MemberRow]) -> list[Member]:
    """Members with their objects and base layouts."""
    found = bases_of(rows)
    return [Member(row, found[row.base].object, found[row.base]) for row in rows]


def load_layout(revision: Revision) -> Layout:
    """Put a revision's layout together."""
    state = read_state(revision)
    return Layout(state, members_with_rows(state.members), revision)


Part = tuple[int, ...] | None


@lru_cache(maxsize=4)
def _joined(parts: tuple[tuple[str, float | None, Part], ...]) -> IslandSet:
    sets = []
    for key, said, part in parts:
        own = islands_from(load_geometry(key))
        own = own if part is None else part_of_islands(own, np.array(part))
        sets.append(own if said is None else in_proportion(own, said))
    return concatenate(sets)


@lru_cache(maxsize=2)
def _joined_surface(parts: tuple[tuple[str, Part], ...]) -> Surface:
    return core.member_surfaces([(load_base(key), part) for key, part in parts])
