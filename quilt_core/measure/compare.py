"""What happened to islands between two layouts of one mesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.types import FloatArray, IntArray


@dataclass(frozen=True, eq=False)
class LaidMesh:
    """A mesh in a layout.

    Parameters
    ----------
    uv : (C, 2) float64
        UVs of the face corners, as they are placed; NaN for none.
    face_island : (F,) int64
        Island of each face, -1 for none.
    face_offsets : (F + 1,) int64
    pixel : (I, 2) float64
        px per UV of each island's tile.
    """

    uv: FloatArray
    face_island: IntArray
    face_offsets: IntArray
    pixel: FloatArray


@dataclass(frozen=True)
class IslandChange:
    """What happened to an island.

    Parameters
    ----------
    island : int
        In the newer layout.
    was : tuple of int
        Islands of the older one that its faces were in.
    moved : float
        px that its middle was moved by.
    turned : float
        Degrees to the left, -180 to 180.
    size : float
        Length now / length before.
    flipped : bool
    off : float
        px that a corner is off the best move, turn and size.
    """

    island: int
    was: tuple[int, ...]
    moved: float = 0.0
    turned: float = 0.0
    size: float = 1.0
    flipped: bool = False
    off: float = 0.0


@dataclass(frozen=True, eq=False)
class Compared:
    """What happened to the islands of a mesh.

    Parameters
    ----------
    changed : list of IslandChange
        Islands of the same faces as before that lie or look otherwise.
    parted : list of IslandChange
        Islands of other faces than before: cut, joined or new.
    gone : list of int
        Islands of the older layout whose faces have no UVs any more.
    same : int
        Islands that are as they were.
    """

    changed: list[IslandChange]
    parted: list[IslandChange]
    gone: list[int]
    same: int


def compare_islands(older: LaidMesh, newer: LaidMesh, tolerance: float) -> Compared:
    """Compare two layouts of a mesh, face by face and corner by corner.

    Parameters
    ----------
    older, newer : LaidMesh
        With the same faces.
    tolerance : float
        px by which corners may differ untold.

    Returns
    -------
    Compared
    """
    before, now = older.face_island, newer.face_island
    pairs, counts = np.unique(np.stack([before, now], axis=1), axis=0, return_counts=True)
    sizes = np.bincount(before[before >= 0], minlength=len(older.pixel))
    sizes_now = np.bincount(now[now >= 0], minlength=len(newer.pixel))
    was: dict[int, list[int]] = {}
    for a, b in pairs.tolist():
        was.setdefault(b, []).append(a)
    whole = {
        b: a
        for (a, b), n in zip(pairs.tolist(), counts.tolist(), strict=True)
        if a >= 0 and b >= 0 and n == sizes[a] == sizes_now[b]
    }
    corner_face = np.repeat(np.arange(len(now)), np.diff(newer.face_offsets))
    corner_island = now[corner_face]
    known = np.flatnonzero(corner_island >= 0)
    order = known[np.argsort(corner_island[known], kind="stable")]
    starts = np.searchsorted(corner_island[order], np.arange(len(newer.pixel) + 1))
    changed, parted, same = [], [], 0
    for b in range(len(newer.pixel)):
        if b not in was:
            continue
        if b not in whole:
            parted.append(IslandChange(b, tuple(a for a in was[b] if a >= 0)))
            continue
        rows = order[starts[b] : starts[b + 1]]
        found = _fitted(b, whole[b], older.uv[rows], newer.uv[rows], newer.pixel[b], tolerance)
        if found is None:
            same += 1
        else:
            changed.append(found)
    still = {a for rows in was.items() if rows[0] >= 0 for a in rows[1]}
    gone = [a for a in range(len(older.pixel)) if sizes[a] and a not in still]
    return Compared(changed, parted, gone, same)


def _fitted(
    island: int, was: int, before: FloatArray, now: FloatArray, pixel: FloatArray, tolerance: float
) -> IslandChange | None:
    """The move, turn and size that explain best where corners are now; None where they are where
    they were. By least squares (Umeyama 1991)."""
    p, q = before * pixel, now * pixel
    if not np.isfinite(p).all() or not np.isfinite(q).all():
        return IslandChange(island, (was,), off=float("inf"))
    if float(np.abs(q - p).max(initial=0.0)) <= tolerance:
        return None
    middle, middle_now = p.mean(axis=0), q.mean(axis=0)
    a, b = p - middle, q - middle_now
    spread = float((a * a).sum())
    moved = float(np.linalg.norm(middle_now - middle))
    if not spread > 0:
        off = float(np.abs(b).max(initial=0.0))
        return IslandChange(island, (was,), moved, off=off if off > tolerance else 0.0)
    left, scales, right = np.linalg.svd(b.T @ a)
    if scales[1] <= 1e-9 * scales[0] and np.linalg.det(left @ right) < 0:
        left[:, 1] *= -1  # all corners on a line: it needs no flip
    turn = left @ right
    size = float(scales.sum()) / spread
    flipped = bool(np.linalg.det(turn) < 0)
    off = float(np.linalg.norm(b - size * a @ turn.T, axis=1).max())
    # A flip is one across, then a turn.
    across = turn @ np.diag([-1.0, 1.0]) if flipped else turn
    radius = float(np.linalg.norm(a, axis=1).max())
    angle = float(np.degrees(np.arctan2(across[1, 0], across[0, 0])))
    angle = 180.0 if angle < -180 + 1e-9 else angle
    return IslandChange(
        island, (was,),
        moved=moved if moved > tolerance else 0.0,
        turned=angle if np.radians(abs(angle)) * radius > tolerance else 0.0,
        size=size if abs(size - 1) * radius > tolerance else 1.0,
        flipped=flipped,
        off=off if off > tolerance else 0.0,
    )  # fmt: skip
