"""Look-alikes: meshes of equal topology, whatever the order of their vertices, their place, size,
or side."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.flatten._alike_loops import walk_both
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.weld import groups, next_corner, weld_ids, weld_positions

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

ROUNDS = 12
"""Rings of neighbours that tell half-edges apart before they are walked."""
MOST_STARTS, MOST_LEADS = 96, 48
"""Matches that are tried for each shell, and of the largest one: a mesh may be symmetric in many
ways."""


@dataclass(frozen=True, eq=False)
class Match:
    """How the corners of a mesh match those of another one.

    Parameters
    ----------
    corner : (C,) int64
        Corner of the first mesh for each corner of the second.
    mirrored : bool
        Whether the second is wound the other way round.
    misfit : float
        Root of the mean square distance of its vertices from those of the first after the best
        similarity, as a part of the size; 0 for a copy.
    matches : int
        How many ways there were; the closest in shape is taken.
    """

    corner: IntArray
    mirrored: bool
    misfit: float
    matches: int


@dataclass(frozen=True, eq=False)
class _Edges:
    """Half-edges of a mesh, one for each corner, with what tells them apart."""

    after: IntArray
    before: IntArray
    twin: IntArray
    shell: IntArray


def find_match(first: Mesh, second: Mesh) -> Match | None:
    """Match two meshes by topology.

    Parameters
    ----------
    first, second : Mesh

    Returns
    -------
    Match or None
        Of several matches of a symmetric mesh the closest in shape; None when the topology differs.

    References
    ----------
    Colours of half-edges are refined by their neighbours (Weisfeiler and Leman 1968), which leaves
    few to walk from.
    """
    if (
        len(first.corner_vertex) != len(second.corner_vertex)
        or first.face_count != second.face_count
    ):
        return None
    a, b = _edges(first), _edges(second)
    best: Match | None = None
    found = 0
    for mirrored in (False, True):
        # Seen from the other side a face runs backwards: its sides start where they ended.
        after_b = b.before if mirrored else b.after
        colour_a, colour_b = _colours(a, a.after, b, after_b)
        if not np.array_equal(np.sort(colour_a), np.sort(colour_b)):
            continue
        image, ways = _matched(first, second, a, b, after_b, colour_a, colour_b, mirrored)
        if image is None:
            continue
        found += ways
        corner = _corners(image, b, mirrored)
        misfit = _misfit(first, second, corner)
        if best is None or misfit < best.misfit:
            best = Match(corner, mirrored, misfit, found)
    return None if best is None else Match(best.corner, best.mirrored, best.misfit, found)


def _edges(mesh: Mesh) -> _Edges:
    after = next_corner(mesh.face_offsets, len(mesh.corner_vertex))
    before = np.empty_like(after)
    before[after] = np.arange(len(after))
    place = weld_positions(mesh)[mesh.corner_vertex]
    start, end = place, place[after]
    edge = weld_ids(np.minimum(start, end), np.maximum(start, end))
    count = np.bincount(edge)
    twin = np.full(len(after), -1, np.int64)
    order = np.argsort(edge, kind="stable")
    begin = np.concatenate([[0], np.cumsum(count)[:-1]])
    two = begin[count == 2]
    one, other = order[two], order[two + 1]
    opposed = start[one] != start[other]
    twin[one[opposed]], twin[other[opposed]] = other[opposed], one[opposed]
    linked = np.flatnonzero(twin >= 0)
    pairs = np.concatenate(
        [np.stack([np.arange(len(after)), after], axis=1), np.stack([linked, twin[linked]], axis=1)]
    )
    return _Edges(after, before, twin, groups(pairs, len(after)))


def _colours(
    a: _Edges, after_a: IntArray, b: _Edges, after_b: IntArray
) -> tuple[IntArray, IntArray]:
    """Numbers of half-edges in both meshes, equal where their surroundings are."""
    cut = len(after_a)
    after = np.concatenate([after_a, after_b + cut])
    twin = np.concatenate([a.twin, np.where(b.twin >= 0, b.twin + cut, -1)])
    colour = np.zeros(len(after), np.int64)
    kinds = 1
    for _ in range(ROUNDS):
        across = np.where(twin >= 0, colour[twin], -1)
        colour = weld_ids(colour, colour[after], across)
        now = int(colour.max(initial=0)) + 1
        if now == kinds:
            break
        kinds = now
    return colour[:cut], colour[cut:]


def _matched(
    first: Mesh, second: Mesh, a: _Edges, b: _Edges, after_b: IntArray, colour_a: IntArray,
    colour_b: IntArray, mirrored: bool,
) -> tuple[IntArray | None, int]:  # fmt: skip
    """(C,) half-edge of the second mesh for each of the first, and in how many ways."""
    image = np.full(len(a.after), -1, np.int64)
    queue = np.empty(len(a.after), np.int64)
    rarity = np.bincount(colour_a)[colour_a]
    sizes = np.bincount(a.shell)
    shells = [np.flatnonzero(a.shell == shell) for shell in np.argsort(-sizes, kind="stable")]
    ways: list[list[IntArray]] = []
    for mine in shells:
        start = mine[np.argmin(rarity[mine])]
        here: list[IntArray] = []
        for other in np.flatnonzero(colour_b == colour_a[start])[:MOST_STARTS]:
            if walk_both(start, other, a.after, a.twin, after_b, b.twin, image, queue):
                here.append(image[mine].copy())
                image[mine] = -1
        if not here:
            return None, 0
        ways.append(here)
    p = first.positions[first.corner_vertex] - first.positions.mean(axis=0)
    q = second.positions[second.corner_vertex] - second.positions.mean(axis=0)

    def far(mine: IntArray, found: IntArray, turn: FloatArray) -> float:
        return float(((p[mine] @ turn - q[_start_of(found, b, mirrored)]) ** 2).sum())

    best, least = None, np.inf
    # The largest shell says how the whole is turned; the others go where they lie then.
    for lead in ways[0][:MOST_LEADS]:
        turn = _turn(p[shells[0]], q[_start_of(lead, b, mirrored)])
        free = np.ones(len(image), bool)
        chosen, total = [lead], far(shells[0], lead, turn)
        free[lead] = False
        for mine, here in zip(shells[1:], ways[1:], strict=True):
            left = [found for found in here if free[found[0]]]
            if not left or total >= least:
                break
            distances = [far(mine, found, turn) for found in left]
            chosen.append(left[int(np.argmin(distances))])
            total += min(distances)
            free[chosen[-1]] = False
        if len(chosen) == len(shells) and total < least:
            best, least = chosen, total
    if best is None:
        return None, 0
    for mine, found in zip(shells, best, strict=True):
        image[mine] = found
    return image, len(ways[0])


def _start_of(half: IntArray, b: _Edges, mirrored: bool) -> IntArray:
    """Corner of the second mesh at the start of a matched half-edge of the first."""
    return b.after[half] if mirrored else half


def _corners(image: IntArray, b: _Edges, mirrored: bool) -> IntArray:
    out = np.empty(len(image), np.int64)
    out[_start_of(image, b, mirrored)] = np.arange(len(image))
    return out


def _misfit(first: Mesh, second: Mesh, corner: IntArray) -> float:
    p = first.positions[first.corner_vertex[corner]]
    q = second.positions[second.corner_vertex]
    return _distance(p - p.mean(axis=0), q - q.mean(axis=0))


def _turn(p: FloatArray, q: FloatArray) -> FloatArray:
    """(3, 3) turn, mirror and scale that brings p nearest to q (Schönemann 1966)."""
    u, size, v = np.linalg.svd(p.T @ q)
    return np.asarray((u @ v) * (size.sum() / max(float((p**2).sum()), 1e-300)))


def _distance(p: FloatArray, q: FloatArray) -> float:
    """Distance of two point sets about their middles after the best turn, mirror and scale, as
    a part of the size."""
    size_p, size_q = np.sqrt((p**2).sum()), np.sqrt((q**2).sum())
    if not size_p > 0 or not size_q > 0:
        return 0.0
    held = np.linalg.svd((p / size_p).T @ (q / size_q), compute_uv=False).sum()
    return float(np.sqrt(max(1.0 - min(held, 1.0) ** 2, 0.0)))
