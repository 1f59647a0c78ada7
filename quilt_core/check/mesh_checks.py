"""Checks of the islands and meshes themselves: facing, collapsed faces, missing UVs, duplicates,
shading."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from quilt_core.check.case import FLAT, MOST_FACES, Case
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.lengths import length_words
from quilt_core.scene.types import BoolArray, IntArray

TINY_PX = NEAR_PX = 0.25
FAR_SIZE = 100.0
"""Times that an object is longer or shorter than the middle one, from which on it is told."""
FEWEST_SIZES = 3
"""Objects that have a middle."""
UNEVEN = 1e-3
"""Part by which scales along two axes may differ untold."""
UNITS = {"millimetres": 0.001, "centimetres": 0.01, "inches": 0.0254}
"""In metres."""


def check_facing(case: Case) -> None:
    """Mirrored islands, and faces that are turned against their island."""
    upright = case.stack[~case.figures.mirrored & (case.stack >= 0)]
    # A copy that was flipped to lie on one that is not shares its texels on purpose.
    on_purpose = np.isin(case.stack, upright)
    mirrored = np.flatnonzero(case.figures.mirrored & ~case.figures.collapsed & ~on_purpose)
    for i in mirrored[: case.count("mirrored", len(mirrored))]:
        case.add("mirrored", (i,), 1.0, "island", "lies mirrored in the layout")
    facing = np.where(case.figures.mirrored, -1.0, 1.0)[case.placed.triangle_island]
    turned = 2 * triangle_areas(case.triangle_px) * facing < -case.triangle_noise * case.longest_px
    turned &= ~case.figures.collapsed[case.placed.triangle_island]
    if case.surface is not None and len(case.surface.backs):
        turned &= ~np.isin(case.surface.triangle_face, case.surface.backs)
    _per_island(case, "turned faces", turned, "face down in the layout")


def check_collapsed(case: Case) -> None:
    """Triangles without area in the layout or in space, slivers, and islands too small for a
    texel."""
    figures, islands = case.triangles, case.figures.collapsed
    lost = np.flatnonzero(islands)
    for i in lost[: case.count("collapsed", len(lost))]:
        faces = case.local_faces(np.flatnonzero(case.placed.triangle_island == i))
        case.add(
            "collapsed", (i,), 1.0, "island", "the island has no area in the layout", faces=faces
        )
    box = case.placed.bounds()
    extent = (box[:, 2:] - box[:, :2]) * case.figures.pixel
    area = case.placed.uv_area * case.figures.pixel.prod(axis=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        width = np.minimum(extent.min(axis=1), area / extent.max(axis=1))
    tiny = np.flatnonzero((width < TINY_PX) & ~islands)
    for i in tiny[: case.count("tiny", len(tiny))]:
        case.add("tiny", (i,), width[i], "px", f"{width[i]:.2g} px wide")
    if figures is None:
        return
    whole = ~islands[case.placed.triangle_island]
    flat = figures.slim <= FLAT
    _per_island(case, "collapsed", case.gone & whole, "without area in the layout")
    _per_island(case, "no surface", flat, "without area in space")
    slim = (figures.uv_slim < case.rules.sliver) & ~case.gone & ~flat & whole
    _per_island(
        case,
        "sliver",
        slim,
        f"thinner than 1 : {1 / max(case.rules.sliver, 1e-9):.0f} in the layout",
    )


def check_near_seams(case: Case) -> None:
    """Edges inside which the two sides differ by less than a quarter of a texel."""
    surface = case.surface
    if surface is None:
        return
    owner = surface.near_seam_island
    scale = np.linalg.norm(case.transforms[owner][:, :, :2], axis=(1, 2)) / np.sqrt(2.0)
    off = surface.near_seam.max(axis=1, initial=0.0) * scale * case.figures.pixel[owner].max(axis=1)
    near = off <= NEAR_PX
    islands, counts = np.unique(owner[near], return_counts=True)
    largest = np.zeros(case.islands.count)
    np.maximum.at(largest, owner[near], off[near])
    for i, n in list(zip(islands, counts, strict=True))[: case.count("near seam", len(islands))]:
        noun = "edge is" if n == 1 else "edges are"
        text = f"{n:,} {noun} split by at most {largest[i]:.2g} px"
        case.add("near seam", (i,), largest[i], "px", text)


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
        case.add(
            kind, (islands[k],), counts[k], "triangle", f"{counts[k]:,} {noun} {text}", spots, faces
        )


def check_without_uvs(case: Case) -> None:
    """Objects with faces that have no UVs."""
    bare = [(name, n) for name, n in zip(case.names, case.islands.unflattened, strict=True) if n]
    for name, faces in bare[: case.count("without UVs", len(bare))]:
        text = f"{faces:,} {'face has' if faces == 1 else 'faces have'} no UVs"
        case.add("without UVs", (), faces, "face", text, (), object_name=name)


def check_meshes(case: Case) -> None:
    """Broken and duplicate faces, duplicate vertices."""
    surface = case.surface
    if surface is None:
        return
    _faces_per_object(case, "broken", surface.broken, "with a vertex or UV that is not a number")
    _faces_per_object(case, "duplicate faces", surface.duplicate, "where another face already lies")
    _vertices_per_object(
        case, "duplicate vertices", surface.duplicate_vertices, "where an equal one is"
    )


def check_joins(case: Case) -> None:
    """How faces hang together: edges of many faces, winding, open borders, loose vertices; and a
    scale that differs along the axes."""
    surface = case.surface
    if surface is None:
        return
    edges, open_edges, borders, loose = surface.faults.T
    _faces_per_object(
        case, "non-manifold", surface.many,
        lambda o: f"{_number(edges[o], 'edge')} of more than two faces",
    )  # fmt: skip
    _faces_per_object(case, "winding", surface.wound, "wound against the rest of their surface")
    _faces_per_object(
        case, "hole", surface.open,
        lambda o: f"{_number(borders[o], 'open border')} of {_number(open_edges[o], 'edge')}",
    )  # fmt: skip
    _vertices_per_object(case, "loose vertices", loose, "where no face or line uses them")
    with np.errstate(divide="ignore", invalid="ignore"):
        times = surface.scale[:, 0] / surface.scale[:, 2]
    uneven = np.flatnonzero(times > 1 + UNEVEN)
    for o in uneven[: case.count("uneven scale", len(uneven))]:
        scale = " x ".join(f"{s:.4g}" for s in surface.scale[o])
        text = f"scaled by {scale}: {times[o]:.4g} times as much one way as another"
        case.add("uneven scale", (), float(times[o]), "times", text, (), object_name=case.names[o])


def _number(count: int, noun: str) -> str:
    return f"{count:,} {noun}{'' if count == 1 else 's'}"


def _faces_per_object(
    case: Case, kind: str, faces: IntArray, text: str | Callable[[int], str]
) -> None:
    """One finding for each object with such faces."""
    assert case.surface is not None
    owner = case.owner_of_faces(faces)
    objects = np.unique(owner)
    for o in objects[: case.count(kind, len(objects))]:
        own = faces[owner == o] - case.surface.face_start[o]
        islands = _islands_of_faces(case, faces[owner == o])
        said = text(int(o)) if callable(text) else f"{_number(len(own), 'face')} {text}"
        case.add(
            kind, islands[:1], len(own), "face", said, None if len(islands) else (), own,
            case.names[o],
        )  # fmt: skip


def _vertices_per_object(case: Case, kind: str, counts: IntArray, text: str) -> None:
    """One finding for each object with such vertices."""
    objects = np.flatnonzero(counts)
    for o in objects[: case.count(kind, len(objects))]:
        number = int(counts[o])
        noun = "vertex lies" if number == 1 else "vertices lie"
        case.add(
            kind, (), number, "vertex", f"{number:,} {noun} {text}", (), object_name=case.names[o]
        )


def check_sizes(case: Case) -> None:
    """Objects whose size is far from that of the middle one: their file may be in another unit."""
    surface = case.surface
    if surface is None or not len(surface.points):
        return
    owner = case.islands.object_index[case.islands.triangle_island]
    low, high = np.full((len(case.names), 3), np.inf), np.full((len(case.names), 3), -np.inf)
    np.minimum.at(low, owner, surface.points.min(axis=1))
    np.maximum.at(high, owner, surface.points.max(axis=1))
    long = (high - low).max(axis=1)
    known = np.flatnonzero(np.isfinite(long) & (long > 0))
    if len(known) < FEWEST_SIZES:
        return
    middle = float(np.median(long[known]))
    times = long[known] / middle
    odd = known[np.maximum(times, 1 / times) >= FAR_SIZE]
    for o in odd[: case.count("odd size", len(odd))]:
        ratio = float(long[o]) / middle
        far = max(ratio, 1 / ratio)
        unit = min(UNITS, key=lambda name: abs(np.log(far * UNITS[name])))
        other = f"{unit} read as metres" if ratio > 1 else f"metres read as {unit}"
        how = f"{far:,.0f} times" if ratio > 1 else f"1/{far:,.0f} of"
        case.add(
            "odd size", (), ratio, "times",
            f"{length_words(float(long[o]))} long, {how} the middle of the others: {other}?",
            (), object_name=case.names[o],
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
    per_object = np.bincount(
        case.islands.object_index, surface.soft_border, len(case.names)
    ).astype(int)
    soft = np.flatnonzero(per_object)
    for o in soft[: case.count("smooth border", len(soft))]:
        text = f"{per_object[o]:,} border edges are shaded smooth"
        case.add("smooth border", (), per_object[o], "edge", text, (), object_name=case.names[o])
