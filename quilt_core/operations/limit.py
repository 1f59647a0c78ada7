"""Limit: what keeps the islands of a packed layout from being larger, and what would let them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.operations.layouts import controls_of, density_of, select
from quilt_core.operations.operation import Progress, figure
from quilt_core.operations.pack_settings import Pack, decided, for_packer, open_tiles_of, spaced
from quilt_core.options import option


@dataclass(frozen=True)
class Limit(Pack):
    """Settings with which it was packed, and whether fixes are tried."""

    fixes: bool = option(True, "try what would let the islands be larger: some seconds more")


@dataclass(frozen=True)
class Fix:
    """Something that would let the islands be larger."""

    kind: str = figure(
        "free turns, cut, tile shape, another tile, padding, unlock turns, unlock places, bundles or tiles"
    )
    text: str = figure("what to do")
    factor: float = figure(
        "expected density / density now, from a quick pack with the fix and one without", "", 4
    )
    density: float | None = figure("expected density", "px/m", 3)


@dataclass(frozen=True)
class AtlasLimit:
    """What limits the density of an atlas."""

    atlas: str = figure("its name")
    kind: str = figure(
        "longest island, turns, bundles, places, tiles, padding, or shapes when it is nothing but those"
    )
    text: str = figure("in words")
    islands: list[int] = figure("numbers of the islands that it is about; empty for all")
    fixes: list[Fix] = figure("the best first, then those that cost another tile")


@dataclass(frozen=True)
class Limits:
    """What limits the density of each atlas; those of a fixed size have no limit."""

    atlases: list[AtlasLimit] = figure("each atlas whose islands were made as large as fits")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: Limit, progress: Progress) -> Limits:
    """Say what limits the density of packed layouts."""
    settings = decided(document, settings)
    if settings.is_fixed:
        return Limits([])
    progress.report(0.1, "asking what limits the density")
    found = [
        _limit(layout, settings, document.arranged, lambda: bool(progress.stop()))
        for layout in document.layouts
    ]
    progress.check()
    return Limits([one for one in found if one is not None])


def _limit(
    layout: Layout, settings: Limit, arranged: bool, stop: Callable[[], bool]
) -> AtlasLimit | None:
    from quilt_core.pack.limit import explain

    chosen = select(layout, settings.islands, "islands") if settings.islands else None
    settings = spaced(settings, layout, layout.tiles, arranged)
    open_tiles = open_tiles_of(layout.tiles, settings)
    frozen = tuple(tile.size for tile in layout.tiles if tile.size not in open_tiles)
    found = explain(
        layout.islands, layout.placements, for_packer(settings, open_tiles), controls_of(layout, chosen),
        frozen, layout.pixels, tuple(layout.names()), stop, settings.fixes,
    )  # fmt: skip
    if found is None:
        return None
    everything = np.ones(layout.islands.count, bool)
    density = density_of(layout, everything)
    known = np.isfinite(density) and density > 0
    fixes = [
        Fix(one.kind, one.text, one.factor, density * one.factor if known else None)
        for one in found.fixes
    ]
    return AtlasLimit(layout.state.name, found.kind, found.text, list(found.islands), fixes)


def tell(result: Limits) -> list[str]:
    """The result in words."""
    out = []
    for one in result.atlases:
        out.append(f"what limits the density: {one.text}")
        out += [
            f"  {fix.text} About {fix.density or 0:.0f} px/m (+{fix.factor - 1:.1%})."
            for fix in one.fixes
        ]
    return out
