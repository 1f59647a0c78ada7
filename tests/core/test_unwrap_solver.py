"""The solver of one island against libigl, a general geometry library (its as-rigid-as-possible of
triangles: Liu et al. 2008)."""

from __future__ import annotations

import igl
import numpy as np
import pytest

from quilt_core.unwrap._join_loops import FINE, flatten_island
from quilt_core.unwrap._unfold_loops import unfold_tree
from quilt_core.unwrap.pieces import find_pieces
from tests.core.unwrap_samples import grid, mesh_of


def bulge(height):
    """A sheet of triangles with a bulge in its middle."""

    def place(u, v):
        x, y = 2 * u - 1, 2 * v - 1
        return x, y, height * (1 - x * x) * (1 - y * y)

    quads = grid(14, 14, place)
    corners = np.split(quads.corner_vertex, quads.face_offsets[1:-1])
    halves = [(a, b, c) for a, b, c, _ in corners] + [(a, c, d) for a, _, c, d in corners]
    return mesh_of(quads.positions, halves)


def energy_of(points, faces, uv) -> float:
    """Sum of area times squared distance of the singular values from 1, by numpy."""
    total = 0.0
    for p, q in zip(points[faces], uv[faces], strict=True):
        x = (p[1] - p[0]) / np.linalg.norm(p[1] - p[0])
        normal = np.cross(x, p[2] - p[0])
        y = np.cross(normal / np.linalg.norm(normal), x)
        rest = np.array([[(p[k] - p[0]) @ x, (p[k] - p[0]) @ y] for k in (1, 2)]).T
        flat = np.array([q[1] - q[0], q[2] - q[0]]).T
        values = np.linalg.svd(flat @ np.linalg.inv(rest))[1]
        total += 0.5 * abs(np.linalg.det(rest)) * ((values - 1) ** 2).sum()
    return total


@pytest.mark.parametrize("height", [0.2, 0.5, 0.8])
def test_as_rigid_as_possible_comes_to_the_energy_of_libigl(height):
    mesh = bulge(height)
    pieces = find_pieces(mesh)
    joined, all_ = pieces.across >= 0, np.arange(pieces.count)
    place = np.full(pieces.count, -1)
    start = unfold_tree(all_, pieces.across, joined, pieces.rest, np.abs(pieces.turn), place)
    state, _, flat = flatten_island(
        all_, pieces.across, joined, pieces.rest, pieces.sharp, start, place, 100.0, 100.0, 400
    )
    assert state == FINE
    uv = np.zeros((len(mesh.positions), 2))
    uv[mesh.corner_vertex[pieces.corner.ravel()]] = flat.reshape(-1, 2)
    faces = mesh.corner_vertex[mesh.triangles]
    data = igl.ARAPData()
    data.energy, data.max_iter = igl.ARAP_ENERGY_TYPE_ELEMENTS, 500
    pin = np.array([int(igl.boundary_loop(faces)[0])])
    igl.arap_precomputation(mesh.positions, faces, 2, pin, data)
    theirs = igl.arap_solve(
        uv[pin], data, uv + 0.01 * np.random.default_rng(0).normal(size=uv.shape)
    )
    ours, best = (energy_of(mesh.positions, faces, found) for found in (uv, theirs))
    assert ours == pytest.approx(best, rel=0.01)
