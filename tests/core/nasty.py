"""Nasty meshes whose truth is known by construction: what real files do to islands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass
class Nasty:
    """A mesh as OBJ text, and what is true of it."""

    text: bytes
    islands: int
    covered: float | None = None
    """Area of the union in UV."""
    turned: int = 0
    """Islands with some faces turned, or mirrored."""


def obj(points: list, uvs: list, faces: list) -> bytes:
    """Faces are lists of (point, uv)."""
    lines = [f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in points]
    lines += [f"vt {u:.9g} {v:.9g}" for u, v in uvs]
    lines += ["f " + " ".join(f"{p + 1}/{t + 1}" for p, t in face) for face in faces]
    return "\n".join(lines).encode() + b"\n"


def sheet(
    n: int,
    jitter: float = 0.0,
    size: float = 0.5,
    flip: float = 0.0,
    seed: int = 1,
    scale: float = 1.0,
) -> Nasty:
    """A sheet of n x n quads; every face has UVs of its own that are off by up to `jitter`."""
    rng = np.random.default_rng(seed)
    points, uvs, faces = [], [], []
    for y in range(n + 1):
        points += [(scale * x / n, scale * y / n, 0.0) for x in range(n + 1)]
    for y in range(n):
        for x in range(n):
            ring = [(x, y), (x + 1, y), (x + 1, y + 1), (x, y + 1)]
            if rng.random() < flip:
                ring = ring[::-1]
            face = []
            for cx, cy in ring:
                face.append((cy * (n + 1) + cx, len(uvs)))
                off = rng.uniform(-jitter, jitter, 2)
                uvs.append((0.1 + size * cx / n + off[0], 0.1 + size * cy / n + off[1]))
            faces.append(face)
    return Nasty(obj(points, uvs, faces), 1, size**2)


def card() -> Nasty:
    """A card with two sides: the same corners and UVs, wound both ways."""
    points, uvs = (
        [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)],
        [(0.1, 0.1), (0.4, 0.1), (0.4, 0.4), (0.1, 0.4)],
    )
    front = [(k, k) for k in range(4)]
    return Nasty(obj(points, uvs, [front, front[::-1]]), 1, 0.09)


def fold() -> Nasty:
    """A strip of two quads, the second folded back over half of the first."""
    points = [(x, y, 0) for y in (0, 1) for x in (0, 1, 2)]
    uvs = [(0.1, 0.1), (0.5, 0.1), (0.3, 0.1), (0.1, 0.5), (0.5, 0.5), (0.3, 0.5)]
    return Nasty(
        obj(points, uvs, [[(k, k) for k in f] for f in ((0, 1, 4, 3), (1, 2, 5, 4))]), 1, 0.16, 1
    )


def fin() -> Nasty:
    """Three faces on one edge, side by side in the layout where they can be."""
    points = [
        (0, 0, 0),
        (1, 0, 0),
        (1, 1, 0),
        (0, 1, 0),
        (1, 0, 1),
        (0, 0, 1),
        (1, -1, 0),
        (0, -1, 0),
    ]
    uvs = [(0.2, 0.4), (0.6, 0.4), (0.6, 0.8), (0.2, 0.8), (0.6, 0.0), (0.2, 0.0)]
    faces = [
        [(0, 0), (1, 1), (2, 2), (3, 3)],
        [(0, 0), (5, 5), (4, 4), (1, 1)],
        [(0, 0), (7, 5), (6, 4), (1, 1)],
    ]
    return Nasty(obj(points, uvs, faces), 1, 0.4 * 0.8)


def keyhole() -> Nasty:
    """A square with a square hole as one face of ten corners, its hole joined by a slit."""
    ring = [(0, 0), (9, 0), (9, 9), (0, 9), (0, 0), (3, 3), (3, 6), (6, 6), (6, 3), (3, 3)]
    points = [(x, y, 0) for x, y in ring]
    return Nasty(
        obj(points, [(0.05 * x, 0.05 * y) for x, y in ring], [[(k, k) for k in range(10)]]),
        1,
        72 * 0.0025,
    )


def collapsed() -> Nasty:
    """Two good quads apart, one that is a line in the layout and one that is a point."""
    points, uvs, faces = [], [], []
    for n, (w, h) in enumerate([(0.2, 0.2), (0.2, 0.1), (0.2, 0.0), (0.0, 0.0)]):
        points += [(2 * n + x, y, 0) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        uvs += [(0.1 + 0.2 * n + x * w, 0.1 + y * h) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        faces.append([(4 * n + k, 4 * n + k) for k in range(4)])
    return Nasty(obj(points, uvs, faces), 4, 0.2 * 0.2 + 0.2 * 0.1)


def thin() -> Nasty:
    """A good quad, and one that is squeezed to a thousandth of its width."""
    points, uvs, faces = [], [], []
    for n, w in enumerate((0.2, 0.0002)):
        points += [(2 * n + x, y, 0) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        uvs += [(0.1 + 0.4 * n + x * w, 0.1 + y * 0.2) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        faces.append([(4 * n + k, 4 * n + k) for k in range(4)])
    return Nasty(obj(points, uvs, faces), 2, 0.04 + 0.00004)


MESHES = {
    "plain": sheet(4),
    "jitter 1e-7": sheet(6, 1e-7),
    "jitter 4e-6": sheet(6, 4e-6),
    "mixed winding": sheet(5, flip=0.4),
    "huge": sheet(3, scale=1e6),
    "tiny": sheet(3, scale=1e-6),
    "card": card(),
    "fold": fold(),
    "fin": fin(),
    "keyhole": keyhole(),
    "collapsed": collapsed(),
    "thin": thin(),
}
