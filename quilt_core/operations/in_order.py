"""In order round an axis: islands upright in rows, as they follow one another round the model."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, member_faces
from quilt_core.errors import LayoutError
from quilt_core.operations.bases import object_of
from quilt_core.operations.by_hand import ISLANDS, counted, free_to_move
from quilt_core.operations.layouts import Selector
from quilt_core.operations.move import check_locks
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option
from quilt_core.place.round_axis import (
    OnModel,
    best_axis,
    in_rows,
    on_model,
    order_round,
    upright,
)  # fmt: skip
from quilt_core.scene.flags import LOCK_ROTATION
from quilt_core.scene.tiles import home_tiles
from quilt_core.scene.types import FloatArray, IntArray

Axis = Literal["best", "x", "y", "z"]
AXES: tuple[Axis, ...] = ("best", "x", "y", "z")


@dataclass(frozen=True)
class InOrder:
    """Settings of laying islands in their order round an axis."""

    islands: tuple[Selector, ...] = option(help="islands to lay in order", **ISLANDS)
    axis: Axis = option(
        "best", "of the model; best is the one round which these islands stand", choices=AXES
    )
    upright: bool = option(True, "each is turned until the axis points up on the tile")

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True, eq=False)
class LaidInOrder:
    """What came of it."""

    document: Document
    islands: int = figure("how many were laid in order")
    axis: tuple[float, float, float] = figure("round which they stand, on the model", digits=4)
    order: list[str] = figure("the islands, from the upper left to the right and downwards")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: InOrder, progress: Progress) -> LaidInOrder:
    """Lay islands in rows from the upper left corner of where they lie.

    Raises
    ------
    LayoutError
        When there are fewer than two, or a lock forbids it.
    """
    layout = document.layout
    chosen = free_to_move(layout, settings.islands)
    if len(chosen) < 2:
        raise LayoutError("One island alone has no order.", "islands", "Select two or more.")
    stands = _on_model(document, layout, chosen)
    middle = stands.middle[chosen]
    axis = best_axis(middle) if settings.axis == "best" else np.eye(3)["xyz".index(settings.axis)]
    order = chosen[order_round(middle, axis)]
    placements = layout.placements.copy()
    pixels = layout.pixels[order[0]]
    if settings.upright:
        held = (layout.controls["flags"][chosen] & LOCK_ROTATION) > 0
        turned = chosen[~held]
        placements[turned] = upright(placements[turned], stands.rise[turned], axis, pixels)
    gap = layout.state.padding / pixels
    start, right = _where(layout, chosen, pixels)
    placements = in_rows(layout.islands, placements, order, start, right, (gap[0], gap[1]))
    check_locks(layout.state, chosen, placements[chosen].reshape(-1, 6))
    names = layout.names()
    return LaidInOrder(
        document.having([layout.state.having(placements=placements)]), len(order),
        (float(axis[0]), float(axis[1]), float(axis[2])), [names[k] for k in order],
    )  # fmt: skip


def _where(
    layout: Layout, chosen: IntArray, pixels: FloatArray
) -> tuple[tuple[float, float], float]:
    """Upper left corner of some islands where they lie, inside the margin of the tile that most of them lie in; and where its
    rows end."""
    boxes = layout.islands.placed(layout.placements).bounds()[chosen]
    left, top = float(boxes[:, 0].min()), float(boxes[:, 3].max())
    sizes = [tile.size for tile in layout.tiles]
    home = home_tiles(layout.islands, layout.placements, sizes)[chosen]
    if not (home >= 0).any():
        return (left, top), left + max(1.0, float((boxes[:, 2] - boxes[:, 0]).max()))
    tile = sizes[int(np.argmax(np.bincount(home[home >= 0])))]
    edge = layout.state.margin / pixels
    column, row = tile.corner
    left = min(max(left, column + float(edge[0])), column + 0.9)
    return (left, min(top, row + 1 - float(edge[1]))), column + 1 - float(edge[0])


def _on_model(document: Document, layout: Layout, chosen: IntArray) -> OnModel:
    """Where islands are on the model, each on the first instance of its object; others than those of objects that have chosen
    ones are nowhere."""
    uv, points, island = [], [], []
    for member, own in zip(layout.members, member_faces(layout), strict=True):
        if not np.isin(own, chosen).any():
            continue
        source = document.sources[member.source]
        obj, base = object_of(document, member), member.base_layout()
        mesh = obj.mesh
        matrix = obj.instances[0].matrix if obj.instances else np.eye(4)
        places = (
            mesh.positions @ matrix[:3, :3].T + matrix[:3, 3]
        ) * source.scene().metres_per_unit
        of_triangle = own[mesh.triangle_face]
        known = of_triangle >= 0
        uv.append(base.uv[mesh.triangles[known]])
        points.append(places[mesh.corner_vertex[mesh.triangles[known]]])
        island.append(of_triangle[known])
    return on_model(
        np.concatenate(uv), np.concatenate(points), np.concatenate(island), layout.islands.count
    )


def tell(result: LaidInOrder) -> list[str]:
    """The result in words."""
    x, y, z = result.axis
    return [f"{counted(result.islands)} in order round the axis {x:.2f}, {y:.2f}, {z:.2f}"]


def what(settings: InOrder, result: LaidInOrder) -> str:
    """What was done, in a few words."""
    word = f"{settings.axis} axis" if settings.axis != "best" else "best axis"
    return f"{counted(result.islands)} round the {word}"
