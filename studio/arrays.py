"""Object geometry as stored arrays, and the layout of a revision put together from them."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack.controls import Controls
from quilt_core.scene import (
    IslandSet,
    Scene,
    SceneObject,
    Surface,
    concatenate,
    find_islands,
    join_surfaces,
    part_of_islands,
    part_of_surface,
    pixel_sizes,
    read_surface,
)
from quilt_core.scene.naming import unique_names
from quilt_core.scene.surface import ARRAYS as SURFACE_FIELDS
from studio import storage
from studio.models import BaseLayout, MeshObject, Revision
from studio.state import MemberRow, State, TileRow, read_state

FloatArray = NDArray[np.float64]

FIELDS = (
    "triangles",
    "triangle_island",
    "edges",
    "edge_island",
    "uv_area",
    "turned",
    "world_area",
    "world_length",
    "step",
    "proportion",
    "object_index",
)


@dataclass(frozen=True, eq=False)
class Base:
    """A base layout in full: its UVs, its islands and the surface behind them."""

    uv: FloatArray
    """(C, 2) UVs of the face corners, NaN for none."""
    face_island: NDArray[np.int64]
    """(F,) island of each face, -1 for none."""
    islands: IslandSet
    surface: Surface


def read_base(obj: SceneObject, channel: int, scene: Scene, uv_tolerance: float) -> Base:
    """The base layout that a file has for an object in a channel; one without islands where it has
    none."""
    mesh = obj.mesh
    if channel >= len(mesh.channels):
        bare = np.full((len(mesh.corner_vertex), 2), np.nan)
        found = read_surface(obj, channel, scene.metres_per_unit, scene.materials, uv_tolerance)
        return Base(bare, np.full(mesh.face_count, -1, np.int64), *found)
    islands = find_islands(mesh, mesh.channels[channel], tolerance=uv_tolerance)
    found = read_surface(
        obj, channel, scene.metres_per_unit, scene.materials, uv_tolerance, islands
    )
    return Base(islands.uv, islands.face_island, *found)


def store_geometry(obj: SceneObject, base: Base) -> str:
    """Store what measuring, proving, packing, drawing and writing need of a base layout; returns
    the key."""
    mesh, islands, surface = obj.mesh, base.islands, base.surface
    out = io.BytesIO()
    np.savez(
        out,
        uv=base.uv,
        face_island=base.face_island,
        **{name: getattr(islands, name) for name in FIELDS},
        unflattened=np.array(islands.unflattened),
        corners=np.nan_to_num(mesh.positions[mesh.corner_vertex[mesh.triangles]]).astype(
            np.float32
        ),
        corner_uv=np.nan_to_num(base.uv[mesh.triangles]).astype(np.float32),
        corner_island=base.face_island[mesh.triangle_face],
        **{SURFACE + name: getattr(surface, name) for name in SURFACE_FIELDS},
        **{SURFACE + "materials": np.array(surface.materials, np.str_)},
    )
    return storage.put(out.getvalue())


@lru_cache(maxsize=32)
def load_geometry(key: str) -> dict[str, NDArray[Any]]:
    """The stored arrays of an object."""
    with np.load(io.BytesIO(storage.get(key))) as data:
        return {name: data[name] for name in data.files}


def _islands(key: str) -> IslandSet:
    data = load_geometry(key)
    return IslandSet(
        **{n: data[n] for n in FIELDS}, unflattened=tuple(int(n) for n in data["unflattened"])
    )


def islands_of(keys: list[str]) -> IslandSet:
    """The islands of some objects, by the keys of their geometry."""
    return concatenate([_islands(key) for key in keys])


SURFACE = "surface_"


def _surface(key: str) -> Surface:
    data = load_geometry(key)
    fields = {name: data[SURFACE + name] for name in SURFACE_FIELDS}
    return Surface(**fields, materials=tuple(str(name) for name in data[SURFACE + "materials"]))


@dataclass(frozen=True, eq=False)
class Member:
    """An object's part in a layout, with the rows it is made of."""

    row: MemberRow
    object: MeshObject
    base: BaseLayout

    @property
    def proportion(self) -> float:
        """Width / height of its picture: as was said, else as the files say."""
        return self.row.proportion or self.base.proportion


