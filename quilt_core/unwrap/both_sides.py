"""Islands of a symmetric mesh that are symmetric: one side is flattened, the other gets its mirror
image, and both are joined together along the middle."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import weld_ids, weld_positions
from quilt_core.unwrap.edits.laid import lay_out
from quilt_core.unwrap.result import Unwrapped
from quilt_core.unwrap.smooth import smoothed
from quilt_core.unwrap.surface_islands import Limits, SurfaceIslands, joined_up

SAME = 1e-4
"""Two vertices are mirror images when they lie apart by less of the mesh's size."""
APART = 0.1
"""Between the layouts of the two sides before they are joined, in sides of the unit square."""


@dataclass(frozen=True, eq=False)
class Mirror:
    """How a mesh is the mirror image of itself.

    Parameters
    ----------
    axis : int
        0 to 2, along which it is mirrored about the middle of its box.
    corner : (C,) int64
        Mirror image of each corner.
    side : (F,) bool
        Faces of the one side, with those that lie across the middle.
    """

    axis: int
    corner: IntArray
    side: BoolArray


def find_mirror(mesh: Mesh, points: FloatArray | None = None) -> Mirror | None:
    """Find the axis along which a mesh is the mirror image of itself, face by face; None where
    there is none."""
    points = np.asarray(mesh.positions if points is None else points, np.float64)
    if not len(points) or not np.isfinite(points).all():
        return None
    place = weld_positions(mesh)
    kinds, first = np.unique(place, return_index=True)
    where = np.empty(int(kinds.max()) + 1, np.int64)
    where[kinds] = np.arange(len(kinds))
    spot = where[place][mesh.corner_vertex]
    p = points[first]
    tree, size = cKDTree(p), float(np.ptp(p, axis=0).max())
    for axis in range(3):
        image = p.copy()
        image[:, axis] = p[:, axis].min() + p[:, axis].max() - p[:, axis]
        far, partner = tree.query(image, distance_upper_bound=max(SAME * size, 1e-300))
        if not np.isfinite(far).all() or not np.array_equal(partner[partner], np.arange(len(p))):
            continue
        corner = _corner_images(mesh, spot, np.asarray(partner, np.int64))
        if corner is None:
            continue
        middle = 0.5 * (p[:, axis].min() + p[:, axis].max())
        away = np.bincount(mesh.corner_face, p[spot, axis] - middle) / np.diff(mesh.face_offsets)
        face = mesh.corner_face[corner[mesh.face_offsets[:-1]]]
        # Of a face and its image one is on the one side, also where both lie in the middle.
        tie = np.abs(away) <= 1e-9 * size
        side = np.where(tie, np.arange(len(face)) <= face, away > 0)
        if not side.all():
            return Mirror(axis, corner, side)
    return None


def _corner_images(mesh: Mesh, spot: IntArray, partner: IntArray) -> IntArray | None:
    """(C,) image of each corner, when each face has one that is wound the other way round."""
    own, theirs = _faces(mesh, spot), _faces(mesh, partner[spot])
    count = mesh.face_count
    ids = weld_ids(np.concatenate([own, theirs]), np.tile(np.diff(mesh.face_offsets), 2))
    mine, images = ids[:count], ids[count:]
    if len(np.unique(mine)) != count or not np.array_equal(np.sort(mine), np.sort(images)):
        return None
    face = np.empty(count, np.int64)
    face[np.argsort(images, kind="stable")] = np.argsort(mine, kind="stable")
    # Corner of that face at the image of each corner's place.
    wide = len(partner)
    key = mesh.corner_face * wide + spot
    wanted = face[mesh.corner_face] * wide + partner[spot]
    order = np.argsort(key, kind="stable")
    at = np.searchsorted(key[order], wanted)
    if (at >= len(order)).any():
        return None
    corner = order[at]
    return corner if np.array_equal(key[corner], wanted) else None


def _faces(mesh: Mesh, spot: IntArray) -> IntArray:
    """A number for each face, equal for those with the same places."""
    mark = np.random.default_rng(11).integers(0, 2**40, int(spot.max(initial=0)) + 1)
    return np.asarray(np.add.reduceat(mark[spot], mesh.face_offsets[:-1]), np.int64)


def unwrap_both_sides(
    mesh: Mesh,
    points: FloatArray,
    mirror: Mirror,
    limits: Limits,
    flatten: Callable[[Mesh], Unwrapped],
) -> SurfaceIslands | None:
    """The islands of one side and their mirror images, joined along the middle as far as the limits
    allow; None when nothing could be flattened.

    Parameters
    ----------
    mesh : Mesh
    points : (V, 3) float64
        Positions that are flattened.
    mirror : Mirror
    limits : Limits
    flatten : callable
        Flattens a part of the mesh.
    """
    half = _part(mesh, mirror.side)
    made = flatten(half)
    if not made.islands:
        return None
    mine = mirror.side[mesh.corner_face]
    uv = np.full((len(mesh.corner_vertex), 2), np.nan)
    uv[mine] = made.uv
    other = uv[mirror.corner[~mine]]
    uv[~mine] = np.stack([-APART - other[:, 0], other[:, 1]], axis=1)
    laid = lay_out(mesh, uv, points)
    work, pieces = laid.work, laid.pieces
    if not laid.known.all():
        return None
    work = replace(work, uv=work.uv / laid.unit(np.arange(pieces.count)))
    side = mirror.side[pieces.face]
    middle = (pieces.across >= 0) & (side[pieces.across // 3] != np.repeat(side, 3))
    open_ = replace(pieces, across=np.where(middle | work.joined, pieces.across, -1))
    joined = smoothed(joined_up(replace(work, pieces=open_), limits), limits)
    return replace(joined, pieces=pieces)


def _part(mesh: Mesh, faces: BoolArray) -> Mesh:
    """A mesh of some faces of another one, with all its vertices."""
    corner = faces[mesh.corner_face]
    sizes = np.diff(mesh.face_offsets)[faces]
    return replace(
        mesh,
        face_offsets=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64),
        corner_vertex=mesh.corner_vertex[corner],
        channels=(),
        face_material=mesh.face_material[faces],
        corner_normal=None if mesh.corner_normal is None else mesh.corner_normal[corner],
        smoothing=None if mesh.smoothing is None else mesh.smoothing[faces],
        group=None if mesh.group is None else mesh.group[faces],
    )
