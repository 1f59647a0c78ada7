"""Look-alikes: meshes of equal topology, whatever the order of their vertices, their place, size,
or side."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.scene.weld import groups, next_corner, weld_ids, weld_positions
from quilt_core.unwrap._alike_loops import walk_both

ROUNDS = 12
"""Rings of neighbours that tell half-edges apart before they are walked."""
MOST_STARTS, MOST_LEADS = 96, 48
"""Matches that are tried for each piece, and of the largest one: a mesh may be symmetric in many
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
    number, matches : int
        Which of how many ways it is, from 0, the closest in shape first.
    """

    corner: IntArray
    mirrored: bool
    misfit: float
    number: int
    matches: int


@dataclass(frozen=True, eq=False)
class Edges:
    """Half-edges of a mesh, one for each corner, with what tells them apart."""

    after: IntArray
    before: IntArray
    twin: IntArray
    piece: IntArray


def find_match(first: Mesh, second: Mesh, number: int = 0) -> Match | None:
    """Match two meshes by topology.

    Parameters
    ----------
    first, second : Mesh
    number : int
        Which of several ways, the closest in shape first; counted on round and round.

    Returns
    -------
    Match or None
        None when the topology differs.

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
    a, b = edges_of(first), edges_of(second)
    found: list[tuple[float, bool, IntArray]] = []
    for mirrored in (False, True):
        # Seen from the other side a face runs backwards: its sides start where they ended.
        after_b = b.before if mirrored else b.after
        colour_a, colour_b = _colours(a, a.after, b, after_b)
        if not np.array_equal(np.sort(colour_a), np.sort(colour_b)):
            continue
        for image in _matched(first, second, a, b, after_b, colour_a, colour_b, mirrored):
            corner = _corners(image, b, mirrored)
            found.append((_misfit(first, second, corner), mirrored, corner))
    if not found:
        return None
    # Ways that fit equally well but for rounding stay in the order in which they were found.
    found.sort(key=lambda way: (round(way[0], 7), way[1]))
    which = number % len(found)
    misfit, mirrored, corner = found[which]
    return Match(corner, mirrored, misfit, which, len(found))


def topology_mark(mesh: Mesh) -> bytes:
    """A short mark that meshes of one topology share, mirror images too, whatever the order of their faces and vertices.

    Others share it hardly ever; `find_match` is sure. Colours of half-edges are refined by their neighbours
    (Weisfeiler and Leman 1968), as hashes, so that each mesh is looked at by itself.
    """
    edges = edges_of(mesh)
    # The last one stands for what borders on nothing: that is where a twin of -1 leads.
    colour = np.ones(len(edges.after) + 1, np.uint64)
    colour[-1] = 0
    for _ in range(ROUNDS):
        own = _mixed(colour)
        # A mirror image runs round its faces the other way.
        beside = own[edges.after] + own[edges.before]
        colour[:-1] = _mixed(
            own[:-1] * np.uint64(3) + beside * np.uint64(5) + own[edges.twin] * np.uint64(7)
        )
        colour[-1] = 0
    sizes = np.array([len(edges.after), mesh.face_count], np.int64).tobytes()
    return hashlib.sha256(sizes + np.sort(colour[:-1]).tobytes()).digest()


def _mixed(values: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Each number scattered over all 64 bits (the finalizer of SplitMix64, Steele, Lea, Flood 2014)."""
    out = values + np.uint64(0x9E3779B97F4A7C15)
    out = (out ^ (out >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    out = (out ^ (out >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return np.asarray(out ^ (out >> np.uint64(31)))


def edges_of(mesh: Mesh) -> Edges:
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
    return Edges(after, before, twin, groups(pairs, len(after)))


def _colours(a: Edges, after_a: IntArray, b: Edges, after_b: IntArray) -> tuple[IntArray, IntArray]:
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
    first: Mesh, second: Mesh, a: Edges, b: Edges, after_b: IntArray, colour_a: IntArray,
    colour_b: IntArray, mirrored: bool,
) -> list[IntArray]:  # fmt: skip
    """(C,) half-edge of the second mesh for each of the first, for each way that was found."""
    image = np.full(len(a.after), -1, np.int64)
    queue = np.empty(len(a.after), np.int64)
    taken = np.zeros(len(after_b), bool)
    rarity = np.bincount(colour_a)[colour_a]
    sizes = np.bincount(a.piece)
    pieces = [np.flatnonzero(a.piece == piece) for piece in np.argsort(-sizes, kind="stable")]
    ways: list[list[IntArray]] = []
    for mine in pieces:
        start = mine[np.argmin(rarity[mine])]
        here: list[IntArray] = []
        for other in np.flatnonzero(colour_b == colour_a[start])[:MOST_STARTS]:
            if walk_both(start, other, a.after, a.twin, after_b, b.twin, True, image, taken, queue):
                here.append(image[mine].copy())
                image[mine] = -1
        if not here:
            return []
        ways.append(here)
    p = first.positions[first.corner_vertex] - first.positions.mean(axis=0)
    q = second.positions[second.corner_vertex] - second.positions.mean(axis=0)

    def far(mine: IntArray, found: IntArray, turn: FloatArray) -> float:
        return float(((p[mine] @ turn - q[start_of(found, b, mirrored)]) ** 2).sum())

    out: list[IntArray] = []
    # The largest piece says how the whole is turned; the others go where they lie then.
    for lead in ways[0][:MOST_LEADS]:
        turn = _turn(p[pieces[0]], q[start_of(lead, b, mirrored)])
        free = np.ones(len(image), bool)
        chosen = [lead]
        free[lead] = False
        for mine, here in zip(pieces[1:], ways[1:], strict=True):
            left = [found for found in here if free[found[0]]]
            if not left:
                break
            distances = [far(mine, found, turn) for found in left]
            chosen.append(left[int(np.argmin(distances))])
            free[chosen[-1]] = False
        if len(chosen) == len(pieces):
            for mine, found in zip(pieces, chosen, strict=True):
                image[mine] = found
            out.append(image.copy())
    return out


def start_of(half: IntArray, b: Edges, mirrored: bool) -> IntArray:
    """Corner of the second mesh at the start of a matched half-edge of the first."""
    return b.after[half] if mirrored else half


def _corners(image: IntArray, b: Edges, mirrored: bool) -> IntArray:
    out = np.empty(len(image), np.int64)
    out[start_of(image, b, mirrored)] = np.arange(len(image))
    return out


def _misfit(first: Mesh, second: Mesh, corner: IntArray) -> float:
    p = first.positions[first.corner_vertex[corner]]
    q = second.positions[second.corner_vertex]
    return distance_of(p - p.mean(axis=0), q - q.mean(axis=0))


def _turn(p: FloatArray, q: FloatArray) -> FloatArray:
    """(3, 3) turn, mirror and scale that brings p nearest to q (Schönemann 1966)."""
    u, size, v = np.linalg.svd(p.T @ q)
    return np.asarray((u @ v) * (size.sum() / max(float((p**2).sum()), 1e-300)))


def distance_of(p: FloatArray, q: FloatArray) -> float:
    """Distance of two point sets about their middles after the best turn, mirror and scale, as
    a part of the size."""
    size_p, size_q = np.sqrt((p**2).sum()), np.sqrt((q**2).sum())
    if not size_p > 0 or not size_q > 0:
        return 0.0
    held = np.linalg.svd((p / size_p).T @ (q / size_q), compute_uv=False).sum()
    return float(np.sqrt(max(1.0 - min(held, 1.0) ** 2, 0.0)))
