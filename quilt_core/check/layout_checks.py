"""Checks of where islands lie: overlap, gaps, edges of tiles."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np
import shapely

from quilt_core.check.case import MOST_FACES, Case
from quilt_core.check.mips import closing
from quilt_core.measure.figures import EDGE_TOLERANCE_PX, GAP_TOLERANCE_PX, piles
from quilt_core.measure.gap import close_pairs
from quilt_core.scene.island_set import sums
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import groups

TWIN_PX = 0.5
TWIN_AREA = 1e-3
"""A parked island lies as exactly on its twin: half a pixel of its box, a thousandth of its
area."""
FAR_TILES = 1.0
HEAP = 12
"""More pairs of islands that lie on one another are one finding."""
MOST_IN_HEAP = 2000
WALL = 200
"""More gaps below the padding are told once an island."""
LOOSE = 0.02
"""Members of a stack may be off by this part of their size, or a pixel."""
BACKS = 0.01
"""Area by which the two sides of a sheet may differ."""


def check_overlaps(case: Case) -> None:
    """Islands that share texels, with others or with themselves."""
    found = case.figures.overlaps
    own = found.pairs[:, 0] == found.pairs[:, 1]
    backs = _area_of_backs(case)
    sides = own & (found.texels <= (1 + BACKS) * backs[found.pairs[:, 0]])
    faces_of = _faces_of_pairs(case)
    for kind, which in (
        ("fold", np.flatnonzero(own & ~sides)),
        ("two-sided", np.flatnonzero(sides)),
    ):
        which = which[np.argsort(-found.texels[which], kind="stable")]
        for k in which[: case.count(kind, len(which))]:
            a, texels = int(found.pairs[k, 0]), float(found.texels[k])
            case.add(
                kind, (a,), texels, "texel", _shared(texels), [found.spots[k]], faces_of(a, a)[0]
            )
    heaps, single = _heaps(found.pairs, np.flatnonzero(~own))
    areas = case.placed.uv_area * case.figures.pixel.prod(axis=1)
    single = single[np.argsort(-found.texels[single], kind="stable")]
    listed = case.count("overlap", len(single) + len(heaps))
    for rows in heaps[:listed]:
        _add_heap(case, rows, faces_of)
    for k in single[: max(0, listed - len(heaps))]:
        a, b = (int(i) for i in found.pairs[k])
        texels = float(found.texels[k])
        text, fix = _shared(texels), None
        if _alike(areas, a, b) and texels > 0.98 * min(areas[a], areas[b]):
            text += "; they lie exactly on one another"
            fix = "stack"
        one, two = faces_of(a, b)
        case.add(
            "overlap",
            (a, b),
            texels,
            "texel",
            text,
            [found.spots[k]],
            one,
            fix=fix,
            other_faces=two,
        )
    if not (found.complete and case.figures.close.complete) and case.count("crowded", 1):
        islands, faces = np.unique(
            case.placed.triangle_island[found.triangle_pairs], return_counts=True
        )
        worst = int(islands[np.argmax(faces)]) if len(islands) else 0
        case.add(
            "crowded",
            (worst,),
            float(len(found.triangle_pairs)),
            "pair",
            f"more than {len(found.triangle_pairs):,} pairs of faces share texels; not every other pair was looked at",
        )


def _shared(texels: float) -> str:
    return (
        f"{texels:,.0f} texels are shared" if texels >= 100 else f"{texels:.3g} texels are shared"
    )


def _area_of_backs(case: Case) -> FloatArray:
    """(I,) texels of the faces of each island that are the back of another one, and lie on it."""
    if case.surface is None or not len(case.surface.backs):
        return np.zeros(case.islands.count)
    back = np.isin(case.surface.triangle_face, case.surface.backs)
    texels = np.abs(triangle_areas(case.triangle_px[back]))
    return sums(case.placed.triangle_island[back], texels, case.islands.count)


def _heaps(pairs: IntArray, which: IntArray) -> tuple[list[IntArray], IntArray]:
    """Rows of pairs that hang together in large heaps, the largest first, and the other rows."""
    if not len(which):
        return [], which
    label = groups(pairs[which], int(pairs.max()) + 1)[pairs[which, 0]]
    order = np.argsort(label, kind="stable")
    parts = np.split(which[order], np.flatnonzero(np.diff(label[order])) + 1)
    parts.sort(key=len, reverse=True)
    heaps = [rows for rows in parts if len(rows) > HEAP]
    single = [rows for rows in parts if len(rows) <= HEAP]
    return heaps, np.concatenate(single) if single else np.empty(0, np.int64)


def _add_heap(
    case: Case, rows: IntArray, faces_of: Callable[[int, int], tuple[IntArray, IntArray]]
) -> None:
    """One finding for many islands that lie on one another."""
    found = case.figures.overlaps
    islands, times = np.unique(found.pairs[rows], return_counts=True)
    islands = islands[np.argsort(-times, kind="stable")]
    worst = rows[np.argmax(found.texels[rows])]
    texels = float(found.texels[rows].sum())
    text = f"{len(islands):,} islands lie on one another in {len(rows):,} pairs; {_shared(texels)}"
    one, two = faces_of(*(int(i) for i in found.pairs[worst]))
    case.add(
        "overlap",
        islands[:MOST_IN_HEAP].tolist(),
        texels,
        "texel",
        text,
        [found.spots[worst]],
        one,
        other_faces=two,
    )


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
        rows = triangles[
            at : min(int(np.searchsorted(key, a * count + b, "right")), at + MOST_FACES)
        ]
        return case.local_faces(rows[:, 0]), case.local_faces(rows[:, 1])

    return faces


def _alike(areas: FloatArray, a: int, b: int) -> bool:
    return bool(abs(areas[a] - areas[b]) <= 0.01 * max(areas[a], areas[b]))


def check_stacks(case: Case) -> None:
    """Members of a stack whose outline is not that of the first one."""
    if not (case.stack >= 0).any():
        return
    size = case.figures.pixel
    order = np.argsort(case.placed.edge_island, kind="stable")
    starts = np.searchsorted(case.placed.edge_island[order], np.arange(case.islands.count + 1))

    def outline(i: int) -> FloatArray:
        return np.asarray(case.placed.edges[order[starts[i] : starts[i + 1]]] * size[i])

    loose = []
    for number in np.unique(case.stack[case.stack >= 0]):
        members = np.flatnonzero((case.stack == number) & ~case.unplaced)
        if len(members) < 2:
            continue
        first = int(members[0])
        edges = outline(first)
        shape = shapely.multilinestrings(edges)
        allowed = max(1.0, LOOSE * float(np.ptp(edges.reshape(-1, 2), axis=0).max()))
        for other in members[1:]:
            off = float(shapely.hausdorff_distance(shape, shapely.multilinestrings(outline(other))))
            if off > allowed or (size[other] != size[first]).any():
                loose.append((first, int(other), off))
    for first, other, off in loose[: case.count("loose stack", len(loose))]:
        case.add(
            "loose stack",
            (first, other),
            off,
            "px",
            f"{off:,.4g} px apart from the first of their stack",
        )


def check_gaps(case: Case) -> None:
    """Pairs of islands nearer than the padding, or than the wanted mip level allows.

    Very many pairs are told island by island, each with its nearest neighbour.
    """
    close, wanted = case.figures.close, case.rules.wanted_gap
    below = np.flatnonzero(close.pixels < wanted - GAP_TOLERANCE_PX)
    if len(below) > WALL:
        # Pairs are sorted by their gap: the first mention of an island is its nearest neighbour.
        at = np.unique(close.pairs[below].ravel(), return_index=True)[1] // 2
        below = below[np.unique(at)]
    for k in below[: case.count("gap", len(below))]:
        a, b = close.pairs[k]
        pixels = float(close.pixels[k])
        text = (
            f"{pixels:.4g} px where {wanted:g} px are wanted; {closing(pixels, case.tile_size(a))}"
        )
        case.add("gap", (a, b), pixels, "px", text, close.spots[k])


def check_edges(case: Case) -> None:
    """Islands in a tile that are nearer to its edge than the margin."""
    inside = ~case.figures.outside & ~case.unplaced
    edge = case.figures.edge_px
    near = np.flatnonzero(
        inside & (edge < case.rules.margin - np.maximum(EDGE_TOLERANCE_PX, case.figures.noise))
    )
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
    pixel, area = case.figures.pixel, case.placed.uv_area
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
    """Islands of different materials that are nearer than the chosen gap, and islands of
    several."""
    if case.surface is None or not case.rules.material_gap:
        return
    mixed = np.flatnonzero(case.surface.mixed)
    for i in mixed[: case.count("mixed materials", len(mixed))]:
        case.add("mixed materials", (i,), 1.0, "island", "its faces have several materials")
    size = case.figures.pixel
    pile = piles(case.figures.overlaps, case.islands.count, case.stack)
    found = []
    for k in range(len(case.tiles)):
        here = (case.figures.tile == k)[case.placed.edge_island]
        px = size[case.figures.tile == k][:1]
        edges = np.where(
            here[:, None, None], case.placed.edges * px[:, None] if len(px) else np.nan, np.nan
        )
        found.append(
            close_pairs(
                replace(case.placed, edges=edges),
                1,
                1,
                case.rules.material_gap,
                case.surface.edge_material,
                pile,
            )
        )
    pairs = np.concatenate([f.pairs for f in found])
    pixels, spots = (
        np.concatenate([getattr(f, name) for f in found]) for name in ("pixels", "spots")
    )
    materials = (*case.surface.materials, "none")
    for k in range(case.count("material gap", len(pairs))):
        a, b = (int(i) for i in pairs[k])
        one, two = (materials[case.surface.island_material[i]] for i in (a, b))
        text = (
            f"{one} and {two}: {pixels[k]:.4g} px where {case.rules.material_gap:g} px are wanted"
        )
        case.add("material gap", (a, b), pixels[k], "px", text, spots[k] / size[a])
