"""After a pack: what sets the scale, and what each fix would bring, found by quick packs."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.pack.controls import Controls
from quilt_core.pack.layout import pack_islands
from quilt_core.pack.settings import PackSettings
from quilt_core.pack.side_table import packable
from quilt_core.pack.turns import turn_matrices, turns_for
from quilt_core.scene.flags import LOCK_PLACE, LOCK_ROTATION, LOCK_SIZE
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.tiles import LAST_TILE, MAX_TILE, TileSize
from quilt_core.scene.types import FloatArray, IntArray

SPANS = 1.025
"""An island that could grow by less in the sheet alone sets the scale."""
WORTH = 1.01
"""Fixes that bring less density than this factor are not told."""
LEADS = 1.03
"""A rule that costs less than this factor of density does not count as what sets the scale."""
SECONDS_ALL = 60.0
"""No further fix is tried after this much time of the processor: other work beside it does not count.
Each quick pack is counted in steps, not in seconds, so
that a slow machine finds what a fast one finds."""
SHEETS = ("tile shape", "another tile")
MOST_ISLANDS = 2000
"""With more islands quick packs take too long; only the longest island is looked at."""
FREE_STEPS = 24
ALL_TURNS = 72
"""Turns of a full circle, of 5 degrees, that the room of an island is looked for in."""


@dataclass(frozen=True)
class Fix:
    """Something that would let the islands be larger.

    Parameters
    ----------
    kind : str
        free turns, cut, sheet shape, another sheet, padding, unlock turns, unlock places, bundles,
        tiles.
    text : str
        What to do, as a sentence.
    factor : float
        Expected density over that of the layout, from a quick pack with the fix and one without.
    """

    kind: str
    text: str
    factor: float


@dataclass(frozen=True)
class Limit:
    """What sets the scale of a layout.

    Parameters
    ----------
    kind : str
        longest island, turns, bundles, places, padding, tiles, or shapes when it is nothing but
        those.
    text : str
    islands : tuple of int
        The islands it is about, empty for all.
    fixes : tuple of Fix
        The best first, then those that cost another sheet; those that bring nothing are left out.
    """

    kind: str
    text: str
    islands: tuple[int, ...]
    fixes: tuple[Fix, ...]


@dataclass(frozen=True, eq=False)
class _Case:
    islands: IslandSet
    placements: FloatArray
    settings: PackSettings
    controls: Controls
    frozen: tuple[TileSize, ...]
    pixels: FloatArray
    names: tuple[str, ...]


def room_to_grow(
    islands: IslandSet, placements: FloatArray, settings: PackSettings, turnable: NDArray[np.bool_],
    pixels: FloatArray, bundle: IntArray, steps: int | None = None,
) -> FloatArray:  # fmt: skip
    """(I,) how many times larger each island could be if it had the largest sheet for itself.

    Parameters
    ----------
    islands : IslandSet
    placements : (I, 2, 3) float64
        A packed layout; a bundle counts as one shape, as it lies.
    settings : PackSettings
    turnable : (I,) bool
        Islands that may be turned as the settings say; the others stay as they lie.
    pixels : (I, 2) float64
        px per UV.
    bundle : (I,) int64
        -1 for none.
    steps : int, optional
        Turns of a full circle, instead of those of the settings.
    """
    owner = _owners(bundle, islands.count)
    ends = islands.placed(placements).edges.reshape(-1, 2)
    of = np.repeat(islands.edge_island, 2)
    points = ends * pixels[of]
    angles = turns_for("free", steps) if steps else turns_for(settings.rotate, settings.free_steps)
    out = np.zeros(islands.count)
    inner = [(t.width - 2 * settings.margin, t.height - 2 * settings.margin) for t in settings.bins]
    free = np.ones(islands.count, bool)
    np.logical_and.at(free, owner, turnable)
    for k, turn in enumerate(turn_matrices(angles)):
        at = points @ turn.T
        box = np.full((4, islands.count), -np.inf)
        for axis in (0, 1):
            np.maximum.at(box[axis], owner[of], at[:, axis])
            np.maximum.at(box[2 + axis], owner[of], -at[:, axis])
        size = np.maximum(box[:2] + box[2:], 1e-9)
        fits = np.max([np.minimum(w / size[0], h / size[1]) for w, h in inner], axis=0)
        out = np.where((k == 0) | free, np.maximum(out, fits), out)
    return np.asarray(np.where(np.isfinite(out[owner]), out[owner], np.inf))


def explain(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    controls: Controls,
    frozen: tuple[TileSize, ...],
    pixels: FloatArray,
    names: tuple[str, ...],
    stop: Callable[[], bool] = lambda: False,
    try_fixes: bool = True,
) -> Limit | None:
    """Say what sets the scale of a packed layout.

    Parameters
    ----------
    islands : IslandSet
    placements : (I, 2, 3) float64
        As they were packed.
    settings : PackSettings
        With which they were; the effort does not matter.
    controls : Controls
    frozen : tuple of TileSize
    pixels : (I, 2) float64
        px per UV of the tile that each island lies in.
    names : tuple of str
        What to call each island.
    stop : callable
        Asked often; True ends it without an answer.
    try_fixes : bool
        Without them only the longest island is looked at, which takes no time.

    Returns
    -------
    Limit or None
        None at a fixed scale, where nothing sets it, and when it was stopped.
    """
    moves = packable(islands) & controls.chosen & ~controls.has(LOCK_PLACE)
    grows = moves & ~controls.has(LOCK_SIZE)
    if settings.fixed_scale or not grows.any():
        return None
    case = _Case(
        islands,
        placements,
        replace(settings, effort="quick", less_free=False, tidy=0.0),
        controls,
        frozen,
        pixels,
        names,
    )
    turnable = ~controls.has(LOCK_ROTATION)
    room = np.where(
        grows,
        room_to_grow(islands, placements, settings, turnable, pixels, controls.bundle),
        np.inf,
    )
    longest = int(np.argmin(room))
    spans = room[longest] < SPANS
    fixes: list[Fix] = []
    if try_fixes and islands.count <= MOST_ISLANDS:
        started = time.process_time()
        before = _scale(case, stop)
        if stop():
            return None
        for kind, text, changed in _changes(case, longest if spans else -1, moves):
            if before is None or time.process_time() - started > SECONDS_ALL:
                break
            found = _scale(changed, stop)
            if stop():
                return None
            # A quick pack may be worse than the layout at hand by chance; the fixes are compared
            # with its like.
            if found is not None and found > WORTH * before:
                fixes.append(Fix(kind, text, found / before))
    fixes.sort(key=lambda fix: (fix.kind in SHEETS, -fix.factor))
    kind, text, about = _reason(case, fixes, room, longest if spans else -1, turnable)
    return Limit(kind, text, about, tuple(fixes))


RULES = {
    "unlock turns": ("turns", "Islands whose turn is locked"),
    "bundles": ("bundles", "The bundles"),
    "unlock places": ("places", "Islands that keep their place"),
    "tiles": ("tiles", "Islands that are sent to one tile"),
    "padding": ("padding", "The padding"),
}


def _reason(
    case: _Case, fixes: list[Fix], room: FloatArray, longest: int, turnable: NDArray[np.bool_]
) -> tuple[str, str, tuple[int, ...]]:
    if longest >= 0:
        alike = tuple(int(i) for i in np.flatnonzero(room < SPANS))
        bundled = case.controls.bundle[longest] >= 0
        what = f"The bundle of {case.names[longest]}" if bundled else case.names[longest]
        held = "" if turnable[longest] else ", and its turn is locked"
        return (
            "bundles" if bundled else "longest island" if turnable[longest] else "turns",
            f"{what} spans the tile{held}: it could be only {100 * (room[longest] - 1):.1f} % larger if it were alone there.",
            alike,
        )
    for fix in fixes:
        if fix.kind in RULES and fix.factor > LEADS:
            kind, what = RULES[fix.kind]
            return (
                kind,
                f"{what} cost about {100 * (1 - 1 / fix.factor):.0f} % of the density.",
                (),
            )
    return (
        "shapes",
        "The shapes of the islands: no single island and no rule holds the others back.",
        (),
    )


def _changes(
    case: _Case, longest: int, moves: NDArray[np.bool_]
) -> Iterator[tuple[str, str, _Case]]:
    """Fixes that can be tried: kind, text and what would be packed."""
    s, c = case.settings, case.controls
    if s.rotate != "free" and (moves & ~c.has(LOCK_ROTATION)).any():
        free = replace(s, rotate="free", free_steps=FREE_STEPS)
        yield "free turns", f"Turn freely, in {FREE_STEPS} steps.", replace(case, settings=free)
    if longest >= 0 and c.bundle[longest] < 0 and c.stack[longest] < 0:
        halves = _cut(case, longest)
        if halves is not None:
            yield "cut", f"Cut {case.names[longest]} in two across its length.", halves
    for kind, flag, text in (
        ("unlock turns", LOCK_ROTATION, "Unlock the turn of {} islands."),
        ("unlock places", LOCK_PLACE, "Unlock the place of {} islands."),
    ):
        marked = c.has(flag) & c.chosen
        if marked.any():
            less = replace(c, flags=(c.flags & ~np.uint8(flag)).astype(np.uint8))
            yield kind, text.format(int(marked.sum())), replace(case, controls=less)
    if (c.bundle[c.chosen] >= 0).any():
        apart = replace(c, bundle=np.full(len(c.bundle), -1))
        yield "bundles", "Take the bundles apart.", replace(case, controls=apart)
    if (c.tile[c.chosen] > 0).any() and len(s.bins) > 1:
        anywhere = replace(c, tile=np.zeros(len(c.tile), np.int64))
        yield "tiles", "Let all islands go to any tile.", replace(case, controls=anywhere)
    if s.padding >= 2:
        less_padding = replace(s, padding=s.padding / 2)
        yield (
            "padding",
            f"Halve the padding to {s.padding / 2:g} px.",
            replace(case, settings=less_padding),
        )
    yield from _other_sheets(case)


def _other_sheets(case: _Case) -> Iterator[tuple[str, str, _Case]]:
    s = case.settings
    if len(s.bins) == 1:
        (tile,) = s.bins
        wide, high = 2 * tile.width, 2 * tile.height
        if tile.width <= tile.height and wide <= MAX_TILE:
            one = replace(tile, width=wide)
        elif high <= MAX_TILE:
            one = replace(tile, height=high)
        else:
            return
        changed = replace(s, tiles=(one,))
        yield (
            "tile shape",
            f"A tile of {one.width} x {one.height} px.",
            replace(case, settings=changed),
        )
    last = max((*s.bins, *case.frozen), key=lambda t: t.number)
    if last.number < LAST_TILE:
        more = TileSize(last.number + 1, last.width, last.height)
        changed = replace(s, tiles=(*s.bins, more))
        yield "another tile", f"One more tile, {more.number}.", replace(case, settings=changed)


def _scale(case: _Case, stop: Callable[[], bool]) -> float | None:
    """Scale that a quick pack reaches, over that of the layout; None when it fits nowhere."""
    settings = replace(case.settings, seconds=None)
    found = None
    try:
        for attempt, _, _ in pack_islands(
            case.islands,
            case.placements,
            settings,
            stop,
            case.controls,
            case.frozen,
            case.pixels,
            case.names,
        ):
            found = attempt
    except LayoutError:
        return None
    return found.scale if found is not None and found.whole and found.placed.all() else None


def _cut(case: _Case, island: int) -> _Case | None:
    """The same with one island cut in two, square to the long side of its tightest box."""
    islands = case.islands
    own = islands.triangle_island == island
    corners = islands.placed(case.placements).triangles[own] * case.pixels[island]
    shape = shapely.union_all(shapely.make_valid(shapely.polygons(corners)))
    hull = shapely.minimum_rotated_rectangle(shape)
    if hull.geom_type != "Polygon":
        return None
    box = shapely.get_coordinates(hull)[:4]
    sides = box[1] - box[0], box[2] - box[1]
    long, across = sides if np.hypot(*sides[0]) >= np.hypot(*sides[1]) else sides[::-1]
    middle = box.mean(axis=0)
    parts = []
    for sign in (1.0, -1.0):
        half = shapely.Polygon(
            [
                middle - 2 * across,
                middle + 2 * across,
                middle + 2 * across + sign * 2 * long,
                middle - 2 * across + sign * 2 * long,
            ]
        )
        part = shapely.intersection(shape, half)
        parts += [p for p in shapely.get_parts(part) if p.geom_type == "Polygon" and p.area > 0]
    if len(parts) < 2:
        return None
    return _with_parts(case, island, parts)


def _with_parts(case: _Case, island: int, parts: list[shapely.Polygon]) -> _Case:
    """Replace an island by polygons in px; all islands are given as they lie, in UVs."""
    islands, count = case.islands.placed(case.placements), case.islands.count
    keep = np.ones(count, bool)
    keep[island] = False
    rest = islands.select(keep)
    triangles, of, edges, edge_of = (
        [rest.triangles],
        [rest.triangle_island],
        [rest.edges],
        [rest.edge_island],
    )
    for k, part in enumerate(parts):
        part = shapely.orient_polygons(part)
        faces = np.array(
            [
                shapely.get_coordinates(t)[:3]
                for t in shapely.get_parts(shapely.constrained_delaunay_triangles(part))
            ]
        )
        triangles.append(faces / case.pixels[island])
        of.append(np.full(len(faces), count - 1 + k))
        for ring in (part.exterior, *part.interiors):
            points = shapely.get_coordinates(ring) / case.pixels[island]
            edges.append(np.stack([points[:-1], points[1:]], axis=1))
            edge_of.append(np.full(len(points) - 1, count - 1 + k))
    area = np.array([p.area for p in parts]) / case.pixels[island].prod()
    share = area / area.sum()

    def each(values: FloatArray, more: FloatArray) -> FloatArray:
        return np.concatenate([values, more])

    rows = np.concatenate([np.flatnonzero(keep), np.full(len(parts), island)])
    cut = IslandSet(
        triangles=np.concatenate(triangles),
        triangle_island=np.concatenate(of),
        edges=np.concatenate(edges),
        edge_island=np.concatenate(edge_of),
        uv_area=each(rest.uv_area, area),
        turned=each(rest.turned, np.zeros(len(parts))),
        world_area=each(rest.world_area, islands.world_area[island] * share),
        world_length=each(rest.world_length, islands.world_length[island] * np.sqrt(share)),
        step=each(rest.step, np.full(len(parts), islands.step[island])),
        proportion=case.pixels[rows, 0] / case.pixels[rows, 1],
        object_index=np.concatenate(
            [rest.object_index, np.full(len(parts), islands.object_index[island])]
        ),
        unflattened=rest.unflattened,
    )
    c = case.controls
    controls = Controls(c.flags[rows], c.tile[rows], c.bundle[rows], c.stack[rows], c.chosen[rows])
    still = np.zeros((len(rows), 2, 3))
    still[:, 0, 0] = still[:, 1, 1] = 1.0
    return replace(
        case,
        islands=cut,
        placements=still,
        controls=controls,
        pixels=case.pixels[rows],
        names=tuple(case.names[r] for r in rows),
    )


def _owners(bundle: IntArray, count: int) -> IntArray:
    """(I,) the first island of each bundle; an island alone is its own."""
    owner = np.arange(count)
    for group in np.unique(bundle[bundle >= 0]):
        mine = np.flatnonzero(bundle == group)
        owner[mine] = mine[0]
    return owner
