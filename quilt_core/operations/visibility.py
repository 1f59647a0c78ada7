"""Visibility: how much of each island is ever seen, and weights that follow."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, member_faces
from quilt_core.errors import LayoutError
from quilt_core.measure.density import island_densities
from quilt_core.operations.operation import Progress, Stopped, figure
from quilt_core.operations.values import NUMBERS, read_place
from quilt_core.options import check_options, option
from quilt_core.scene.types import IntArray

AWAY = 2.0
"""Distance of views from afar, as a multiple of the set's size."""
UPS = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
LISTED = 40


@dataclass(frozen=True)
class Visibility:
    """Settings of looking at a set."""

    views: str = option(
        "around", "from all directions, from those over the horizon, from cameras, or from near to far around each spot",
        choices=("around", "above", "cameras", "band"),
    )  # fmt: skip
    cameras: tuple[tuple[float, float, float], ...] = option(
        (), "places in the world, metres", read=read_place, show=list, json=NUMBERS, shape="X,Y,Z"
    )
    near: float = option(0.0, "of a band", unit="m", low=0, high=1e6)
    far: float = option(0.0, "of a band", unit="m", low=0, high=1e6)
    up: str = option("y", "axis that points up", choices=tuple(UPS))
    alone: bool = option(False, "each object without the others")
    both_sides: bool = option(False, "faces are visible from behind, too")
    distance: float | None = option(
        None,
        "of views from afar, for texels on screen; without it twice the set's size",
        unit="m",
        low=1e-9,
        high=1e9,
    )
    screen: int = option(
        1080, "height of the screen, at 50 degrees", unit="px", low=100, high=20_000
    )

    def __post_init__(self) -> None:
        check_options(self)
        if len(self.cameras) > 64:
            raise LayoutError(f"{len(self.cameras)} cameras.", "cameras", "Give at most 64.")
        for name, views in (("cameras", "cameras"), ("near", "band"), ("far", "band")):
            if getattr(self, name) and self.views != views:
                raise LayoutError(
                    f"From {self.views}, {name} counts for nothing.",
                    name,
                    f"Give {views} as views, or leave it out.",
                )
        if self.views == "cameras" and not self.cameras:
            raise LayoutError("There is no camera.", "cameras", "Give the place of one.")
        if self.views == "band" and not 0 < self.near <= self.far:
            raise LayoutError(
                f"From {self.near:g} to {self.far:g} m.",
                "near",
                "Give two lengths, the shorter one as near.",
            )


@dataclass(frozen=True)
class SeenIsland:
    """How an island is seen."""

    number: int = figure("its number in the atlas, from 0")
    object: str = figure("its object")
    island: int = figure("its number in the object, from 1")
    area_m2: float = figure("its surface", "m²", 8)
    share: float = figure("part of the surface that is visible from anywhere", "", 4)
    above: float = figure("part that is visible from over the horizon", "", 4)
    often: float = figure("part of the views from which it is seen", "", 4)
    facing: float = figure("cosine to the views, on average", "", 4)
    screen_px_per_texel: float = figure("pixels of the screen that a texel takes", "px", 4)
    weight: float = figure("proposed; 1 where nothing is proposed")
    why: str = figure("reason for the proposal")
    kind: str = figure("kind of the proposal: never, seldom or below")


@dataclass(frozen=True)
class SeenAtlas:
    """How an atlas's islands are seen."""

    atlas: str = figure("its name")
    islands: list[SeenIsland] = figure("those that were looked at")
    count: int = figure("islands of the atlas")
    stacks: list[list[int]] = figure(
        "islands that are never visible with others of their shape: they may share texels"
    )
    freed: float = figure("part of the texels that could go elsewhere", "", 4)


