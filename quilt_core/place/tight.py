"""The exact place of an island in a hole that is as large as it: found from near it, contact by contact.

Distances between outline edges are linear in a small move along their shortest connections. Each step takes the move that
makes the least distance largest, a linear program of two unknowns, until nothing is nearer than it may be (sequential linear
programming; Nocedal and Wright 2006, Numerical Optimization, chapter 18).
"""

from __future__ import annotations

import numpy as np
from scipy.optimize import linprog

from quilt_core.scene.types import BoolArray, FloatArray

STEPS = 24
EXACT = 1e-9
"""px by which something may be nearer than it should: what fits to the last digit fits."""
ROOM = 0.01
"""px of room that are enough."""
MOST_PAIRS = 4_000_000


def tight_move(
    own: FloatArray,
    others: FloatArray,
    size: FloatArray,
    padding: float,
    margin: float,
    reach: float,
) -> FloatArray | None:
    """(2,) px by which an island moves to keep all its distances; None where there is no such place near.

    Parameters
    ----------
    own, others : (E, 2, 2), (O, 2, 2) float64
        Outline edges, px from the corner of the tile.
    size : (2,) float64
        Of the tile, px.
    padding, margin : float
        px.
    reach : float
        How far it may move, px.
    """
    moved = np.zeros(2)
    trust = reach
    best = -np.inf
    for _ in range(STEPS):
        edges = own + moved
        found = _contacts(edges, others, padding + 2 * trust)
        if found is None:
            return None
        far, normal = found
        low, high = edges.min(axis=(0, 1)), edges.max(axis=(0, 1))
        walls = np.concatenate([low - margin, size - margin - high])
        slack = min((far - padding).min(initial=np.inf), walls.min())
        if slack >= ROOM or (slack >= -EXACT and slack <= best + EXACT):
            return moved if slack >= -EXACT else None
        if slack <= best:
            trust *= 0.5
        best = max(best, slack)
        # Unknowns: the move, and the least slack t, which is made large.
        rows = np.concatenate([normal, np.eye(2), -np.eye(2)])
        room = np.concatenate([far - padding, walls])
        step = linprog(
            [0, 0, -1],
            A_ub=np.concatenate([-rows, np.ones((len(rows), 1))], axis=1),
            b_ub=room,
            bounds=[(-trust, trust), (-trust, trust), (None, 2 * ROOM)],
            method="highs",
        )
        if not step.success:
            return None
        if np.abs(step.x[:2]).max() < 1e-12:
            return moved if slack >= -EXACT else None
        moved = moved + step.x[:2]
        if np.abs(moved).max() > reach:
            return None
    return None


def _contacts(
    edges: FloatArray, others: FloatArray, within: float
) -> tuple[FloatArray, FloatArray] | None:
    """Distances (K,) of ends of edges to other edges and back, and the directions (K, 2) in which they grow when the first ones
    move; None where edges cross."""
    low, high = edges.min(axis=1), edges.max(axis=1)
    olow, ohigh = others.min(axis=1), others.max(axis=1)
    near = (ohigh >= low.min(axis=0) - within).all(axis=1) & (
        olow <= high.max(axis=0) + within
    ).all(axis=1)
    others, olow, ohigh = others[near], olow[near], ohigh[near]
    if len(edges) * len(others) > MOST_PAIRS:
        return None
    pair = (ohigh[None] >= low[:, None] - within).all(axis=2) & (
        olow[None] <= high[:, None] + within
    ).all(axis=2)
    i, j = np.nonzero(pair)
    a, b = edges[i], others[j]
    if _cross(a, b).any():
        return None
    far, normal = [], []
    for end in (0, 1):
        d, n = _to_edge(a[:, end], b)
        far.append(d)
        normal.append(n)
        d, n = _to_edge(b[:, end], a)
        far.append(d)
        normal.append(-n)
    distance, direction = np.concatenate(far), np.concatenate(normal)
    keep = (distance < within) & (distance > 1e-12)
    return distance[keep], direction[keep]


def _to_edge(points: FloatArray, edges: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Distance (K,) of each point to its edge, and the direction (K, 2) from the edge to it."""
    along = edges[:, 1] - edges[:, 0]
    length2 = np.maximum((along**2).sum(axis=1), 1e-300)
    t = np.clip(((points - edges[:, 0]) * along).sum(axis=1) / length2, 0.0, 1.0)
    away = points - (edges[:, 0] + t[:, None] * along)
    far = np.hypot(away[:, 0], away[:, 1])
    return far, away / np.maximum(far, 1e-300)[:, None]


def _cross(a: FloatArray, b: FloatArray) -> BoolArray:
    """(K,) whether edges cross."""

    def side(p: FloatArray, q: FloatArray, r: FloatArray) -> FloatArray:
        u, v = q - p, r - p
        return np.asarray(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])

    one = side(a[:, 0], a[:, 1], b[:, 0]) * side(a[:, 0], a[:, 1], b[:, 1])
    two = side(b[:, 0], b[:, 1], a[:, 0]) * side(b[:, 0], b[:, 1], a[:, 1])
    return np.asarray((one < 0) & (two < 0))
