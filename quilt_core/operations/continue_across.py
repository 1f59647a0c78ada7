"""Continue across seams: islands laid against their neighbours so that a repeating texture goes on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, member_faces
from quilt_core.errors import LayoutError
from quilt_core.operations.bases import object_of
from quilt_core.operations.by_hand import ISLANDS, chosen_islands, counted
from quilt_core.operations.layouts import Selector, select
from quilt_core.operations.move import check_locks
from quilt_core.operations.operation import Progress, figure
from quilt_core.operations.values import NUMBERS, read_point
from quilt_core.options import check_options, option
from quilt_core.place.across import Carried, SeamSides, carry_across
from quilt_core.scene.edges import find_neighbours
from quilt_core.scene.flags import LOCK_PLACE
from quilt_core.scene.onto import Turns
from quilt_core.scene.tiles import home_tiles
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import weld_positions

TURNS: dict[str, Turns] = {"none": "none", "quarter": "quarter", "free": "any"}
MOST_REPEATS = 1024.0


@dataclass(frozen=True)
class ContinueAcross:
    """Settings of laying islands against their neighbours across seams."""

    islands: tuple[Selector, ...] = option(
        help="islands that are laid against their neighbours; of those that hang together the largest stays", **ISLANDS
    )  # fmt: skip
    against: tuple[Selector, ...] = option(
        (), "islands that stay, and against which they are laid", **ISLANDS
    )
    rotate: Literal["none", "quarter", "free"] = option(
        "free", "turns that they may make", choices=tuple(TURNS)
    )
    scale: bool = option(True, "they may change their size, so that texels meet")
    repeats: tuple[float, float] = option(
        (1.0, 1.0), "how often the texture repeats over a tile, across and up",
        read=read_point, show=list, json=NUMBERS, shape="U,V",
    )  # fmt: skip

    def __post_init__(self) -> None:
        check_options(self)
        if not all(0 < one <= MOST_REPEATS for one in self.repeats):
            raise LayoutError(
                f"{self.repeats[0]:g},{self.repeats[1]:g} repeats.", "repeats",
                f"Give two numbers above 0 and up to {MOST_REPEATS:g}, for example 1,1.",
            )  # fmt: skip


@dataclass(frozen=True)
class CarriedIsland:
    """An island that was laid against another one."""

    island: str = figure("object and number of the island")
    against: str = figure("the island that it was laid against")
    edges: int = figure("along how many edges")
    misfit_px: float = figure(
        "by which the texture is off along these at most", unit="px", digits=4
    )
    flipped: bool = figure("whether it had to be flipped")


@dataclass(frozen=True, eq=False)
class ContinuedAcross:
    """What came of it."""

    document: Document
    islands: int = figure("how many were laid")
    of: int = figure("how many were meant to be, without those that stay")
    misfit_px: float = figure("by which the texture is off at any seam of these at most", unit="px", digits=4)  # fmt: skip
    seams: int = figure("edges where it is off by more than a texel")
    rows: list[CarriedIsland] = figure("each of them")

    @property
    def ok(self) -> bool:
        """Whether the texture goes on everywhere, to a texel."""
        return not self.seams


def run(document: Document, settings: ContinueAcross, progress: Progress) -> ContinuedAcross:
    """Lay islands against their neighbours.

    Raises
    ------
    LayoutError
        When none of them has a neighbour, or a lock forbids it.
    """
    layout = document.layout
    follow = np.zeros(layout.islands.count, bool)
    follow[chosen_islands(layout, settings.islands)] = True
    stay = select(layout, settings.against, "against") if settings.against else np.zeros_like(follow)  # fmt: skip
    frozen = [tile.size for tile in layout.tiles if tile.frozen]
    held = (layout.controls["flags"] & LOCK_PLACE) > 0
    held |= home_tiles(layout.islands, layout.placements, frozen) >= 0
    stay = stay | (follow & held)
    area = layout.islands.world_area
    pixels = layout.pixels[np.argmax(np.where(follow, area, -1.0))]
    sides = _sides(document, layout, np.flatnonzero(follow))
    found = carry_across(
        sides, layout.placements, np.where(layout.islands.turned > 0.5, -1.0, 1.0), area, follow & ~stay, stay, pixels,
        pixels / np.array(settings.repeats), TURNS[settings.rotate], settings.scale,
    )  # fmt: skip
    laid = np.flatnonzero(found.neighbour >= 0)
    if not len(laid):
        raise LayoutError(
            f"{counted(int(follow.sum()))}: none can be laid against a neighbour.", "islands",
            "Select islands of one object that meet along a seam, and unlock the place of those that shall move.",
        )  # fmt: skip
    check_locks(layout.state, laid, found.placements[laid].reshape(-1, 6))
    unplaced = layout.unplaced.copy()
    unplaced[laid] = layout.unplaced[_roots(found.neighbour, laid)]
    state = layout.state.having(placements=found.placements, unplaced=unplaced)
    rows = _rows(layout, sides, found, laid)
    off = found.misfit[np.isfinite(found.misfit)]
    meant = follow & ~stay
    return ContinuedAcross(
        document.having([state]), len(laid), int(meant.sum() - _started(found, meant)),
        float(off.max(initial=0.0)), int((off > 1.0).sum()), rows,
    )  # fmt: skip


def _started(found: Carried, meant: BoolArray) -> int:
    """Of those that were meant how many stayed because others were laid against them."""
    against = np.unique(found.neighbour[found.neighbour >= 0])
    return int((meant[against] & (found.neighbour[against] < 0)).sum())


def _roots(neighbour: IntArray, laid: IntArray) -> IntArray:
    """The island that stayed at the end of each chain."""
    root = neighbour[laid]
    while (neighbour[root] >= 0).any():
        root = np.where(neighbour[root] >= 0, neighbour[root], root)
    return np.asarray(root)


def _sides(document: Document, layout: Layout, chosen: IntArray) -> SeamSides:
    """Seams of the objects that have chosen islands, between different islands."""
    pairs: list[IntArray] = []
    ends: list[FloatArray] = []
    for member, own in zip(layout.members, member_faces(layout), strict=True):
        if not np.isin(own, chosen).any():
            continue
        mesh, base = object_of(document, member).mesh, member.base_layout()
        island = own[mesh.corner_face]
        here, there = find_neighbours(mesh, weld_positions(mesh)).ends()
        both = np.stack([island[here[:, 0]], island[there[:, 0]]], axis=1)
        meets = (both >= 0).all(axis=1) & (both[:, 0] != both[:, 1])
        pairs.append(both[meets])
        ends.append(np.stack([base.uv[here[meets]], base.uv[there[meets]]], axis=1))
    return SeamSides(np.concatenate(pairs), np.concatenate(ends))


def _rows(layout: Layout, sides: SeamSides, found: Carried, laid: IntArray) -> list[CarriedIsland]:
    names = layout.names()
    before, after = (np.linalg.det(p[:, :, :2]) for p in (layout.placements, found.placements))
    out = []
    for island in laid:
        pair = {int(island), int(found.neighbour[island])}
        own = np.isin(sides.islands, list(pair)).all(axis=1)
        out.append(
            CarriedIsland(
                names[island],
                names[found.neighbour[island]],
                int(found.edges[island]),
                float(found.misfit[own].max(initial=0.0)),
                bool(before[island] * after[island] < 0),
            )
        )
    return out


def tell(result: ContinuedAcross) -> list[str]:
    """The result in words."""
    flips = sum(row.flipped for row in result.rows)
    flipped = f", {counted(flips)} flipped" if flips else ""
    off = f" ({result.seams} {'edge' if result.seams == 1 else 'edges'} by more than a texel)"
    left = result.of - result.islands
    return [
        f"{counted(result.islands)} laid against neighbours{flipped}; the texture is off by {result.misfit_px:.2f} px "
        f"at most{off if result.seams else ''}"
        + (f"; {counted(left)} without a neighbour" if left > 0 else ""),
        *(
            f"{row.island} against {row.against}: {row.edges} {'edge' if row.edges == 1 else 'edges'}, "
            f"off by {row.misfit_px:.2f} px"
            for row in result.rows
        ),
    ]  # fmt: skip


def what(settings: ContinueAcross, result: ContinuedAcross) -> str:
    """What was done, in a few words."""
    return tell(result)[0]
