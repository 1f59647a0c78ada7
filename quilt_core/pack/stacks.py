"""Islands of the same shape: find them, and lay one exactly on the other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.placement import IDENTITY
from quilt_core.scene.types import FloatArray, IntArray

TOLERANCE = 0.002
"""Largest distance between outlines as a part of the square root of the area."""
LOOSEST = 0.01
"""The largest tolerance: islands farther off have no common texels worth sharing."""
EXACT = 1e-5
"""Nearer than this there is no need to look for a better way to lay it on."""


@dataclass(frozen=True, eq=False)
class Candidate:
    """Islands that may be stacked.

    Parameters
    ----------
    islands : (N,) int64
        The first is the one that the others are laid on.
    onto : (N, 2, 3) float64
        Base UVs of each island to base UVs of the first.
    deviation : float
        Largest distance between the outlines as a part of the square root of the area.
    mirrored : (N,) bool
        Islands that must be mirrored to lie on the first.
    """

    islands: IntArray
    onto: FloatArray
    deviation: float
    mirrored: NDArray[np.bool_]


def find_stacks(
    islands: IslandSet, tolerance: float = TOLERANCE, mirrored: bool = True, same_size: bool = True
) -> list[Candidate]:
    """Groups of at least two islands with the same shape, turned or mirrored as they may be.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    tolerance : float
        Largest distance between outlines as a part of the square root of the area.
    mirrored : bool
        Also find islands that are mirror images.
    same_size : bool
        World areas must agree too (within four times the tolerance), so that one density serves
        all.
    """
    shapes = _shapes(islands, np.arange(islands.count))
    buckets: dict[tuple[int, int], list[int]] = {}
    out: dict[int, list[tuple[int, FloatArray, float, bool]]] = {}
    step = np.log1p(8 * max(tolerance, 1e-9))
    for i, shape in enumerate(shapes):
        if shape is None:
            continue
        keys = _keys(shape, islands.world_area[i] if same_size else 1.0, step)
        for leader in {n for key in keys for n in buckets.get(key, [])}:
            found = _align(shape, shapes[leader], tolerance, mirrored)  # type: ignore[arg-type]
            if found is not None:
                out[leader].append((i, *found))
                break
        else:
            out[i] = [(i, IDENTITY, 0.0, False)]
            buckets.setdefault(keys[0], []).append(i)
    return [
        Candidate(
            np.array([row[0] for row in rows]),
            np.array([row[1] for row in rows]),
            max(row[2] for row in rows),
            np.array([row[3] for row in rows]),
        )
        for rows in out.values()
        if len(rows) > 1
    ]


def lay_onto(islands: IslandSet, members: IntArray, tolerance: float = LOOSEST) -> Candidate | None:
    """The members as one stack, on the first of them; None when a shape differs too much."""
    shapes = _shapes(islands, members)
    leader = shapes[0]
    rows = []
    for shape in shapes:
        found = None if shape is None or leader is None else _align(shape, leader, tolerance, True)
        if found is None:
            return None
        rows.append(found)
    onto, away, mirrored = zip(*rows, strict=True)
    return Candidate(np.asarray(members), np.array(onto), max(away), np.array(mirrored))


@dataclass(frozen=True, eq=False)
class _Shape:
    """An outline about its middle, at area 1."""

    points: FloatArray
    middle: FloatArray
    size: float
    perimeter: float
    moments: tuple[float, float]


def _shape(edges: FloatArray, area: float) -> _Shape | None:
    """The shape of an outline (E, 2, 2); None for one without an area."""
    if not area > 0 or not len(edges) or not np.isfinite(edges).all():
        return None
    length = np.linalg.norm(edges[:, 1] - edges[:, 0], axis=1)
    total = float(length.sum())
    middle = (edges.mean(axis=1) * length[:, None]).sum(axis=0) / total
    size = float(np.sqrt(area))
    about = (edges - middle) / size
    a, b = about[:, 0], about[:, 1]
    # Moments of the boundary are continuous in the shape and need no order of the points.
    second = sum(np.einsum("n,ni,nj->ij", length, p, q) for p, q in ((a, a), (b, b), (a, b))) / (
        3 * total
    )
    low, high = np.linalg.eigvalsh(0.5 * (second + second.T))
    points = np.unique(about.reshape(-1, 2).round(12), axis=0)
    return _Shape(points, middle, size, total / size, (float(low), float(high)))


def _shapes(islands: IslandSet, which: IntArray) -> list[_Shape | None]:
    order = np.argsort(islands.edge_island, kind="stable")
    starts = np.searchsorted(islands.edge_island[order], np.arange(islands.count + 1))
    return [
        _shape(islands.edges[order[starts[i] : starts[i + 1]]], float(islands.uv_area[i]))
        for i in which
    ]


def _keys(shape: _Shape, world: float, step: float) -> list[tuple[int, int]]:
    """Hash cells that shapes within the tolerance may fall in; the first is the shape's own."""
    a = np.log(shape.perimeter) / step
    b = np.log(max(world, 1e-300)) / step
    return [(int(np.floor(a)) + i, int(np.floor(b)) + j) for i in (0, -1, 1) for j in (0, -1, 1)]


def _align(
    shape: _Shape, leader: _Shape, tolerance: float, mirrored: bool
) -> tuple[FloatArray, float, bool] | None:
    """Base UVs of one shape to those of another, the largest distance, and whether it is
    mirrored."""
    if abs(shape.perimeter / leader.perimeter - 1) > 8 * tolerance:
        return None
    if not np.allclose(shape.moments, leader.moments, rtol=16 * tolerance, atol=8 * tolerance):
        return None
    # Imported here: it takes a second, for which nobody who starts the server should wait.
    from scipy.spatial import cKDTree

    tree = cKDTree(leader.points)
    # The corner that lies farthest out must come to lie on one that is as far out.
    radius = np.linalg.norm(shape.points, axis=1)
    mark = int(np.argmax(radius))
    far = np.linalg.norm(leader.points, axis=1)
    targets = np.flatnonzero(np.abs(far - radius[mark]) <= 2 * tolerance + 1e-9)
    best: tuple[FloatArray, float, bool] | None = None
    for flip in (False, True) if mirrored else (False,):
        points = shape.points * np.array([-1.0, 1.0]) if flip else shape.points
        at = np.arctan2(points[mark, 1], points[mark, 0])
        for target in targets:
            angle = np.arctan2(leader.points[target, 1], leader.points[target, 0]) - at
            turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
            turned = points @ turn.T
            away = float(tree.query(turned)[0].max())
            if away > tolerance or (best is not None and away >= best[1] - 1e-12):
                continue
            away = max(away, float(cKDTree(turned).query(leader.points)[0].max()))
            if away > tolerance or (best is not None and away >= best[1] - 1e-12):
                continue
            linear = (turn @ np.diag([-1.0, 1.0]) if flip else turn) * (leader.size / shape.size)
            shift = leader.middle - linear @ shape.middle
            best = (np.column_stack([linear, shift]), away, flip)
            if away < EXACT:
                return best
    return best
