"""Islands relaxed between keeping angles and keeping areas, without ever turning a triangle over."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap._island_loops import cotangents
from quilt_core.unwrap._relax_loops import distortion, longest_step, shapes

MEMORY = 8
"""Steps that the search remembers."""
LEAST_TURN = 1e-10
"""Cosine between a step and the change of the slope below which it is not remembered: the method asks for it to be
positive."""
LEAST_WEIGHT = 1e-3
"""Of an edge in the first guess of curvature, over the mean one."""
LEAST_POWER = 0.05
"""Of either distortion: without it there is nothing that holds an island."""
STEADY = 1e-7
"""Relative gain below which it rests."""


def relax_island(
    faces: IntArray,
    rest: FloatArray,
    start: FloatArray,
    held: BoolArray | None = None,
    balance: float = 0.5,
    steps: int = 100,
    accept: Callable[[FloatArray], bool] = lambda x: True,
) -> FloatArray:
    """Lower the distortion of a map, vertices held or not.

    At a balance of 0.5 it is the symmetric Dirichlet energy; towards 0 angles count more, towards 1
    areas do. Descends by L-BFGS over the inverse Laplacian; no step goes so far that a triangle loses
    its area.

    Parameters
    ----------
    faces : (M, 3) int64
    rest : (M, 3, 2) float64
        Each triangle laid flat, at the size that the map shall have.
    start : (N, 2) float64
        Without triangles turned over.
    held : (N,) bool, optional
        Vertices that stay.
    balance : float
    steps : int
    accept : callable
        Is asked about the map now and then; the last one that it took is given back.

    Returns
    -------
    (N, 2) float64

    References
    ----------
    Degener, Meseth, Klein 2003, An Adaptable Surface Parameterization Method. Smith, Schaefer 2015,
    Bijective Parameterization with Free Boundaries (steps that never flip). Liu, Nocedal 1989, On the
    Limited Memory BFGS Method. Kovalsky, Galun, Lipman 2016, Accelerated Quadratic Proxy (the
    Laplacian as its metric).
    """
    shape, area = shapes(rest)
    weight = area / area.sum()
    free = np.ones(len(start), bool) if held is None else ~held
    powers = max(2 * (1 - balance), LEAST_POWER), max(2 * balance, LEAST_POWER)
    x, slope = start.copy(), np.empty_like(start)
    value = distortion(faces, shape, weight, x, *powers, slope)
    if not np.isfinite(value) or not free.any():
        return x
    inverse = splu(_laplacian(faces, rest, len(x))[free][:, free].tocsc())
    taken = x.copy()
    known: list[tuple[FloatArray, FloatArray]] = []
    for step in range(steps):
        go = np.zeros_like(x)
        go[free] = -_two_loops(inverse.solve, slope[free], known)
        along = float((go * slope).sum())
        if not along < 0:
            known = []
            go[free] = -inverse.solve(slope[free])
            along = float((go * slope).sum())
            if not along < 0:
                break
        size = min(1.0, 0.9 * longest_step(faces, x, go))
        further, found, next_slope = x, np.inf, slope.copy()
        for _ in range(30):
            further = x + size * go
            found = distortion(faces, shape, weight, further, *powers, next_slope)
            if found <= value + 1e-4 * size * along:
                break
            size *= 0.5
        else:
            break
        moved, turned = (further - x)[free], (next_slope - slope)[free]
        # A step along which the slope does not grow says nothing of a curvature that is positive.
        if (moved * turned).sum() > LEAST_TURN * np.linalg.norm(moved) * np.linalg.norm(turned):
            known = [*known, (moved, turned)][-MEMORY:]
        gained = value - found
        x, slope, value = further, next_slope, found
        if step % 5 == 4 and not accept(x):
            return taken
        if step % 5 == 4:
            taken = x
        if gained < STEADY * value:
            break
    return x if accept(x) else taken


def _laplacian(faces: IntArray, rest: FloatArray, count: int) -> sparse.csr_matrix:
    """(N, N) of cotangents, none below a small positive one, a little above singular."""
    cot = cotangents(rest) / (0.5 * rest[:, 1, 0] * rest[:, 2, 1]).sum()
    cot = np.maximum(cot, LEAST_WEIGHT * np.abs(cot).mean())
    a, b = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    w = cot.ravel()
    off = sparse.coo_matrix((-w, (a, b)), (count, count)).tocsr()
    off = off + off.T
    whole = -np.asarray(off.sum(axis=1)).ravel()
    return (off + sparse.diags(whole + 1e-8 * whole.mean())).tocsr()


def _two_loops(
    solve: Callable[[FloatArray], FloatArray],
    slope: FloatArray,
    known: list[tuple[FloatArray, FloatArray]],
) -> FloatArray:
    """The gradient under the inverse curvature that the last steps suggest (Nocedal 1980)."""
    out = slope.copy()
    parts = []
    for moved, turned in reversed(known):
        rho = 1.0 / float((moved * turned).sum())
        share = rho * float((moved * out).sum())
        out -= share * turned
        parts.append((rho, share))
    out = solve(out)
    for (moved, turned), (rho, share) in zip(known, reversed(parts), strict=True):
        out += (share - rho * float((turned * out).sum())) * moved
    return out