@dataclass(frozen=True, eq=False)
class Layout:
    """A revision with its objects and arrays."""

    revision: Revision
    state: State
    members: list[Member]

    @cached_property
    def islands(self) -> IslandSet:
        """All islands, as their base layouts have them."""
        return _joined(tuple((m.base.geometry, m.row.proportion, m.row.part) for m in self.members))

    @cached_property
    def surface(self) -> Surface:
        """The surface behind the islands."""
        return _joined_surface(tuple((m.base.geometry, m.row.part) for m in self.members))

    @cached_property
    def placements(self) -> FloatArray:
        """(I, 2, 3) from base UVs to the tiles' plane."""
        return self.state.placements

    @cached_property
    def unplaced(self) -> NDArray[np.bool_]:
        """(I,) islands on the side table."""
        return self.state.unplaced

    @cached_property
    def controls(self) -> NDArray[Any]:
        """(I,) records of `CONTROL_FIELDS`."""
        return self.state.controls

    @property
    def objects(self) -> list[MeshObject]:
        """Objects in order."""
        return [member.object for member in self.members]

    @property
    def tiles(self) -> list[TileRow]:
        """Tiles in the order of their numbers."""
        return list(self.state.tiles)

    @property
    def pixels(self) -> FloatArray:
        """(I, 2) px per UV of each island's tile."""
        return pixel_sizes(self.islands, self.placements, [tile.size for tile in self.tiles])

    @property
    def weights(self) -> FloatArray:
        """(I,) weight of each island: its own times its object's."""
        each = np.array([member.row.weight for member in self.members])
        counts = [member.row.islands for member in self.members]
        return np.asarray(np.repeat(each, counts) * self.controls["weight"], np.float64)

    def object_names(self) -> list[str]:
        """What to call each object; no two are called the same."""
        return names_of(self.objects)

    @property
    def numbers(self) -> NDArray[np.int64]:
        """(I,) number of each island in its object, from 1, wherever the others lie."""
        parts = [np.zeros(0, np.int64), *(member.row.numbers + 1 for member in self.members)]
        return np.concatenate(parts)

    def names(self) -> list[str]:
        """What to call each island: its object and its number there."""
        names = self.object_names()
        return [
            f"{name} island {number}"
            for name, member in zip(names, self.members, strict=True)
            for number in (member.row.numbers + 1).tolist()
        ]


def names_of(objects: list[MeshObject]) -> list[str]:
    """Names that tell objects apart."""
    return unique_names([obj.name for obj in objects], [obj.source.name for obj in objects])


def bases_of(rows: Sequence[MemberRow]) -> dict[int, BaseLayout]:
    """Base layouts of members by their ids, with their objects and sources."""
    return BaseLayout.objects.select_related("object__source").in_bulk({row.base for row in rows})


def members_with_rows(rows: Sequence[MemberRow]) -> list[Member]:
    """Members with their objects and base layouts."""
    found = bases_of(rows)
    return [Member(row, found[row.base].object, found[row.base]) for row in rows]


def load_layout(revision: Revision) -> Layout:
    """Put a revision's layout together."""
    state = read_state(revision)
    return Layout(revision, state, members_with_rows(state.members))


Part = tuple[int, ...] | None


@lru_cache(maxsize=4)
def _joined(parts: tuple[tuple[str, float | None, Part], ...]) -> IslandSet:
    sets = []
    for key, said, part in parts:
        own = _islands(key)
        own = own if part is None else part_of_islands(own, np.array(part))
        sets.append(own if said is None else replace(own, proportion=np.full(own.count, said)))
    return concatenate(sets)


@lru_cache(maxsize=2)
def _joined_surface(parts: tuple[tuple[str, Part], ...]) -> Surface:
    surfaces, counts = [], []
    for key, part in parts:
        islands, own = _islands(key), _surface(key)
        counts.append(islands.count if part is None else len(part))
        surfaces.append(own if part is None else part_of_surface(own, islands, np.array(part)))
    return join_surfaces(surfaces, counts)


def controls_of(layout: Layout, chosen: list[int]) -> Controls:
    """Controls as the core takes them; `chosen` are the islands to pack, all when empty."""
    rows = layout.controls
    use = np.ones(len(rows), bool)
    if chosen:
        use[:] = False
        use[[i for i in chosen if i < len(rows)]] = True
    return Controls(
        rows["flags"].copy(), rows["tile"].astype(np.int64), rows["bundle"].astype(np.int64),
        rows["stack"].astype(np.int64), use,
    )  # fmt: skip
