"""Textures: blank, checker, id, layout and layered images for each tile, at its own resolution."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.document.state import TileRow
from quilt_core.errors import LayoutError
from quilt_core.formats.merge_settings import NAMING, check_naming, named
from quilt_core.operations.operation import Progress, figure
from quilt_core.options import check_options, option, options_of
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.types import IntArray

DRAWINGS = ("blank", "checker", "id", "layout", "layers", "template", "vectors")
ENDINGS = {"layers": "ora", "vectors": "svg"}
"""Of files that are no PNG."""
BACKGROUND = "background"
"""Purpose of the document's images that lie below layers."""


@dataclass(frozen=True)
class Textures:
    """Settings of drawing textures."""

    kinds: tuple[str, ...] = option(
        ("layout",),
        "what is drawn; layers are one OpenRaster file a tile; a template is the edges of faces on a clear ground, as PNG or as vectors (SVG)",
        choices=DRAWINGS,
    )
    by: str = option(
        "object", "what ids and layers are separate for", choices=("object", "island", "material")
    )
    colour: str = option("#808080", "of blank textures", shape="#rrggbb")
    channels: str = option("rgb", "of blank textures", choices=("grey", "rgb", "rgba"))
    bits: int = option(8, "of each channel of blank textures", choices=(8, 16))
    line: float = option(
        1.0, "width of edges in templates; borders are twice as wide", unit="px", low=0.25, high=64
    )
    labels: bool = option(False, "names of objects in templates")
    name: str = option("set", "what names of files begin with")
    naming: str = option(NAMING, "names of files, with {name}, {role} and {tile}", shape="PATTERN")
    numbered: bool = option(False, "the tile's number in the name of a single one, too")

    def __post_init__(self) -> None:
        from quilt_core.formats.merge_settings import check_name

        check_options(self)
        check_name(self.name)
        check_naming(self.naming)
        check_colour(self.colour)
        blank = [name for name in BLANK if getattr(self, name) != usual(name)]
        if blank and "blank" not in self.kinds:
            raise LayoutError(
                f"No blank texture is drawn, which {blank[0]} is for.",
                blank[0],
                "Add blank to the kinds, or leave it out.",
            )
        if not self.kinds:
            raise LayoutError(
                "Nothing is to be drawn.", "kinds", f"Give some of {', '.join(DRAWINGS)}."
            )


BLANK = ("colour", "channels", "bits")
"""Settings of blank textures alone."""


def usual(name: str) -> object:
    """Default of a setting of drawing."""
    return next(one.default for one in options_of(Textures) if one.name == name)


def check_colour(text: str) -> None:
    """Refuse what is no colour.

    Raises
    ------
    LayoutError
    """
    if not re.fullmatch(r"#([0-9a-fA-F]{6}|[0-9a-fA-F]{8})", text):
        raise LayoutError(f"“{text}” is no colour.", "colour", "Give it as #rrggbb or #rrggbbaa.")


@dataclass(frozen=True)
class Drawn:
    """An image."""

    file: str = figure("its name")
    atlas: str = figure("its atlas")
    kind: str = figure("what it is")
    tile: int = figure("number of the tile")
    width: int = figure("width", "px")
    height: int = figure("height", "px")


