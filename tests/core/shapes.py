"""Island sets from Shapely polygons: Shapely is the outside judge of areas and distances."""

from __future__ import annotations

import numpy as np
import shapely
from shapely import affinity

from quilt_core.scene import IslandSet


def island_set_of(polygons: list[shapely.Polygon]) -> IslandSet:
    """One island per polygon, holes included; world area = UV area."""
    triangles, triangle_island, edges, edge_island = [], [], [], []
    for number, polygon in enumerate(polygons):
        polygon = shapely.geometry.polygon.orient(polygon)
        for piece in shapely.constrained_delaunay_triangles(polygon).geoms:
            corners = np.array(piece.exterior.coords)[:3]
            (ax, ay), (bx, by), (cx, cy) = corners
            if (bx - ax) * (cy - ay) - (by - ay) * (cx - ax) < 0:
                corners = corners[::-1]
            triangles.append(corners)
            triangle_island.append(number)
        for ring in (polygon.exterior, *polygon.interiors):
            points = np.array(ring.coords)
            edges += list(zip(points[:-1], points[1:], strict=True))
            edge_island += [number] * (len(points) - 1)
    areas = np.array([p.area for p in polygons])
    count = len(polygons)
    corners = np.array(triangles).reshape(-1, 3, 2)
    owner = np.array(triangle_island, np.int64)
    sides = ((corners - np.roll(corners, 1, axis=1)) ** 2).sum(axis=(1, 2))
    return IslandSet(
        triangles=corners,
        triangle_island=owner,
        edges=np.array(edges).reshape(-1, 2, 2),
        edge_island=np.array(edge_island, np.int64),
        uv_area=areas,
        turned=np.zeros(count),
        world_area=areas.copy(),
        world_length=np.sqrt(np.bincount(owner, sides, count)),
        step=np.zeros(count),
        proportion=np.ones(count),
        object_index=np.zeros(count, np.int64),
        unflattened=(0,),
    )


def polygon_of(islands: IslandSet, number: int, width: int, height: int) -> shapely.Polygon:
    """The area of a placed island in px, rebuilt from its triangles."""
    corners = islands.triangles[islands.triangle_island == number] * np.array([width, height])
    return shapely.union_all(shapely.polygons(corners), grid_size=None).buffer(0)


def random_polygons(
    rng: np.random.Generator, count: int, size: float = 0.08
) -> list[shapely.Polygon]:
    """Boxes, stars, rings, angles and slivers, some with holes."""
    out: list[shapely.Polygon] = []
    while len(out) < count:
        s = size * rng.lognormal(0, 0.5)
        kind = rng.integers(0, 5)
        if kind == 0:
            shape = shapely.box(0, 0, s * rng.uniform(0.2, 3), s)
        elif kind == 1:
            angles = np.sort(rng.uniform(0, 2 * np.pi, rng.integers(5, 12)))
            radii = rng.uniform(0.35, 1, len(angles)) * s
            shape = shapely.Polygon(np.stack([np.cos(angles) * radii, np.sin(angles) * radii], 1))
        elif kind == 2:
            shape = (
                shapely.Point(0, 0)
                .buffer(s, 8)
                .difference(shapely.Point(0, 0).buffer(s * rng.uniform(0.4, 0.8), 8))
            )
        elif kind == 3:
            shape = shapely.LineString([(0, 0), (2 * s, 0), (2 * s, 2 * s)]).buffer(
                0.3 * s, cap_style="flat"
            )
        else:
            shape = shapely.box(0, 0, 4 * s, 0.05 * s)
        shape = affinity.rotate(shape, float(rng.uniform(0, 360)))
        if shape.geom_type == "Polygon" and shape.is_valid and shape.area > 1e-9:
            out.append(affinity.translate(shape, *rng.uniform(0, 0.8, 2)))
    return out
