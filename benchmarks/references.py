"""References from general libraries: a rectangle packer on bounding boxes, and a nesting solver."""

from __future__ import annotations

import numpy as np
import rectpack
import shapely
import spyrrow
from shapely import affinity

ROUNDS = 4


def box_coverage(
    polygons: list[shapely.Polygon], size: int, padding: float, margin: float
) -> float:
    """Coverage of a bounding-box packer (rectpack, MaxRects) at its largest common scale."""
    boxes = np.array([(b[2] - b[0], b[3] - b[1]) for b in (p.bounds for p in polygons)])
    room = size - 2 * margin + padding
    grid = 8.0  # the library wants whole numbers

    def fits(scale: float) -> bool:
        for order in (rectpack.SORT_AREA, rectpack.SORT_LSIDE):
            packer = rectpack.newPacker(
                pack_algo=rectpack.MaxRectsBssf, sort_algo=order, rotation=True
            )
            for w, h in np.ceil((boxes * scale + padding) * grid).astype(int):
                packer.add_rect(int(w), int(h))
            packer.add_bin(int(room * grid), int(room * grid))
            packer.pack()
            if len(packer.rect_list()) == len(boxes):
                return True
        return False

    low, high = 0.0, room / np.sqrt((boxes[:, 0] * boxes[:, 1]).sum())
    for _ in range(11):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if fits(middle) else (low, middle)
    return float(sum(p.area for p in polygons) * low**2 / size**2)


def nesting_coverage(
    polygons: list[shapely.Polygon],
    size: int,
    padding: float,
    margin: float,
    seconds: int,
    rounds: int = ROUNDS,
) -> float:
    """Coverage of the nesting solver (spyrrow) on a square tile with the same gap and turns.

    It packs strips of fixed height; the scale is iterated until the strip is as wide as it is high.
    Holes are not used there. `seconds` is the time of each round.
    """
    room = size - 2 * margin + padding
    area = sum(p.area for p in polygons)
    scale = 0.8 * np.sqrt(room**2 / area)
    best = 0.0
    for _ in range(rounds):
        items = []
        for k, polygon in enumerate(polygons):
            shape = affinity.scale(polygon, scale, scale, origin=(0, 0)).buffer(
                padding / 2, join_style="mitre", mitre_limit=2
            )
            ring = shapely.Polygon(shape.exterior).simplify(1e-9).exterior
            items.append(spyrrow.Item(str(k), list(ring.coords)[:-1], 1, [0.0, 90.0, 180.0, 270.0]))
        instance = spyrrow.StripPackingInstance("square", strip_height=room, items=items)
        config = spyrrow.StripPackingConfig(
            early_termination=False, total_computation_time=seconds, num_workers=2, seed=1
        )
        width = float(instance.solve(config).width)
        if width <= room:
            best = max(best, area * scale**2 / size**2)
        scale *= np.sqrt(room / width) * (0.999 if width > room else 1.0)
    return best
