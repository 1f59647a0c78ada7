"""Maps to begin with: conformal ones, and those of Tutte, which never flip."""

from __future__ import annotations

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from quilt_core.scene.types import FloatArray, IntArray

SPECTRAL_STEPS = 60
"""Steps of the power iteration; each one costs a solution of a factorized system."""


def border_loops(faces: IntArray) -> list[IntArray]:
    """Vertices of each border of an island, in order, the longest loop (in edges) first.

    Parameters
    ----------
    faces : (M, 3) int64
        Wound alike.
    """
    start, end = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    two = set(zip(start.tolist(), end.tolist(), strict=True))
    follow: dict[int, list[int]] = {}
    for a, b in zip(start.tolist(), end.tolist(), strict=True):
        if (b, a) not in two:
            follow.setdefault(a, []).append(b)
    loops = []
    while follow:
        first = next(iter(follow))
        loop, here = [], first
        while here in follow:
            loop.append(here)
            ways = follow[here]
            after = ways.pop()
            if not ways:
                del follow[here]
            here = after
        loops.append(np.array(loop))
    return sorted(loops, key=len, reverse=True)


def _conformal_rows(
    faces: IntArray, rest: FloatArray, count: int
) -> tuple[sparse.csc_matrix, FloatArray]:
    """(2 M, 2 N) sparse rows whose squares add up to how far a map is from a conformal one (Lévy et al. 2002), and the
    area of each triangle."""
    m = len(faces)
    area = 0.5 * rest[:, 1, 0] * rest[:, 2, 1]
    # Each corner's weight is the opposite side as a complex number, over the root of the area.
    z = rest[..., 0] + 1j * rest[..., 1]
    w = (np.roll(z, -2, axis=1) - np.roll(z, -1, axis=1)) / np.sqrt(2 * area)[:, None]
    rows, columns = np.repeat(np.arange(m), 3), faces.ravel()
    real = sparse.coo_matrix((w.real.ravel(), (rows, columns)), (m, count))
    imaginary = sparse.coo_matrix((w.imag.ravel(), (rows, columns)), (m, count))
    return sparse.bmat([[real, -imaginary], [imaginary, real]]).tocsc(), area


def lscm(faces: IntArray, rest: FloatArray, count: int) -> FloatArray:
    """Least squares conformal map with two vertices pinned, at the size of the surface.

    Parameters
    ----------
    faces : (M, 3) int64
    rest : (M, 3, 2) float64
    count : int
        Vertices.

    Returns
    -------
    (N, 2) float64
        May have triangles turned over.

    References
    ----------
    Lévy, Petitjean, Ray, Maillot 2002, Least Squares Conformal Maps. The pins are the two vertices
    of the border that are far apart over the edges.
    """
    one, two = _far_apart(faces, rest, count)
    whole, area = _conformal_rows(faces, rest, count)
    pins = np.array([one, two, one + count, two + count])
    free = np.setdiff1d(np.arange(2 * count), pins)
    values = np.array([0.0, 1.0, 0.0, 0.0])
    left, right = whole[:, free], -whole[:, pins] @ values
    normal = (left.T @ left).tocsc()
    normal += sparse.identity(len(free)) * (1e-14 * normal.diagonal().mean())
    x = np.empty(2 * count)
    x[pins], x[free] = values, splu(normal.tocsc()).solve(left.T @ right)
    out = np.stack([x[:count], x[count:]], axis=1)
    return _sized(out, faces, area.sum())


