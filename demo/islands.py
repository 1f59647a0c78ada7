"""Islands: pieces of surface that are flat or can be flattened without stretch, with their UVs in
metres."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quilt_core.scene.types import FloatArray

Faces = list[tuple[int, ...]]


@dataclass(frozen=True, eq=False)
class Island:
    """Points (N, 3) in metres, their flat coordinates (N, 2) in metres, and faces."""

    points: FloatArray
    flat: FloatArray
    faces: Faces

    def moved(self, x: float = 0, y: float = 0, z: float = 0, turn: float = 0) -> Island:
        """The island turned about the upright (y) axis and moved; its flat shape stays."""
        c, s = np.cos(turn), np.sin(turn)
        spin = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
        return Island(self.points @ spin.T + np.array([x, y, z]), self.flat, self.faces)

    def tilted(self, axis: int, angle: float) -> Island:
        """The island turned about a main axis."""
        c, s = np.cos(angle), np.sin(angle)
        a, b = [(1, 2), (2, 0), (0, 1)][axis]
        spin = np.eye(3)
        spin[a, a], spin[a, b], spin[b, a], spin[b, b] = c, -s, s, c
        return Island(self.points @ spin.T, self.flat, self.faces)

    def mirrored(self) -> Island:
        """The same surface with its flat shape turned over."""
        return Island(self.points, self.flat * np.array([-1.0, 1.0]), self.faces)


def _grid(columns: int, rows: int) -> Faces:
    """Quads of a grid of (columns + 1) x (rows + 1) points, row by row."""
    w = columns + 1
    return [
        (r * w + c, r * w + c + 1, (r + 1) * w + c + 1, (r + 1) * w + c)
        for r in range(rows)
        for c in range(columns)
    ]


def plate(width: float, height: float, columns: int = 1, rows: int = 1) -> Island:
    """An upright rectangle facing +z, its lower middle at the origin."""
    u, v = np.meshgrid(np.linspace(0, width, columns + 1), np.linspace(0, height, rows + 1))
    flat = np.stack([u.ravel(), v.ravel()], axis=1)
    return Island(
        np.stack([flat[:, 0] - width / 2, flat[:, 1], np.zeros(len(flat))], axis=1),
        flat,
        _grid(columns, rows),
    )


def cutout(outline: list[tuple[float, float]]) -> Island:
    """An upright flat n-gon facing +z."""
    flat = np.array(outline, np.float64)
    return Island(np.column_stack([flat, np.zeros(len(flat))]), flat, [tuple(range(len(flat)))])


def disk(radius: float, sides: int = 24, y: float = 0, down: bool = False) -> Island:
    """A level disk of one n-gon."""
    t = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    flat = radius * np.stack([np.cos(t), np.sin(t)], axis=1)
    points = np.column_stack([flat[:, 0], np.full(sides, y), -flat[:, 1]])
    order = tuple(range(sides))
    if down:
        return Island(points, flat * np.array([-1.0, 1.0]), [order[::-1]])
    return Island(points, flat, [order])


def ring(
    inner: float,
    outer: float,
    start: float = 0,
    end: float = 2 * np.pi,
    sides: int = 32,
    y: float = 0,
) -> Island:
    """A level ring or part of one; a full ring is one island with a hole."""
    closed = abs(end - start - 2 * np.pi) < 1e-9
    t = np.linspace(start, end, sides + 1)[: sides if closed else None]
    edge = np.stack([np.cos(t), np.sin(t)], axis=1)
    flat = np.concatenate([inner * edge, outer * edge])
    points = np.column_stack([flat[:, 0], np.full(len(flat), y), -flat[:, 1]])
    n = len(t)
    steps = range(n if closed else n - 1)
    return Island(points, flat, [(k, n + k, n + (k + 1) % n, (k + 1) % n) for k in steps])


def band(
    r0: float,
    r1: float,
    y0: float,
    y1: float,
    start: float = 0,
    end: float = 2 * np.pi,
    sides: int = 24,
) -> Island:
    """A band of a cone or cylinder about the y axis, cut open and rolled flat.

    A cone's band flattens into a ring sector; its angle is 360 degrees x r / slant.
    """
    t = np.linspace(start, end, sides + 1)
    points = np.concatenate(
        [
            np.column_stack([r * np.cos(t), np.full(len(t), y), -r * np.sin(t)])
            for r, y in ((r0, y0), (r1, y1))
        ]
    )
    # Chords, not arcs: the faces are flat, so their widths are.
    step = 2 * np.sin((t[1] - t[0]) / 2)
    if abs(r0 - r1) < 1e-9:
        along = np.arange(sides + 1) * step * r0
        flat = np.concatenate(
            [
                np.stack([along, np.zeros(sides + 1)], 1),
                np.stack([along, np.full(sides + 1, y1 - y0)], 1),
            ]
        )
    else:
        rise = np.hypot(y1 - y0, (r0 - r1) * np.cos((t[1] - t[0]) / 2))
        # Slant along a corner edge, and the angle between two such edges at the tip.
        edge = np.hypot(np.hypot(rise, (r0 - r1) * np.sin((t[1] - t[0]) / 2)), 0)
        tip = edge / abs(r0 - r1)
        turn = 2 * np.arcsin(step / 2 / tip)
        a = np.arange(sides + 1) * turn * (1 if r0 > r1 else -1)
        around = np.stack([np.sin(a), -np.cos(a)], axis=1)
        flat = np.concatenate([around * r0 * tip, around * r1 * tip])
        if r1 > r0:
            flat[:, 1] *= -1
            flat[:, 0] *= -1
    return Island(points, flat, _grid(sides, 1))


def strip(width: float, path: FloatArray, across: FloatArray, wave: float = 0.0) -> Island:
    """A ribbon along a path (N, 3); rolled flat as a straight strip, or a wavy one where `wave` > 0
    metres."""
    steps = np.linalg.norm(np.diff(path, axis=0), axis=1)
    along = np.concatenate([[0], np.cumsum(steps)])
    sway = wave * np.sin(along / max(along[-1], 1e-9) * 5 * np.pi)
    flat = np.concatenate([np.stack([along, sway], 1), np.stack([along, sway + width], 1)])
    points = np.concatenate([path - across * width / 2, path + across * width / 2])
    n = len(path)
    return Island(points, flat, [(k, k + 1, n + k + 1, n + k) for k in range(n - 1)])


def box(width: float, height: float, depth: float) -> list[Island]:
    """A box on the ground in three islands: the sides as one strip, top and bottom."""
    w, d = width / 2, depth / 2
    corners = np.array([(-w, d), (w, d), (w, -d), (-w, -d), (-w, d)])
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(corners, axis=0), axis=1))])
    points = np.concatenate(
        [np.column_stack([corners[:, 0], np.full(5, y), corners[:, 1]]) for y in (0.0, height)]
    )
    flat = np.concatenate([np.stack([along, np.full(5, y)], 1) for y in (0.0, height)])
    top = plate(width, depth).tilted(0, -np.pi / 2).moved(y=height, z=d)
    bottom = plate(width, depth).tilted(0, np.pi / 2).moved(z=-d)
    return [Island(points, flat, _grid(4, 1)), top, bottom]


def gear(radius: float, hole: float, teeth: int) -> Island:
    """A flat toothed wheel with a round hole, upright, facing +z."""
    n = teeth * 4
    t = np.arange(n) * 2 * np.pi / n
    rim = np.where(np.arange(n) % 4 < 2, radius, radius * 0.86)
    edge = np.stack([np.cos(t), np.sin(t)], axis=1)
    flat = np.concatenate([edge * hole, edge * rim[:, None]])
    return Island(
        np.column_stack([flat, np.zeros(2 * n)]),
        flat,
        [(k, n + k, n + (k + 1) % n, (k + 1) % n) for k in range(n)],
    )
