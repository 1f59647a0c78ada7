"""Checks of where islands lie: overlap, gaps, edges of tiles."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from quilt_core.measure.figures import EDGE_TOLERANCE_PX, GAP_TOLERANCE_PX
from quilt_core.measure.gap import close_pairs
from quilt_core.prove.case import MOST_FACES, Case
from quilt_core.prove.mips import closing

IntArray = NDArray[np.int64]
FloatArray = NDArray[np.float64]

TWIN_PX = 0.5
TWIN_AREA = 1e-3
"""A parked island lies as exactly on its twin: half a pixel of its box, a thousandth of its area."""
FAR_TILES = 1.0


def check_overlaps(case: Case) -> None:
    """Islands that share texels, with others or with themselves."""
    found = case.figures.overlaps
    own = found.pairs[:, 0] == found.pairs[:, 1]
    areas = np.abs(case.placed.uv_area) * case.figures.pixel.prod(axis=1)
    faces_of = _faces_of_pairs(case)
    for kind, which in (("overlap", np.flatnonzero(~own)), ("fold", np.flatnonzero(own))):
        which = which[np.argsort(-found.texels[which], kind="stable")]
        for k in which[: case.count(kind, len(which))]:
            a, b = (int(i) for i in found.pairs[k])
            texels = float(found.texels[k])
            text = f"{texels:,.0f} texels are shared" if texels >= 100 else f"{texels:.3g} texels are shared"
            cure = None
            if kind == "overlap" and _alike(case, areas, a, b) and texels > 0.98 * min(areas[a], areas[b]):
                text += "; they lie exactly on one another"
                cure = "stack"
            one, two = faces_of(a, b)
            case.add(
                kind, (a, b) if kind == "overlap" else (a,), texels, "texel", text, [found.spots[k]], one, cure=cure,
                other_faces=two,
            )  # fmt: skip
    if not (found.complete and case.figures.close.complete) and case.count("crowded", 1):
        islands, faces = np.unique(case.placed.triangle_island[found.triangle_pairs], return_counts=True)
        worst = int(islands[np.argmax(faces)]) if len(islands) else 0
        case.add(
            "crowded", (worst,), float(len(found.triangle_pairs)), "pair",
            f"more than {len(found.triangle_pairs):,} pairs of faces share texels; copies were compared with the first only",
        )  # fmt: skip


def _faces_of_pairs(case: Case) -> Callable[[int, int], tuple[IntArray, IntArray]]:
    """For two islands the faces of each in the pairs of faces that share the most texels."""
    found = case.figures.overlaps
    owner = case.placed.triangle_island[found.triangle_pairs]
    turned = owner[:, 0] > owner[:, 1]
    triangles = np.where(turned[:, None], found.triangle_pairs[:, ::-1], found.triangle_pairs)
    count = max(case.islands.count, 1)
    key = np.sort(owner, axis=1) @ np.array([count, 1])
    order = np.lexsort((-found.triangle_texels, key))
    key, triangles = key[order], triangles[order]

    def faces(a: int, b: int) -> tuple[IntArray, IntArray]:
        at = np.searchsorted(key, a * count + b)
        rows = triangles[at : min(int(np.searchsorted(key, a * count + b, "right")), at + MOST_FACES)]
        return case.local_faces(rows[:, 0]), case.local_faces(rows[:, 1])

    return faces


def _alike(case: Case, areas: FloatArray, a: int, b: int) -> bool:
    return bool(abs(areas[a] - areas[b]) <= 0.01 * max(areas[a], areas[b]))


def check_stacks(case: Case) -> None:
    """Members of a stack that do not lie on the first one."""
    if not (case.stack >= 0).any():
        return
    box = case.placed.bounds() * np.tile(case.figures.pixel, 2)
    size = case.figures.pixel
    loose = []
    for number in np.unique(case.stack[case.stack >= 0]):
        members = np.flatnonzero((case.stack == number) & ~case.unplaced)
        for other in members[1:]:
            first = int(members[0])
            off = float(np.abs(box[other] - box[first]).max())
            allowed = max(1.0, 0.02 * float((box[first, 2:] - box[first, :2]).max()))
            if off > allowed or (size[other] != size[first]).any():
                loose.append((first, int(other), off))
    for first, other, off in loose[: case.count("loose stack", len(loose))]:
        case.add(
            "loose stack", (first, other), off, "px", f"{off:,.4g} px apart from the first of their stack"
        )


def check_gaps(case: Case) -> None:
    """Pairs of islands nearer than the padding, or than the wanted mip level allows."""
    close, wanted = case.figures.close, case.rules.wanted_gap
    below = np.flatnonzero(close.pixels < wanted - GAP_TOLERANCE_PX)
    for k in below[: case.count("gap", len(below))]:
        a, b = close.pairs[k]
        pixels = float(close.pixels[k])
        text = f"{pixels:.4g} px where {wanted:g} px are wanted; {closing(pixels, case.tile_size(a))}"
        case.add("gap", (a, b), pixels, "px", text, close.spots[k])


def check_edges(case: Case) -> None:
    """Islands in a tile that are nearer to its edge than the margin."""
    inside = ~case.figures.outside & ~case.unplaced & case.figures.unique
    edge = case.figures.edge_px
    near = np.flatnonzero(inside & (edge < case.rules.margin - EDGE_TOLERANCE_PX))
    near = near[np.argsort(edge[near], kind="stable")]
    for i in near[: case.count("margin", len(near))]:
        text = f"{max(edge[i], 0.0):.4g} px from the edge where {case.rules.margin:g} px are wanted"
        case.add("margin", (i,), max(float(edge[i]), 0.0), "px", text)


def check_whereabouts(case: Case) -> None:
    """Islands that lie in no tile, across an edge, far away, parked, or on the side table."""
    box = case.placed.bounds()
    aside = np.flatnonzero(case.unplaced)
    for i in aside[: case.count("side table", len(aside))]:
        case.add("side table", (i,), 1.0, "island", "lies beside the tiles")
    out = np.flatnonzero(case.figures.outside & ~case.unplaced & np.isfinite(box).all(axis=1))
    twin = dict(_parked(case, out, box))
    corners = np.array([tile.corner for tile in case.tiles], np.float64)
    named: dict[str, list[int]] = {"parked": [], "straddling": [], "outside": [], "far away": []}
    for i in out:
        # How far the box lies from each tile, and whether it reaches into one.
        away = np.maximum(corners - box[i, 2:], box[i, :2] - corners - 1).max(axis=1).min()
        kind = "straddling" if away < -1e-9 else "outside" if away <= FAR_TILES else "far away"
        named["parked" if i in twin else kind].append(int(i))
    for kind, islands in named.items():
        for i in islands[: case.count(kind, len(islands))]:
            _say_where(case, kind, i, box[i], twin.get(i))


def _say_where(case: Case, kind: str, i: int, box: FloatArray, twin: int | None) -> None:
    if twin is not None:
        step = np.round(case.middles[i] - case.middles[twin]).astype(int)
        case.add(
            kind,
            (i, twin),
            float(np.abs(step).max()),
            "tile",
            f"{step[0]:+d}, {step[1]:+d} tiles over from its twin",
        )
        return
    over = float(max(0.0, -case.figures.edge_px[i])) if kind == "straddling" else 0.0
    if kind == "straddling" and over > 0:
        case.add(kind, (i,), over, "px", f"hangs {over:,.4g} px over the edge of its tile")
        return
    u, v = 0.5 * (box[:2] + box[2:])
    case.add(kind, (i,), 1.0, "island", f"lies around U {u:.4g}, V {v:.4g}")


def _parked(case: Case, out: IntArray, box: FloatArray) -> Iterator[tuple[int, int]]:
    """Islands that lie exactly whole tiles away from one of the same box and area, and that one."""
    inside = np.flatnonzero(~case.figures.outside & ~case.unplaced)
    if not len(out) or not len(inside):
        return
    pixel, area = case.figures.pixel, np.abs(case.placed.uv_area)
    corner = np.floor(case.middles + 1e-9)
    local = box - np.tile(corner, 2)
    order = np.argsort(local[inside, 0], kind="stable")
    inside = inside[order]
    left = local[inside, 0]
    for i in out:
        slack = TWIN_PX / pixel[i].min()
        first, last = np.searchsorted(left, [local[i, 0] - slack, local[i, 0] + slack])
        near = inside[first:last]
        same = (np.abs(local[near] - local[i]) * np.tile(pixel[i], 2) <= TWIN_PX).all(axis=1)
        same &= np.abs(area[near] - area[i]) <= TWIN_AREA * area[i]
        if same.any():
            yield int(i), int(near[np.argmax(same)])


def check_materials(case: Case) -> None:
    """Islands of different materials that are nearer than the chosen gap, and islands of several."""
    if case.surface is None or not case.rules.material_gap:
        return
    mixed = np.flatnonzero(case.surface.mixed)
    for i in mixed[: case.count("mixed materials", len(mixed))]:
        case.add("mixed materials", (i,), 1.0, "island", "its faces have several materials")
    size, shift = case.figures.pixel, case.figures.shift
    use = ~case.figures.outside & ~case.unplaced & case.figures.unique
    edges = (
        case.placed.edges * size[case.placed.edge_island][:, None] + shift[case.placed.edge_island][:, None]
    )
    edges = np.where(use[case.placed.edge_island][:, None, None], edges, np.nan)
    found = close_pairs(
        replace(case.placed, edges=edges), 1, 1, case.rules.material_gap, case.surface.edge_material
    )
    materials = (*case.surface.materials, "none")
    for k in range(case.count("material gap", len(found.pairs))):
        a, b = (int(i) for i in found.pairs[k])
        one, two = (materials[case.surface.island_material[i]] for i in (a, b))
        spots = (found.spots[k] - shift[[a, b]]) / size[[a, b]]
        text = f"{one} and {two}: {found.pixels[k]:.4g} px where {case.rules.material_gap:g} px are wanted"
        case.add("material gap", (a, b), found.pixels[k], "px", text, spots)
