"""Object geometry as stored arrays, and the layout of a revision put together from them."""

from __future__ import annotations

import io
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.pack.controls import Controls
from quilt_core.scene import (
    IslandSet,
    SceneObject,
    Surface,
    TileSize,
    concatenate,
    join_surfaces,
    pixel_sizes,
)
from quilt_core.scene.naming import unique_names
from quilt_core.scene.surface import ARRAYS as SURFACE_FIELDS
from studio import storage
from studio.models import MeshObject, Revision

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


def store_geometry(obj: SceneObject, islands: IslandSet, surface: Surface) -> str:
    """Store what measuring, proving, packing and drawing need of an object; returns the key."""
    mesh = obj.mesh
    out = io.BytesIO()
    channel = mesh.channels[0].per_corner if mesh.channels else np.full((len(mesh.corner_vertex), 2), np.nan)
    uv = channel[mesh.triangles]
    face_ok = np.ones(mesh.face_count, bool)
    np.logical_and.at(face_ok, mesh.corner_face, np.isfinite(channel).all(axis=1))
    number = np.full(len(mesh.triangles), -1, np.int64)
    number[face_ok[mesh.triangle_face]] = islands.triangle_island
    np.savez(
        out,
        **{name: getattr(islands, name) for name in FIELDS},
        unflattened=np.array(islands.unflattened),
        corners=np.nan_to_num(mesh.positions[mesh.corner_vertex[mesh.triangles]]).astype(np.float32),
        corner_uv=np.nan_to_num(uv).astype(np.float32),
        corner_island=number,
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
    # Arrays that were stored before there were proportions are of square pictures.
    fields = {"proportion": np.ones(len(data["uv_area"]))} | {n: data[n] for n in FIELDS if n in data}
    return IslandSet(**fields, unflattened=tuple(int(n) for n in data["unflattened"]))


def islands_of(keys: list[str]) -> IslandSet:
    """The islands of some objects, by the keys of their geometry."""
    return concatenate([_islands(key) for key in keys])


SURFACE = "surface_"


def has_surface(key: str) -> bool:
    """Whether the stored arrays hold what proving needs; those of an earlier version do not."""
    return SURFACE + "points" in load_geometry(key)


def _surface(key: str) -> Surface:
    data = load_geometry(key)
    fields = {name: data[SURFACE + name] for name in SURFACE_FIELDS}
    return Surface(**fields, materials=tuple(str(name) for name in data[SURFACE + "materials"]))


def load_surface(layout: Layout) -> Surface:
    """The surface behind a layout's islands."""
    return join_surfaces(
        [_surface(obj.geometry) for obj in layout.objects], [obj.islands for obj in layout.objects]
    )


CONTROL_FIELDS = np.dtype(
    [("flags", "u1"), ("tile", "<i4"), ("bundle", "<i4"), ("stack", "<i4"), ("weight", "<f4")]
)


def free_controls(count: int) -> NDArray[Any]:
    """Controls of islands that nobody said anything about."""
    out = np.zeros(count, CONTROL_FIELDS)
    out["bundle"] = out["stack"] = -1
    out["weight"] = 1.0
    return out


def read_controls(revision: Revision) -> NDArray[Any]:
    """Controls of a revision's islands, one record each."""
    count = len(bytes(revision.unplaced))
    data = bytes(revision.controls)
    return np.frombuffer(data, CONTROL_FIELDS).copy() if data else free_controls(count)


@dataclass(frozen=True)
class TileRow:
    """A tile of a revision."""

    number: int
    width: int
    height: int
    label: str = ""
    frozen: bool = False

    @property
    def size(self) -> TileSize:
        """As the core takes it."""
        return TileSize(self.number, self.width, self.height)

    def row(self) -> list[Any]:
        """As a revision keeps it."""
        return [self.number, self.width, self.height, self.label, self.frozen]


def tiles_of(revision: Revision) -> list[TileRow]:
    """Tiles of a revision in the order of their numbers."""
    return sorted((TileRow(*row) for row in revision.tiles), key=lambda tile: tile.number)


@dataclass(frozen=True, eq=False)
class Layout:
    """A revision with its objects and arrays."""

    revision: Revision
    objects: list[MeshObject]
    islands: IslandSet
    placements: FloatArray
    unplaced: NDArray[np.bool_]
    controls: NDArray[Any]

    @property
    def tiles(self) -> list[TileRow]:
        """Tiles in the order of their numbers."""
        return tiles_of(self.revision)

    @property
    def size(self) -> tuple[int, int]:
        """px of the first tile."""
        return self.tiles[0].width, self.tiles[0].height

    @property
    def pixels(self) -> FloatArray:
        """(I, 2) px per UV of each island's tile."""
        return pixel_sizes(self.islands, self.placements, [tile.size for tile in self.tiles])

    def object_names(self) -> list[str]:
        """What to call each object; no two are called the same."""
        return names_of(self.objects)

    def names(self) -> list[str]:
        """What to call each island: its object and its number there."""
        names = self.object_names()
        return [
            f"{name} island {k + 1}"
            for name, obj in zip(names, self.objects, strict=True)
            for k in range(obj.islands)
        ]


def names_of(objects: list[MeshObject]) -> list[str]:
    """Names that tell objects apart."""
    return unique_names([obj.name for obj in objects], [obj.source.name for obj in objects])


def objects_of(revision: Revision) -> list[MeshObject]:
    """Objects of a revision in its order."""
    found = MeshObject.objects.select_related("source").in_bulk([row[0] for row in revision.contents])
    return [found[row[0]] for row in revision.contents]


def load_layout(revision: Revision) -> Layout:
    """Put a revision's layout together."""
    objects = objects_of(revision)
    said = dict(revision.atlas.members.exclude(proportion=None).values_list("object_id", "proportion"))
    sets = [_islands(obj.geometry) for obj in objects]
    for k, obj in enumerate(objects):
        if obj.pk in said:
            sets[k] = replace(sets[k], proportion=np.full(sets[k].count, said[obj.pk]))
    return Layout(
        revision,
        objects,
        concatenate(sets),
        np.frombuffer(bytes(revision.placements), np.float64).reshape(-1, 2, 3),
        np.frombuffer(bytes(revision.unplaced), np.uint8).astype(bool),
        read_controls(revision),
    )


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
