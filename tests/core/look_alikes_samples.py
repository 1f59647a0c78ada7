"""What tests of look alikes are made of, for others too."""

from __future__ import annotations

import numpy as np

from tests.core.unwrap_samples import grid, mesh_of


def shuffled(mesh, seed: int, mirror: bool = False, scale: float = 3.0):
    """The same mesh with vertices, faces and first corners in another order, turned, moved, scaled,
    and perhaps mirrored; with the corner of the first for each corner of the second."""
    rng = np.random.default_rng(seed)
    order = rng.permutation(len(mesh.positions))
    number = np.argsort(order)
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    turn *= np.sign(np.linalg.det(turn)) * (-1 if mirror else 1)
    points = scale * mesh.positions[order] @ turn.T + rng.normal(size=3)
    rows = [np.arange(a, b) for a, b in zip(mesh.face_offsets, mesh.face_offsets[1:], strict=False)]
    faces, corners = [], []
    for k in rng.permutation(len(rows)):
        row = np.roll(rows[k], rng.integers(len(rows[k])))
        row = row[::-1] if mirror else row
        corners.append(row)
        faces.append(number[mesh.corner_vertex[row]])
    return mesh_of(points, faces), np.concatenate(corners)


def lumpy(seed: int):
    """A sheet that is like itself in one way only, by shape."""
    rng = np.random.default_rng(seed)
    bumps = rng.normal(size=(7, 7)) * 0.1
    return grid(6, 6, lambda u, v: (u * 6, v * 5, bumps[round(v * 6), round(u * 6)]))
