"""What tests of fit into gaps are made of, for others too."""

from __future__ import annotations

from shapely import affinity


def laid(polygons, placements, size=1000.0):
    """Polygons in px where their placements put them."""
    out = []
    for k, polygon in enumerate(polygons):
        (a, b, tu), (c, d, tv) = placements[k]
        moved = affinity.affine_transform(polygon, [a, b, c, d, tu, tv])
        out.append(affinity.scale(moved, size, size, origin=(0, 0)))
    return out
