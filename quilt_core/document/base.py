"""Base layouts: UVs of an object in one channel, with its islands and the surface behind them. Never changed; an edit
makes another one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.plain_npz import read_npz, write_npz
from quilt_core.scene.island_set import PER_ISLAND, IslandSet, island_set
from quilt_core.scene.islands import find_islands
from quilt_core.scene.model import Scene, SceneObject
from quilt_core.scene.surface import ADDED_LATER, Surface, read_surface
from quilt_core.scene.surface import ARRAYS as SURFACE_FIELDS
from quilt_core.scene.types import FloatArray, IntArray

Arrays = Mapping[str, NDArray[Any]]

ISLAND_FIELDS = (
    "triangles",
    "triangle_island",
    "edges",
    "edge_island",
    *PER_ISLAND,
)
SURFACE = "surface_"
"""What names of arrays of the surface begin with."""


@dataclass(frozen=True, eq=False)
class Base:
    """A base layout in full.

    Parameters
    ----------
    uv : (C, 2) float64
        UVs of the face corners, NaN for none.
    face_island : (F,) int64
        Island of each face, -1 for none; islands are numbered from 0 in the order of their first face.
    islands : IslandSet
    find_surface : callable
        Gives the surface behind them: not every operation needs it.
    """

    uv: FloatArray
    face_island: IntArray
    islands: IslandSet
    find_surface: Callable[[], Surface]

    @cached_property
    def surface(self) -> Surface:
        """The surface behind the islands."""
        return self.find_surface()


def read_base(obj: SceneObject, channel: int, scene: Scene, uv_tolerance: float) -> Base:
    """The base layout that a file has for an object in a channel (from 0); one without islands where it has none."""
    mesh, unit, materials = obj.mesh, scene.metres_per_unit, scene.materials
    there = channel < len(mesh.channels)
    found = find_islands(mesh, mesh.channels[channel], tolerance=uv_tolerance) if there else None
    if found is None:
        uv = np.full((len(mesh.corner_vertex), 2), np.nan)
        of_face = np.full(mesh.face_count, -1, np.int64)
    else:
        uv, of_face = found.uv, found.face_island

    def read() -> tuple[IslandSet, Surface]:
        return read_surface(obj, channel, unit, materials, uv_tolerance, found)

    if found is not None and not any(m.image and m.image[0] != m.image[1] for m in materials):
        return Base(uv, of_face, island_set(obj, channel, unit, found), lambda: read()[1])
    islands, surface = read()
    return Base(uv, of_face, islands, lambda: surface)


def made_base(obj: SceneObject, channel: int, scene: Scene, uv_tolerance: float) -> Base:
    """The same for UVs that were made here: laid out for square texels, whatever textures the object brought."""
    base = read_base(obj, channel, scene, uv_tolerance)
    return replace(base, islands=in_proportion(base.islands, 1.0))


def in_proportion(islands: IslandSet, proportion: float) -> IslandSet:
    """Islands as laid out for an image of that width / height."""
    return replace(islands, proportion=np.full(islands.count, float(proportion)))


def base_bytes(obj: SceneObject, base: Base) -> bytes:
    """What measuring, checking, packing, drawing and writing need of a base layout, as one .npz."""
    mesh, islands, surface = obj.mesh, base.islands, base.surface
    corners = mesh.positions[mesh.corner_vertex[mesh.triangles]]
    arrays: dict[str, Any] = {
        "uv": base.uv,
        "face_island": base.face_island,
        **{name: getattr(islands, name) for name in ISLAND_FIELDS},
        "unflattened": np.array(islands.unflattened),
        "corners": np.nan_to_num(corners).astype(np.float32),
        "corner_uv": np.nan_to_num(base.uv[mesh.triangles]).astype(np.float32),
        "corner_island": base.face_island[mesh.triangle_face],
        **{SURFACE + name: getattr(surface, name) for name in SURFACE_FIELDS},
        SURFACE + "materials": np.array(surface.materials, np.str_),
    }
    return write_npz(arrays)


def base_arrays(data: bytes) -> dict[str, NDArray[Any]]:
    """Arrays of `base_bytes` by name."""
    later = {SURFACE + name: array for name, array in ADDED_LATER.items()}
    return later | read_npz(data)


def islands_from(arrays: Arrays) -> IslandSet:
    """The islands among the arrays of a base layout."""
    return IslandSet(
        **{name: arrays[name] for name in ISLAND_FIELDS},
        unflattened=tuple(int(n) for n in arrays["unflattened"]),
    )


def surface_from(arrays: Arrays) -> Surface:
    """The surface among the arrays of a base layout."""
    fields = {name: arrays[SURFACE + name] for name in SURFACE_FIELDS}
    return Surface(**fields, materials=tuple(str(name) for name in arrays[SURFACE + "materials"]))