@dataclass(frozen=True)
class SeenResult:
    """How islands are seen."""

    views: str = figure("from where")
    atlases: list[SeenAtlas] = figure("each atlas")
    points: int = figure("points that were looked at")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: Visibility, progress: Progress) -> SeenResult:
    """Look at the islands of each atlas; nothing is changed.

    Raises
    ------
    LayoutError
    Stopped
    """
    from quilt_core.bake.make_ready import fine_names
    from quilt_core.bake.settings import BakeSettings
    from quilt_core.bake.surface import surface_of
    from quilt_core.bake.visibility import Views, measure_visibility

    out, points = [], 0
    views = Views(
        settings.views, settings.cameras, UPS[settings.up], settings.alone, settings.both_sides,
        settings.near, settings.far,
    )  # fmt: skip
    progress.report(0.0, "reading the meshes")
    keys = list(document.sources)
    scenes = [document.sources[key].scene() for key in keys]
    place = {key: k for k, key in enumerate(keys)}
    names = {
        (place[key], number): obj.name
        for key, scene in zip(keys, scenes, strict=True)
        for number, obj in enumerate(scene.objects)
        if document.standing is None or (key, number) in document.standing
    }
    # The high poly mesh of a pair lies where the low poly one does: it would hide it, and is not looked at.
    fine = fine_names(list(names.values()), BakeSettings())
    there = {at for at, name in names.items() if name not in fine}
    for k, layout in enumerate(document.layouts):
        if not layout.members:
            raise LayoutError(
                "There is no object in this atlas.", layout.state.name, "Bring files in first."
            )
        part = progress.part(k / len(document.layouts), 1 / len(document.layouts))
        faces = {(place[key], n): own for (key, n), own in islands_of_faces(layout).items()}
        surface = surface_of(
            scenes,
            islands=lambda scene, obj, faces=faces: faces.get((scene, obj)),  # type: ignore[misc]
            wanted_at=lambda scene, obj: (scene, obj) in there,
        )

        def go_on(done: float, part: Progress = part) -> bool:
            part.report(0.05 + 0.9 * done, "looking from all sides")
            return not part.stop()

        try:
            seen = measure_visibility(surface, views, tell=go_on)
        except LayoutError:
            if progress.stop():
                raise Stopped from None
            raise
        points += int(seen.points.sum())
        out.append(_atlas(layout, seen, settings.distance or AWAY * surface.size, settings.screen))
    return SeenResult(settings.views, out, points)


def islands_of_faces(layout: Layout) -> dict[tuple[int, int], IntArray]:
    """(F,) island of each face, through the whole layout, by source and number of the object; -1 for none."""
    out: dict[tuple[int, int], IntArray] = {}
    for member, own in zip(layout.members, member_faces(layout), strict=True):
        key = (member.source, member.number)
        out[key] = np.where(own >= 0, own, out[key]) if key in out else own
    return out


def _atlas(layout: Layout, seen: Any, distance: float, screen: int) -> SeenAtlas:
    from quilt_core.bake.visibility import freed, proposals, screen_px

    count = len(seen.area)
    weights = layout.weights[:count]
    density = island_densities(layout.islands, layout.placements, *layout.pixels.T)
    px = screen_px(seen, np.nan_to_num(density[:count]), distance, screen)
    proposed = proposals(seen, weights)
    of = {one.island: one for one in proposed}
    names, numbers = layout.object_names(), layout.numbers
    rows = []
    for i in np.flatnonzero(seen.points).tolist():
        one = of.get(i)
        rows.append(
            SeenIsland(
                i, names[layout.islands.object_index[i]], int(numbers[i]), float(seen.area[i]), float(seen.share[i]),
                float(seen.above[i]), float(seen.often[i]), float(seen.facing[i]), float(px[i]),
                one.weight if one else 1.0, one.text if one else "", one.kind if one else "",
            )
        )  # fmt: skip
    never = [one.island for one in proposed if one.kind == "never"]
    return SeenAtlas(
        layout.state.name, rows, layout.islands.count, _to_stack(layout, never),
        float(freed(seen, proposed, weights)),
    )  # fmt: skip


def _to_stack(layout: Layout, never: list[int]) -> list[list[int]]:
    """Islands that are never seen with others of their shape. The first of each is one that is seen, where there is any."""
    from quilt_core.pack.stacks import find_stacks

    if not never:
        return []
    hidden, stacked, out = set(never), layout.stack, []
    for found in find_stacks(layout.islands):
        mine = [int(i) for i in found.islands if int(i) in hidden]
        seen = [int(i) for i in found.islands if int(i) not in hidden]
        rows = seen[:1] + mine
        own = stacked[rows]
        if mine and len(rows) > 1 and not ((own >= 0).all() and (own == own[0]).all()):
            out.append(rows)
    return out


def tell(result: SeenResult) -> list[str]:
    """The result in words."""
    out = []
    for one in result.atlases:
        least = sorted((row for row in one.islands if row.why), key=lambda row: row.share)
        if not least:
            out.append(f"{len(one.islands)} islands, all of them are visible")
            continue
        out.append(
            f"{len(one.islands)} islands; {len(least)} of them are little visible, {one.freed:.1%} of the texels could go elsewhere"
        )
        out += [
            f"{row.object} island {row.island}: {row.why} Weight {row.weight:g}? ({row.area_m2:.4g} m²)"
            for row in least[:LISTED]
        ]
        if len(least) > LISTED:
            out.append(f"… and {len(least) - LISTED} more")
    return out