@dataclass(frozen=True, eq=False)
class TextureSet:
    """What was drawn."""

    images: dict[str, bytes] = field(repr=False)
    textures: list[Drawn] = figure("each image")
    groups: list[str] = figure("what ids and layers stand for, in their order")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: Textures, progress: Progress) -> TextureSet:
    """Draw the textures of each tile.

    Raises
    ------
    LayoutError
    Stopped
    """
    images: dict[str, bytes] = {}
    rows: list[Drawn] = []
    groups: list[str] = []
    several = len(document.layouts) > 1
    steps = sum(len(layout.tiles) for layout in document.layouts) * len(settings.kinds)
    for layout in document.layouts:
        if not layout.members:
            raise LayoutError(
                "There is no object in this atlas.", layout.state.name, "Bring files in first."
            )
        names, group = groups_of(layout, settings.by)
        groups += names
        name = f"{settings.name}_{layout.state.name}" if several else settings.name
        for tile in layout.tiles:
            for kind in dict.fromkeys(settings.kinds):
                progress.report(len(rows) / steps, f"drawing {kind} of tile {tile.number}")
                progress.check()
                number = tile.number if len(layout.tiles) > 1 or settings.numbered else 0
                ending = ENDINGS.get(kind, "png")
                file = f"{named(settings.naming, name, kind, number)}.{ending}"
                if file in images:
                    raise LayoutError(
                        f"Two images would be called “{file}”.", "naming", "Put {name} into it."
                    )
                images[file] = _drawn(document, layout, settings, kind, tile, names, group)
                rows.append(
                    Drawn(file, layout.state.name, kind, tile.number, tile.width, tile.height)
                )
    return TextureSet(images, rows, groups)


def groups_of(layout: Layout, by: str) -> tuple[list[str], IntArray]:
    """Names of objects, islands or materials, and which of them each island is of."""
    if by == "object":
        return layout.object_names(), layout.islands.object_index
    if by == "material":
        surface = layout.surface
        known = [name or "none" for name in surface.materials]
        group = np.where(surface.island_material < 0, len(known), surface.island_material)
        return [*known, "none"], group
    return layout.names(), np.arange(layout.islands.count)


def in_tile(layout: Layout, tile: TileRow) -> tuple[IslandSet, NDArray[np.bool_]]:
    """The placed islands whose boxes meet a tile, in that tile's own UVs, and (I,) which those are."""
    from dataclasses import replace

    placed = layout.islands.placed(layout.placements)
    corner, box = np.array(tile.size.corner, np.float64), placed.bounds()
    near = np.asarray((box[:, :2] < corner + 1).all(axis=1) & (box[:, 2:] > corner).all(axis=1))
    here = placed.select(near)
    return replace(here, triangles=here.triangles - corner, edges=here.edges - corner), near


def _drawn(
    document: Document, layout: Layout, settings: Textures, kind: str, tile: TileRow,
    names: list[str], group: IntArray,
) -> bytes:  # fmt: skip
    from quilt_core.sheet.texture_sheets import Names, TextureSheet, draw_image

    here, near = in_tile(layout, tile)
    if kind in ("template", "vectors"):
        return _template(layout, settings, kind, tile, here, near)
    what = TextureSheet(
        kind,
        settings.colour,
        settings.channels,
        settings.bits,
        settings.by,
        layout.state.padding / 2,
    )
    behind = document.images.get((BACKGROUND, tile.number)) if kind == "layers" else None
    size = (tile.width, tile.height)
    under = behind() if behind else None
    return draw_image(what, here, Names(group[near], names, layout.colours), size, under)


def _template(
    layout: Layout, settings: Textures, kind: str, tile: TileRow, here: IslandSet, near: NDArray[np.bool_]
) -> bytes:  # fmt: skip
    from quilt_core.sheet.colours import object_colours
    from quilt_core.sheet.template import Template, template_png, template_svg

    face = layout.surface.triangle_face[near[layout.islands.triangle_island]]
    names, colours = layout.object_names(), object_colours(layout.colours)
    what = Template(here, face, names, colours, settings.line, settings.labels)
    draw = template_png if kind == "template" else template_svg
    return draw(what, tile.width, tile.height)


def tell(result: TextureSet) -> list[str]:
    """The result in words."""
    return [f"{row.file}: {row.width} x {row.height} px" for row in result.textures]


@dataclass(frozen=True)
class TextureFiles:
    """Images that drawing reads."""

    background: str | None = option(
        None,
        "image below the layers; {tile} in its name stands for the number",
        shape="PATTERN",
        names="image",
    )
