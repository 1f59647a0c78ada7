"""Shapes whose best unwrap is known: what one would cut out of paper to make them."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.mesh import Mesh
from tests.core.unwrap_samples import mesh_of

Shape = tuple[np.ndarray, list[tuple[int, ...]]]


def lathe(
    profile: list[tuple[float, float]], n: int, caps: tuple[bool, bool] = (True, True)
) -> Shape:
    """A profile of radii and heights turned round, its ends closed by faces of n corners."""
    angle = 2 * np.pi * np.arange(n) / n
    points = [
        np.stack([r * np.cos(angle), r * np.sin(angle), np.full(n, z)], axis=1) for r, z in profile
    ]
    faces: list[tuple[int, ...]] = []
    for i in range(len(profile) - 1):
        for k in range(n):
            a, b = i * n + k, i * n + (k + 1) % n
            faces.append((a, b, b + n, a + n))
    last = (len(profile) - 1) * n
    faces += [tuple(range(n - 1, -1, -1))] * caps[0] + [tuple(range(last, last + n))] * caps[1]
    return np.concatenate(points), faces


def elbow(bend: float, radius: float, around: int = 24, along: int = 12) -> Shape:
    """A pipe bent by a quarter turn, open at both ends."""
    t = np.repeat(np.linspace(0, np.pi / 2, along + 1), around)
    a = np.tile(2 * np.pi * np.arange(around) / around, along + 1)
    far = bend + radius * np.cos(a)
    points = np.stack([far * np.cos(t), far * np.sin(t), radius * np.sin(a)], axis=1)
    faces = [
        (i * around + k, i * around + (k + 1) % around,
         (i + 1) * around + (k + 1) % around, (i + 1) * around + k)
        for i in range(along) for k in range(around)
    ]  # fmt: skip
    return points, faces


def gear(teeth: int, radius: float, height: float, thick: float) -> Shape:
    """A toothed wheel without a bore: two faces and the strip of its teeth."""
    turn = 2 * np.pi * (np.arange(teeth)[:, None] + [0.25, 0.35, 0.65, 0.75]).ravel() / teeth
    far = np.tile([radius, radius + height, radius + height, radius], teeth)
    ring = np.stack([far * np.cos(turn), far * np.sin(turn)], axis=1)
    n = len(ring)
    points = np.concatenate([np.c_[ring, np.zeros(n)], np.c_[ring, np.full(n, thick)]])
    faces = [(i, (i + 1) % n, n + (i + 1) % n, n + i) for i in range(n)]
    return points, [*faces, tuple(range(n - 1, -1, -1)), tuple(range(n, 2 * n))]


def box(a: float, b: float, c: float) -> Shape:
    points = np.array([(x * a, y * b, z * c) for z in (0, 1) for y in (0, 1) for x in (0, 1)])
    faces = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    return points, faces


def bevelled_box(a: float, b: float, c: float, bevel: float) -> Shape:
    """A box whose edges are cut off at 45 degrees: six rectangles, twelve bevels, eight triangles."""
    half = np.array([a, b, c]) / 2
    points, where = [], {}
    for corner in np.ndindex(2, 2, 2):
        side = 2 * np.array(corner) - 1
        for axis in range(3):
            where[corner, axis] = len(points)
            inset = np.where(np.arange(3) == axis, 0, bevel)
            points.append(side * (half - inset))
    faces: list[tuple[int, ...]] = []
    for axis in range(3):
        one, two = (axis + 1) % 3, (axis + 2) % 3
        for end in (0, 1):
            ring = []
            for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)):
                corner = [0, 0, 0]
                corner[axis], corner[one], corner[two] = end, x, y
                ring.append(where[tuple(corner), axis])
            faces.append(tuple(ring if end else ring[::-1]))
            # Along this axis run the bevels between the two sides that meet at its edge.
            for y in (0, 1):
                low, high = [0, 0, 0], [0, 0, 0]
                low[one], low[two], high[one], high[two], high[axis] = end, y, end, y, 1
                a_, b_ = where[tuple(low), one], where[tuple(high), one]
                d, e = where[tuple(low), two], where[tuple(high), two]
                faces.append((a_, d, e, b_) if end != y else (a_, b_, e, d))
    for corner in np.ndindex(2, 2, 2):
        ring = [where[corner, axis] for axis in range(3)]
        faces.append(tuple(ring if sum(corner) % 2 else ring[::-1]))
    outward = [
        face if np.dot(_normal(points, face), np.mean([points[v] for v in face], axis=0)) > 0
        else face[::-1]
        for face in faces
    ]  # fmt: skip
    return np.array(points), outward


def _normal(points: list[np.ndarray], face: tuple[int, ...]) -> np.ndarray:
    a, b, c = (points[v] for v in face[:3])
    return np.cross(b - a, c - a)


def turned(shape: Shape, seed: int = 5) -> Mesh:
    """A mesh of a shape in no particular direction, so that no axis helps."""
    points, faces = shape
    q = np.linalg.qr(np.random.default_rng(seed).normal(size=(3, 3)))[0]
    return mesh_of(points @ (q * np.sign(np.linalg.det(q))), faces)


def cut_at_random(shape: Shape, seed: int = 3) -> Shape:
    """Quads as triangles, along either diagonal."""
    points, faces = shape
    rng = np.random.default_rng(seed)
    out: list[tuple[int, ...]] = []
    for face in faces:
        if len(face) != 4:
            out.append(face)
            continue
        a, b, c, d = face[1:] + face[:1] if rng.random() < 0.5 else face
        out += [(a, b, c), (a, c, d)]
    return points, out


DRUM = [(0.95, 0.0), (1.0, 0.05), (1.0, 1.0), (1.05, 1.05), (1.0, 1.1), (1.0, 2.0), (0.95, 2.05)]
"""Bevelled rims and a rib round its middle."""
ROUNDED = [
    *((0.8 + 0.2 * np.sin(a), 0.2 - 0.2 * np.cos(a)) for a in np.linspace(0, np.pi / 2, 5)),
    (1.0, 2.0),
]  # fmt: skip
"""A pipe whose bottom goes over into its side without a crease."""
