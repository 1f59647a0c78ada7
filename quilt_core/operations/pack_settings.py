"""Settings of packing, and what they mean for a layout."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import Any, TypeVar

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.document.state import MARGIN, PADDING, TileRow
from quilt_core.errors import LayoutError
from quilt_core.measure.blocks import gap_for_blocks
from quilt_core.operations.layouts import SELECTORS, Selector
from quilt_core.operations.values import EDGE, GAP, NUMBER_OR_WORD, SIZE, Size, read_density
from quilt_core.options import option
from quilt_core.pack.settings import PackSettings
from quilt_core.scene.tiles import TileSize, usual_gaps

KEEP, EQUAL, FIXED, HOUSE = "keep", "equal", "fixed", "house"
DENSITIES = (KEEP, EQUAL, FIXED, HOUSE)


def read_pack_density(given: Any) -> str | float:
    """One of `DENSITIES`, or px per metre; raises ValueError."""
    if given in DENSITIES:
        return str(given)
    try:
        return read_density(given)
    except ValueError:
        raise ValueError(
            f"Give {', '.join(DENSITIES)}, or px per metre, for example 512."
        ) from None


@dataclass(frozen=True)
class Pack(PackSettings):
    """Settings of packing: the packer's, and which islands at which size into which tiles."""

    padding: float | None = option(None, **GAP)  # type: ignore[assignment]
    margin: float | None = option(None, **EDGE)  # type: ignore[assignment]
    density: str | float | None = option(
        None,
        "keep: sizes in proportion, as large as fits; equal: evened out, as large as fits; fixed: the size they have; "
        "house: the house density; or px per metre. Without it equal for files, keep for a layout that was arranged",
        read=read_pack_density,
        json=NUMBER_OR_WORD,
        shape="keep|equal|fixed|house|PX_PER_METRE",
    )
    more_tiles: bool = option(False, "at a fixed size: add tiles until everything fits")
    size: Size | None = option(
        None, "resolution of the only tile; without it as it is", passing=True, **SIZE
    )
    tile: int | None = option(None, "the only tile to fill", low=1001, high=1100, passing=True)
    islands: tuple[Selector, ...] = option(
        (),
        "islands to pack at the size they have; the others stay, and are in the way",
        **SELECTORS,
    )

    block: int | None = option(
        None,
        "edge of the blocks of compressed textures: islands keep apart by at least its diagonal, so that none holds texels of two; "
        "4 for BC, 4 to 12 for ASTC, 0 for none; without it as the rules have it",
        unit="px", low=0, high=12,
    )  # fmt: skip

    @property
    def gap(self) -> float:
        """px between islands: the padding, or more where blocks ask for it."""
        return max(self.padding or 0.0, gap_for_blocks(self.block or 0))

    @property
    def is_fixed(self) -> bool:
        """Whether sizes are given, and what does not fit is left over."""
        return self.density in (FIXED, HOUSE) or isinstance(self.density, float)


def density_for(document: Document, settings: Pack) -> str | float:
    """What the density setting stands for where nothing is said."""
    if settings.density is not None:
        return settings.density
    if settings.islands:
        return FIXED
    return KEEP if document.arranged else EQUAL


def open_tiles_of(tiles: Sequence[TileRow], settings: Pack) -> tuple[TileSize, ...]:
    """Tiles that are filled.

    Raises
    ------
    LayoutError
        When there is none.
    """
    if settings.tile and settings.tile not in [tile.number for tile in tiles]:
        raise LayoutError(f"There is no tile {settings.tile}.", "tile", "Give the number of one.")
    found = tuple(t.size for t in tiles if not t.frozen and settings.tile in (None, t.number))
    if not found:
        raise LayoutError("Every tile is frozen.", "frozen", "Leave one that can be filled.")
    return found


P = TypeVar("P", bound=Pack)


def decided(document: Document, settings: P) -> P:
    """The settings with what a document says where they say nothing."""
    block = document.rules.get("block", 0) if settings.block is None else settings.block
    return replace(settings, density=density_for(document, settings), block=block)


def spaced(settings: P, layout: Layout, tiles: Sequence[TileRow], arranged: bool) -> P:
    """The settings with a padding and a margin where they say nothing: those that a layout was packed with before, else what
    is usual for its tiles."""
    padding, margin, state = settings.padding, settings.margin, layout.state
    if padding is None and arranged and (state.padding, state.margin) != (PADDING, MARGIN):
        padding, margin = state.padding, state.margin if margin is None else margin
    padding, margin = usual_gaps([tile.size for tile in tiles], padding, margin)
    return replace(settings, padding=padding, margin=margin)


def for_packer(settings: Pack, tiles: tuple[TileSize, ...]) -> PackSettings:
    """The settings as the packer takes them."""
    given = {f.name: getattr(settings, f.name) for f in fields(PackSettings)}
    return PackSettings(**{**given, "tiles": tiles, "padding": settings.gap})
