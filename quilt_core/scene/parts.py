"""A part of an object: some of its islands, with the surface behind them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.surface import Surface
from quilt_core.scene.types import IntArray


def part_of_islands(islands: IslandSet, numbers: IntArray) -> IslandSet:
    """Some islands of one object, renumbered in order.

    Faces without UVs count with the part that has the first island.

    Parameters
    ----------
    islands : IslandSet
        Of one object.
    numbers : (P,) int64
        Ascending.
    """
    keep = np.zeros(islands.count, bool)
    keep[numbers] = True
    some = islands.select(keep)
    return some if _is_first(numbers) else replace(some, unflattened=(0,) * len(some.unflattened))


def part_of_surface(surface: Surface, islands: IslandSet, numbers: IntArray) -> Surface:
    """The surface behind some islands of one object.

    Parameters
    ----------
    surface : Surface
        Behind all its islands.
    islands : IslandSet
        All its islands.
    numbers : (P,) int64
        Ascending.
    """
    keep = np.zeros(islands.count, bool)
    keep[numbers] = True
    number = np.cumsum(keep) - 1
    of_face = np.full(int(surface.face_start[-1]), -1)
    of_face[surface.triangle_face] = islands.triangle_island
    first = _is_first(numbers)

    def faces(which: IntArray) -> IntArray:
        own = of_face[which]
        return which[np.where(own >= 0, keep[own], first)]

    shown, hard, near = (
        keep[owner]
        for owner in (islands.triangle_island, surface.hard_island, surface.near_seam_island)
    )
    return Surface(
        points=surface.points[shown],
        triangle_face=surface.triangle_face[shown],
        face_start=surface.face_start,
        materials=surface.materials,
        island_material=surface.island_material[keep],
        edge_material=surface.edge_material[keep[islands.edge_island]],
        mixed=surface.mixed[keep],
        hard=surface.hard[hard],
        hard_island=number[surface.hard_island[hard]],
        soft_border=surface.soft_border[keep],
        shaded=surface.shaded,
        broken=faces(surface.broken),
        duplicate=faces(surface.duplicate),
        backs=faces(surface.backs),
        near_seam=surface.near_seam[near],
        near_seam_island=number[surface.near_seam_island[near]],
        duplicate_vertices=surface.duplicate_vertices * first,
        many=faces(surface.many),
        wound=faces(surface.wound),
        open=faces(surface.open),
        faults=surface.faults * first,
        scale=surface.scale if first else np.ones_like(surface.scale),
    )


def _is_first(numbers: IntArray) -> bool:
    return bool(len(numbers)) and int(numbers[0]) == 0
