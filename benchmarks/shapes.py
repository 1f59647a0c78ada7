"""Islands as polygons, for the general libraries."""

from __future__ import annotations

import shapely

from quilt_core.measure import equalize
from quilt_core.scene import IslandSet
from quilt_core.scene.placement import identity


def island_polygons(islands: IslandSet) -> list[shapely.Polygon]:
    """Each island at one density as a polygon in metres; of one that falls apart the largest
    part."""
    placed = islands.placed(equalize(islands, identity(islands.count), 1, 1, 1.0))
    out = []
    for i in range(islands.count):
        triangles = shapely.polygons(placed.triangles[placed.triangle_island == i])
        shape = shapely.union_all(triangles[shapely.area(triangles) > 0]).buffer(0)
        if shape.is_empty:
            continue
        out.append(
            shape if shape.geom_type == "Polygon" else max(shape.geoms, key=lambda g: g.area)
        )
    return out
