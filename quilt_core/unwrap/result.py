"""What flattening gives: UVs of every corner and the figures of the islands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.unwrap._island_loops import singular_values
from quilt_core.unwrap.pieces import Pieces, lay_flat
from quilt_core.unwrap.surface_islands import SurfaceIslands
from quilt_core.unwrap.upright import border_of, upright_turn

LEAST_AREA = 1e-4
"""Of its flattened area that an island is taken to have on the surface; less when it is all
slivers."""
GAP = 0.01
"""Room between islands in rows, as a part of the side of the square that the surface would fill."""


@dataclass(frozen=True, eq=False)
class Unwrapped:
    """A flattened mesh.

    Parameters
    ----------
    uv : (C, 2) float64
        UVs of the corners at equal density, islands in rows within 0 to 1; NaN for corners of faces
        without a triangle.
    face_island : (F,) int64
        Island of each face, -1 for none.
    islands : int
    seam_length : float
        Of edges between two faces that are cut, / sqrt(surface).
    stretch_l2, stretch_p95, energy : float
        Area-weighted: L2 stretch (1 is none), the 95th percentile of max(1 / smaller, larger
        singular value), mean symmetric Dirichlet energy (4 is isometric).
    flipped : int
        Triangles turned over.
    seconds : float
    symmetric : bool
        Whether both sides are mirror images, as was asked.
    """

    uv: FloatArray
    face_island: IntArray
    islands: int
    seam_length: float
    stretch_l2: float
    stretch_p95: float
    energy: float
    flipped: int
    seconds: float
    symmetric: bool = False


def measured(mesh: Mesh, pieces: Pieces, work: SurfaceIslands | None, seconds: float) -> Unwrapped:
    """The result of islands over a mesh; None where there is nothing to flatten."""
    face_island = np.full(mesh.face_count, -1, np.int64)
    if work is None:
        empty = np.full((len(mesh.corner_vertex), 2), np.nan)
        return Unwrapped(empty, face_island, 0, 0.0, 1.0, 1.0, 4.0, 0, seconds)
    islands = work.islands()
    uv = work.uv.copy()
    area = pieces.area
    xyz = pieces.points
    true = 0.5 * np.linalg.norm(np.cross(xyz[:, 1] - xyz[:, 0], xyz[:, 2] - xyz[:, 0]), axis=1)
    for number, tris in enumerate(islands):
        face_island[pieces.face[tris]] = number
        # Slivers have more area when they are flattened than on the surface.
        flat = np.abs(triangle_areas(uv[tris])).sum()
        uv[tris] *= np.sqrt(max(float(true[tris].sum()), LEAST_AREA * flat) / flat)
    one, two = singular_values(pieces.rest, uv)
    clipped = np.clip(one, 0.01, 100.0), np.clip(np.abs(two), 0.01, 100.0)
    energy = clipped[0] ** 2 + clipped[1] ** 2 + clipped[0] ** -2 + clipped[1] ** -2
    stretch = 0.5 * (clipped[0] ** -2 + clipped[1] ** -2)
    total = float(area.sum())
    cut = ~work.joined & (pieces.across >= 0)
    return Unwrapped(
        uv=corner_uvs(mesh, pieces, in_rows(uv, islands, total)),
        face_island=face_island,
        islands=len(islands),
        seam_length=float(pieces.length[cut].sum() / 2 / np.sqrt(total)),
        stretch_l2=float(np.sqrt((area * stretch).sum() / total)),
        stretch_p95=_percentile(np.maximum(clipped[0], 1 / clipped[1]), area, 0.95),
        energy=float((area * energy).sum() / total),
        flipped=int((two <= 0).sum()),
        seconds=seconds,
    )


@dataclass(frozen=True)
class FlatFigures:
    """How good the layout of a mesh is: what `Unwrapped` says of it."""

    islands: int
    seam_length: float
    stretch_l2: float
    stretch_p95: float
    energy: float
    flipped: int


def flat_figures(work: SurfaceIslands, known: NDArray[np.bool_]) -> FlatFigures:
    """Figures of the islands of a surface, each brought to the size of its surface; triangles that
    are not known (N,) have no UVs."""
    pieces = work.pieces
    uv, turned = work.uv.copy(), 0
    label = np.where(known, work.label, -1)
    names = np.unique(label[known])
    for name in names:
        tris = np.flatnonzero(label == name)
        signed = triangle_areas(uv[tris])
        facing = 1.0 if signed.sum() >= 0 else -1.0
        turned += int((signed * facing < 0).sum())
        scale = np.sqrt(pieces.area[tris].sum() / max(float(np.abs(signed).sum()), 1e-300))
        uv[tris] *= np.array([facing * scale, scale])
    total = max(float(pieces.area[known].sum()), 1e-300)
    cut = ~work.joined & (pieces.across >= 0) & np.repeat(known, 3)
    seam = float(pieces.length[cut].sum() / 2 / np.sqrt(total))
    if not known.any():
        return FlatFigures(0, 0.0, 1.0, 1.0, 4.0, 0)
    one, two = singular_values(pieces.rest[known], uv[known])
    one, two = np.clip(one, 0.01, 100.0), np.clip(np.abs(two), 0.01, 100.0)
    area = pieces.area[known]
    energy = one**2 + two**2 + one**-2.0 + two**-2.0
    return FlatFigures(
        islands=len(names),
        seam_length=seam,
        stretch_l2=float(np.sqrt((area * 0.5 * (one**-2.0 + two**-2.0)).sum() / total)),
        stretch_p95=_percentile(np.maximum(one, 1 / two), area, 0.95),
        energy=float((area * energy).sum() / total),
        flipped=turned,
    )


def in_rows(uv: FloatArray, islands: list[IntArray], total: float) -> FloatArray:
    """(N, 3, 2) islands turned upright and laid in rows, the highest first,
    within 0 to 1; no sizes but the common one change."""
    gap = GAP * np.sqrt(total)
    boxes = np.empty((len(islands), 2))
    out = uv.copy()
    for k, tris in enumerate(islands):
        flat = out[tris].reshape(-1, 2)
        flat = flat @ upright_turn(flat, *border_of(out[tris]))
        flat = flat - flat.min(axis=0)
        boxes[k] = flat.max(axis=0)
        out[tris] = flat.reshape(-1, 3, 2)
    width = max(
        np.sqrt((boxes + gap).prod(axis=1).sum() * 1.15), float(boxes[:, 0].max(initial=0.0))
    )
    x = y = row = 0.0
    for k in np.argsort(-boxes[:, 1], kind="stable"):
        if x > 0 and x + boxes[k, 0] > width:
            x, y, row = 0.0, y + row + gap, 0.0
        out[islands[k]] += (x, y)
        x, row = x + boxes[k, 0] + gap, max(row, boxes[k, 1])
    return np.asarray(out / max(width, y + row, 1e-300))


def corner_uvs(mesh: Mesh, pieces: Pieces, uv: FloatArray) -> FloatArray:
    """(C, 2) UVs of a mesh's corners from those of its triangles; corners of triangles that have no
    area take those of a neighbour at the same place."""
    out = np.full((len(mesh.corner_vertex), 2), np.nan)
    out[pieces.corner.ravel()] = uv.reshape(-1, 2)
    return with_slivers(mesh, pieces, out)


def with_slivers(mesh: Mesh, pieces: Pieces, uv: FloatArray) -> FloatArray:
    """UVs (C, 2) with those of triangles of which two corners lie at one place: where they have none
    they take those of a neighbour there."""
    out = uv.copy()
    left = pieces.aside[np.isnan(out[pieces.aside]).any(axis=(1, 2))] if len(pieces.aside) else ()
    if not len(left):
        return out
    where = pieces.place[mesh.corner_vertex]
    place = np.full(int(where.max()) + 1, -1, np.int64)
    known = pieces.corner[np.isfinite(out[pieces.corner]).all(axis=(1, 2))]
    if not len(known):
        return out
    place[where[known.ravel()]] = known.ravel()
    edge: dict[tuple[int, int], tuple[int, int]] = {}
    vertex = where[known]
    wanted = set(where[left].ravel().tolist())
    for row, corners in zip(vertex.tolist(), known.tolist(), strict=True):
        for s in range(3):
            a, b = row[s], row[(s + 1) % 3]
            if a in wanted and b in wanted:
                edge[a, b] = corners[s], corners[(s + 1) % 3]
                edge[b, a] = corners[(s + 1) % 3], corners[s]
    anywhere = np.nanmean(out, axis=0)
    for corners in left:
        ends = where[corners].tolist()
        found: dict[int, int] = {}
        for a in ends:
            for b in ends:
                if (a, b) in edge and a not in found:
                    found[a], found[b] = edge[a, b]
        for corner, a in zip(corners.tolist(), ends, strict=True):
            if np.isnan(out[corner]).any():
                near = found.get(a, int(place[a]))
                out[corner] = out[near] if near >= 0 else anywhere
    return out


def _percentile(value: FloatArray, weight: FloatArray, share: float) -> float:
    order = np.argsort(value)
    held = np.cumsum(weight[order])
    return float(value[order][min(np.searchsorted(held, share * held[-1]), len(value) - 1)])


def flat_stretch(mesh: Mesh, points: FloatArray, uv: FloatArray) -> float:
    """L2 stretch of UVs (C, 2) over a mesh with vertices at points (V, 3), at one common scale; NaN
    where nothing has UVs."""
    triangles = mesh.triangles
    xyz, flat = points[mesh.corner_vertex[triangles]], uv[triangles]
    has = np.isfinite(flat).all(axis=(1, 2)) & np.isfinite(xyz).all(axis=(1, 2))
    rest, flat = lay_flat(xyz[has]), flat[has]
    area = 0.5 * rest[:, 1, 0] * rest[:, 2, 1]
    one, two = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    covered = 0.5 * np.abs(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]).sum()
    if not covered > 0:
        return float("nan")
    large, small = singular_values(rest, np.ascontiguousarray(flat) * np.sqrt(area.sum() / covered))
    large, small = np.clip(large, 0.01, 100.0), np.clip(np.abs(small), 0.01, 100.0)
    mean = (area * 0.5 * (large**-2.0 + small**-2.0)).sum() / area.sum()
    return float(np.sqrt(mean))