def spectral(faces: IntArray, rest: FloatArray, count: int) -> FloatArray:
    """Conformal map whose whole border is free: no two vertices are pinned, so that none of them pulls
    the map out of shape.

    Returns
    -------
    (N, 2) float64
        May have triangles turned over; NaN where it was not found.

    References
    ----------
    Mullen, Tong, Alliez, Desbrun 2008, Spectral Conformal Parameterization: of the generalized problem
    L x = e B x, with B of the border, the smallest vector that is no shift.
    """
    whole, area = _conformal_rows(faces, rest, count)
    energy = (whole.T @ whole).tocsc()
    rim = np.concatenate(border_loops(faces))
    on = np.zeros(2 * count)
    on[np.concatenate([rim, rim + count])] = 1.0
    # The largest 1 / e, without the two shifts.
    held = energy + sparse.identity(2 * count) * (1e-12 * energy.diagonal().mean())
    shifts = np.zeros((2 * count, 2))
    shifts[rim, 0] = shifts[rim + count, 1] = 1.0 / np.sqrt(len(rim))
    solver = splu(held.tocsc())
    x = np.random.default_rng(5).normal(size=2 * count)
    for _ in range(SPECTRAL_STEPS):
        pushed = on * x
        pushed -= shifts @ (shifts.T @ pushed)
        new = solver.solve(pushed)
        border = on * new
        border -= shifts @ (shifts.T @ border)
        size = np.sqrt(max(float(new @ border), 1e-300))
        new = new / size
        if min(np.abs(new - x).max(), np.abs(new + x).max()) < 1e-9 * np.abs(new).max():
            x = new
            break
        x = new
    out = np.stack([x[:count], x[count:]], axis=1)
    return _sized(out - out.mean(axis=0), faces, area.sum())


def tutte(faces: IntArray, rest: FloatArray, count: int) -> FloatArray:
    """A map onto a disc without triangles turned over.

    The longest border goes on a circle, other borders are spanned by a vertex each.

    References
    ----------
    Tutte 1963, How to Draw a Graph; Floater 2003, One-to-one Piecewise Linear Mappings.
    """
    loops = border_loops(faces)
    outer = loops[0]
    sides = np.linalg.norm(np.roll(rest, -1, axis=1) - rest, axis=2)
    length = dict(
        zip(
            zip(faces.ravel().tolist(), np.roll(faces, -1, axis=1).ravel().tolist(), strict=True),
            sides.ravel().tolist(),
            strict=True,
        )
    )
    steps = np.array([length[a, b] for a, b in zip(outer, np.roll(outer, -1), strict=True)])
    angle = 2 * np.pi * np.r_[0.0, np.cumsum(steps)[:-1]] / steps.sum()
    links = [np.stack([faces.ravel(), np.roll(faces, -1, axis=1).ravel()], axis=1)]
    for number, loop in enumerate(loops[1:]):
        links.append(np.stack([loop, np.full(len(loop), count + number)], axis=1))
    pairs = np.concatenate(links)
    n = count + len(loops) - 1
    one = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), (n, n))
    near = ((one + one.T) > 0).astype(np.float64).tocsr()
    laplacian = (sparse.diags(np.asarray(near.sum(axis=1)).ravel()) - near).tocsr()
    x = np.zeros((n, 2))
    x[outer] = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    free = np.setdiff1d(np.arange(n), outer)
    if len(free):
        x[free] = splu(laplacian[free][:, free].tocsc()).solve(
            -laplacian[free][:, outer] @ x[outer]
        )
    return _sized(x[:count], faces, (0.5 * rest[:, 1, 0] * rest[:, 2, 1]).sum())


def is_open(faces: IntArray, count: int) -> bool:
    """Whether a connected island can lie flat without another cut: it has a border and no handle."""
    low = np.minimum(faces, np.roll(faces, -1, axis=1)).ravel()
    high = np.maximum(faces, np.roll(faces, -1, axis=1)).ravel()
    edges = len(np.unique(low * count + high))
    loops = len(border_loops(faces))
    # Euler's number of a sphere with holes is 2 less the holes.
    return loops > 0 and len(np.unique(faces)) - edges + len(faces) == 2 - loops


def _sized(x: FloatArray, faces: IntArray, area: float) -> FloatArray:
    a, b, c = (x[faces[:, k]] for k in range(3))
    one, two = b - a, c - a
    flat = 0.5 * (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]).sum()
    return np.asarray(x * np.sqrt(area / max(abs(float(flat)), 1e-300)))


def _far_apart(faces: IntArray, rest: FloatArray, count: int) -> tuple[int, int]:
    from scipy.sparse.csgraph import dijkstra

    a, b = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    sides = np.linalg.norm(np.roll(rest, -1, axis=1) - rest, axis=2).ravel()
    loops = border_loops(faces)
    rim = np.concatenate(loops) if loops else np.unique(faces)
    graph = sparse.coo_matrix((sides, (a, b)), (count, count)).tocsr()
    start = int(rim[0])
    for _ in range(2):
        far = dijkstra(graph, directed=False, indices=start)[rim]
        other = int(rim[np.argmax(np.where(np.isfinite(far), far, -1.0))])
        start, last = other, start
    return last, start
