"""Picked edges laid level or upright, closed loops made round."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.onto import AS_PLANE
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap._island_loops import island_vertices
from quilt_core.unwrap.edits.ease import ease
from quilt_core.unwrap.edits.laid import Edited, Laid


def align_edges(laid: Laid, corners: IntArray, way: str) -> Edited:
    """Lay picked edges level or upright; what hangs on them follows, eased.

    Parameters
    ----------
    laid : Laid
    corners : (K,) int64
        Edges; those that hang together come to lie on one line.
    way : str
        level, upright, or round: a closed loop comes to lie on a circle.

    Raises
    ------
    LayoutError
        When there are no such edges, or a loop to be made round is open.
    """
    half = laid.halves(corners)
    half = half[laid.known[half // 3]]
    tris = laid.islands_of(half // 3)
    if not len(tris):
        raise LayoutError("These edges have no UVs.", "edges", "Select others.")
    pieces = laid.pieces
    faces, n = island_vertices(
        tris, pieces.across, laid.work.joined, np.full(pieces.count, -1, np.int64)
    )
    row = np.full(pieces.count, -1, np.int64)
    row[tris] = np.arange(len(tris))
    a = faces[row[half // 3], half % 3]
    b = faces[row[half // 3], (half % 3 + 1) % 3]
    x = np.zeros((n, 2))
    x[faces.ravel()] = laid.work.uv[tris].reshape(-1, 2)
    held = np.zeros(n, bool)
    held[a] = held[b] = True
    chain = groups(np.stack([a, b], axis=1), n)
    axis = 0 if way == "upright" else 1
    new = x.copy()
    if way != "round":
        island = laid.work.label[tris]
        for number in np.unique(island):
            own = np.unique(faces[island == number])
            here = np.isin(a, own)
            new[own] = _turned(x[own], x[b[here]] - x[a[here]], 1 - axis)
    for name in np.unique(chain[a]):
        mine = np.flatnonzero((chain == name) & held)
        if way == "round":
            new[mine] = _round(x, a, b, mine)
        else:
            new[mine, axis] = new[mine, axis].mean()
    return _settled(laid, tris, faces, new, held, f"{len(np.unique(chain[a]))} lines {way}")


def _turned(x: FloatArray, along: FloatArray, axis: int) -> FloatArray:
    """Points about their middle, turned as little as it takes for lines to run along an axis."""
    z = (along @ AS_PLANE) ** 2
    size = np.abs(z)
    mean = (z / np.sqrt(np.where(size > 0, size, 1.0))).sum()
    # Directions are the same after half a turn: their doubled angles are averaged.
    angle = -0.5 * np.angle(mean) + (0.5 * np.pi if axis == 1 else 0.0)
    angle = (angle + 0.5 * np.pi) % np.pi - 0.5 * np.pi
    middle = x.mean(axis=0)
    out = ((x - middle) @ AS_PLANE) * np.exp(1j * angle)
    return np.asarray(np.stack([out.real, out.imag], axis=1) + middle)


def _round(x: FloatArray, a: IntArray, b: IntArray, mine: IntArray) -> FloatArray:
    near: dict[int, set[int]] = {int(v): set() for v in mine}
    for p, q in zip(a.tolist(), b.tolist(), strict=True):
        if p in near:
            near[p].add(q)
            near[q].add(p)
    if any(len(ways) != 2 for ways in near.values()):
        raise LayoutError(
            "These edges are no closed loop.", "edges", "Select a loop without ends or forks."
        )
    order, last = [int(mine[0])], -1
    while True:
        here = order[-1]
        after = [v for v in sorted(near[here]) if v != last]
        last = here
        if after[0] == order[0] or len(order) == len(mine):
            break
        order.append(after[0])
    p = x[order]
    following = np.roll(p, -1, axis=0)
    around = np.sign((p[:, 0] * following[:, 1] - p[:, 1] * following[:, 0]).sum()) or 1.0
    step = np.linalg.norm(following - p, axis=1)
    angle = around * 2 * np.pi * np.r_[0.0, np.cumsum(step)[:-1]] / step.sum()
    middle, radius = p.mean(axis=0), step.sum() / (2 * np.pi)
    w = np.exp(1j * angle)
    turn = ((p - middle) @ np.array([1.0, 1j]) * np.conj(w)).sum()
    w = w * turn / max(abs(turn), 1e-300) * radius
    out = np.zeros((len(mine), 2))
    index = {v: k for k, v in enumerate(mine.tolist())}
    for v, value in zip(order, w, strict=True):
        out[index[v]] = middle + (value.real, value.imag)
    return out


def _settled(
    laid: Laid, tris: IntArray, faces: IntArray, x: FloatArray, held: BoolArray, note: str
) -> Edited:
    """Vertices put elsewhere and held; the rest of their islands eased around them."""
    flat = laid.work.uv.copy()
    flat[tris] = x[faces]
    changed = np.zeros(laid.pieces.count, bool)
    changed[tris] = True
    moved = replace(laid, uv=laid.having(flat, changed), work=replace(laid.work, uv=flat))
    pinned = np.zeros((laid.pieces.count, 3), bool)
    pinned[tris] = held[faces]
    return Edited(ease(moved, changed, pinned=pinned).uv, note)
