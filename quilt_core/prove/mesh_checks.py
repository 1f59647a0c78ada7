"""Checks of the islands and meshes themselves: facing, collapsed faces, missing UVs, duplicates, shading."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.prove.case import MOST_FACES, Case

IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]

NO_AREA = 1e-12
"""A triangle is collapsed when its height is below this part of its longest edge."""


def check_facing(case: Case) -> None:
    """Mirrored islands, and faces that are turned against their island."""
    mirrored = np.flatnonzero(case.figures.mirrored)
    for i in mirrored[: case.count("mirrored", len(mirrored))]:
        text = "lies mirrored in the layout" + ("; it is part of a stack" if case.stack[i] >= 0 else "")
        case.add("mirrored", (i,), 1.0, "island", text)
    corner = case.triangle_px
    one, two = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    twice = one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]
    facing = np.sign(case.placed.uv_area)[case.placed.triangle_island]
    longest2 = np.maximum((one**2).sum(axis=1), (two**2).sum(axis=1))
    turned = twice * facing < -1e-9 * longest2
    _per_island(case, "turned faces", turned, "face down in the layout")


def check_collapsed(case: Case) -> None:
    """Triangles without area in the layout or in space, and slivers."""
    figures = case.triangles
    if figures is None:
        islands = np.flatnonzero(case.figures.collapsed)
        for i in islands[: case.count("collapsed", len(islands))]:
            case.add("collapsed", (i,), 1.0, "island", "the island has no area")
        return
    flat = figures.slim <= NO_AREA
    gone = (figures.uv_slim <= NO_AREA) & ~flat
    _per_island(case, "collapsed", gone, "without area in the layout")
    _per_island(case, "no surface", flat, "without area in space")
    slim = (figures.uv_slim < case.rules.sliver) & ~gone & ~flat
    _per_island(
        case, "sliver", slim, f"thinner than 1 : {1 / max(case.rules.sliver, 1e-9):.0f} in the layout"
    )


def _per_island(case: Case, kind: str, which: BoolArray, text: str) -> None:
    """One finding for each island with such triangles."""
    triangles = np.flatnonzero(which)
    if not len(triangles) or not case.wants(kind):
        return
    order = triangles[np.argsort(case.placed.triangle_island[triangles], kind="stable")]
    islands, starts, counts = np.unique(
        case.placed.triangle_island[order], return_index=True, return_counts=True
    )
    listed = np.argsort(-counts, kind="stable")[: case.count(kind, len(islands))]
    for k in listed:
        some = order[starts[k] : starts[k] + min(int(counts[k]), 4 * MOST_FACES)]
        spots = case.placed.triangles[some[:3]].mean(axis=1)
        faces = case.local_faces(some)
        noun = "triangle" if counts[k] == 1 else "triangles"
        case.add(kind, (islands[k],), counts[k], "triangle", f"{counts[k]:,} {noun} {text}", spots, faces)


def check_unflattened(case: Case) -> None:
    """Objects with faces that have no UVs."""
    bare = [(name, n) for name, n in zip(case.names, case.islands.unflattened, strict=True) if n]
    for name, faces in bare[: case.count("unflattened", len(bare))]:
        text = f"{faces:,} {'face has' if faces == 1 else 'faces have'} no UVs"
        case.add("unflattened", (), faces, "face", text, (), object_name=name)


def check_meshes(case: Case) -> None:
    """Broken and duplicate faces, duplicate vertices."""
    surface = case.surface
    if surface is None:
        return
    for kind, faces, text in (
        ("broken", surface.broken, "with a vertex or UV that is not a number"),
        ("duplicate faces", surface.duplicate, "where another face already lies"),
    ):
        owner = case.owner_of_faces(faces)
        objects = np.unique(owner)
        for o in objects[: case.count(kind, len(objects))]:
            own = faces[owner == o] - surface.face_start[o]
            noun = "face" if len(own) == 1 else "faces"
            islands = _islands_of_faces(case, faces[owner == o])
            case.add(
                kind, islands[:1], len(own), "face", f"{len(own):,} {noun} {text}", None if len(islands) else (),
                own, case.names[o],
            )  # fmt: skip
    objects = np.flatnonzero(surface.duplicate_vertices)
    for o in objects[: case.count("duplicate vertices", len(objects))]:
        number = int(surface.duplicate_vertices[o])
        noun = "vertex lies" if number == 1 else "vertices lie"
        case.add(
            "duplicate vertices", (), number, "vertex", f"{number:,} {noun} where an equal one is", (),
            object_name=case.names[o],
        )  # fmt: skip


def _islands_of_faces(case: Case, faces: IntArray) -> list[int]:
    assert case.surface is not None
    found = np.isin(case.surface.triangle_face, faces)
    return [int(i) for i in np.unique(case.placed.triangle_island[found])]


def check_shading(case: Case) -> None:
    """Hard edges inside islands, and smooth island borders."""
    surface = case.surface
    if surface is None:
        return
    owner = surface.hard_island
    islands, counts = np.unique(owner, return_counts=True)
    order = np.argsort(owner, kind="stable")
    first = np.searchsorted(owner[order], islands)
    listed = np.argsort(-counts, kind="stable")[: case.count("hard edge", len(islands))]
    for k in listed:
        some = order[first[k] : first[k] + min(int(counts[k]), MOST_FACES)]
        spots = (
            surface.hard[some].mean(axis=1) @ case.transforms[islands[k], :, :2].T
            + case.transforms[islands[k], :, 2]
        )
        noun = "edge is" if counts[k] == 1 else "edges are"
        text = f"{counts[k]:,} {noun} shaded hard inside the island"
        case.add("hard edge", (islands[k],), counts[k], "edge", text, spots)
    per_object = np.bincount(case.islands.object_index, surface.soft_border, len(case.names)).astype(int)
    soft = np.flatnonzero(per_object)
    for o in soft[: case.count("smooth border", len(soft))]:
        text = f"{per_object[o]:,} border edges are shaded smooth"
        case.add("smooth border", (), per_object[o], "edge", text, (), object_name=case.names[o])
