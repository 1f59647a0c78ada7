"""A judge of exported OBJ and GLB files, written with Shapely and nothing of the core.

Faces of more than three corners are cut as a fan. Islands are triangles that share an edge whose
ends agree in position and, within 1e-5, in UV.
"""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass

import numpy as np
import shapely

TOLERANCE = 1e-5


@dataclass
class Verdict:
    """What the judge measured, in px of the tile."""

    islands: int
    coverage: float
    gap: float
    overlaps: int
    density: np.ndarray


def triangles_of(data: bytes) -> tuple[np.ndarray, np.ndarray]:
    """(N, 3, 3) points and (N, 3, 2) UVs, V upwards, of a file with one object and no
    transforms."""
    if data[:4] == b"glTF":
        return _glb(data)
    v, vt, corners = [], [], []
    for line in data.decode().splitlines():
        words = line.split()
        if words[:1] == ["v"]:
            v.append([float(w) for w in words[1:4]])
        elif words[:1] == ["vt"]:
            vt.append([float(w) for w in words[1:3]])
        elif words[:1] == ["f"]:
            row = [[int(part) - 1 for part in w.split("/")[:2]] for w in words[1:]]
            corners += [(row[0], row[k], row[k + 1]) for k in range(1, len(row) - 1)]
    index = np.array(corners)
    return np.array(v)[index[:, :, 0]], np.array(vt)[index[:, :, 1]]


def _glb(data: bytes) -> tuple[np.ndarray, np.ndarray]:
    length = struct.unpack_from("<I", data, 12)[0]
    doc, body = json.loads(data[20 : 20 + length]), data[28 + length :]

    def rows(n: int) -> np.ndarray:
        entry = doc["accessors"][n]
        kind = {5123: "<u2", 5125: "<u4", 5126: "<f4"}[entry["componentType"]]
        width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3}[entry["type"]]
        view = doc["bufferViews"][entry["bufferView"]]
        at = view.get("byteOffset", 0) + entry.get("byteOffset", 0)
        return np.frombuffer(body, kind, entry["count"] * width, at).reshape(-1, width)

    primitive = doc["meshes"][0]["primitives"][0]
    index = rows(primitive["indices"]).reshape(-1, 3).astype(int)
    uv = rows(primitive["attributes"]["TEXCOORD_0"]).astype(float)
    return rows(primitive["attributes"]["POSITION"]).astype(float)[index], np.stack(
        [uv[:, 0], 1 - uv[:, 1]], 1
    )[index]


def label(points: np.ndarray, uv: np.ndarray) -> np.ndarray:
    """(N,) island of each triangle, joined edge by edge."""
    head = list(range(len(points)))

    def find(n: int) -> int:
        while head[n] != n:
            head[n] = head[head[n]]
            n = head[n]
        return n

    points = points / (np.abs(points).max() or 1.0)
    edges: dict[tuple, list[tuple[int, np.ndarray]]] = {}
    for n in range(len(points)):
        for k in range(3):
            a, b = (tuple(np.round(points[n, j], 6) + 0.0) for j in (k, (k + 1) % 3))
            ends = np.stack([uv[n, k], uv[n, (k + 1) % 3]])
            key, ends = ((a, b), ends) if a <= b else ((b, a), ends[::-1])
            for other, theirs in edges.setdefault(key, []):
                if np.abs(ends - theirs).max() < TOLERANCE:
                    head[find(n)] = find(other)
            edges[key].append((n, ends))
    return np.unique([find(n) for n in range(len(points))], return_inverse=True)[1]


def judge(data: bytes, size: int) -> Verdict:
    """Judge a file that fills one square tile of `size` px."""
    points, uv = triangles_of(data)
    island = label(points, uv)
    px = uv * size
    one, two = px[:, 1] - px[:, 0], px[:, 2] - px[:, 0]
    flat = 0.5 * np.abs(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0])
    world = 0.5 * np.linalg.norm(
        np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]), axis=1
    )
    shapes, density = [], []
    for n in range(island.max() + 1):
        mine = (island == n) & (flat > 1e-9)
        if mine.any():
            shapes.append(shapely.union_all(shapely.buffer(shapely.polygons(px[mine]), 0)))
            density.append(np.sqrt(flat[island == n].sum() / world[island == n].sum()))
    overlaps, gap = 0, np.inf
    for a in range(len(shapes)):
        for b in range(a):
            overlaps += shapes[a].intersection(shapes[b]).area > 1e-3
            gap = min(gap, shapes[a].distance(shapes[b]))
    area = shapely.union_all(shapes).area if shapes else 0.0
    return Verdict(island.max() + 1, area / size**2, gap, overlaps, np.array(density))
