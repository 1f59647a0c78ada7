"""Mesh files as a document, for operations on files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from quilt_core.document.base import Base, in_proportion, read_base
from quilt_core.document.document import Document
from quilt_core.document.islands import fresh_islands
from quilt_core.document.layout import Layout, Made
from quilt_core.document.state import MARGIN, PADDING, MemberRow, State, TileRow, split_islands
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats import read_scene
from quilt_core.formats.load import folder_siblings
from quilt_core.operations.layouts import SELECTORS, select
from quilt_core.operations.operation import Progress
from quilt_core.operations.values import GRID, SIZE, TILES, Size, read_proportion, read_unit
from quilt_core.operations.weights import (
    Weights,
    give_weights,
    load_weights,
    read_weights,
)
from quilt_core.options import check_options, option
from quilt_core.pack.controls import bundles_of
from quilt_core.scene.flags import CONTROLS
from quilt_core.scene.islands import UV_TOLERANCE
from quilt_core.scene.mesh import MOST_CHANNELS
from quilt_core.scene.model import Scene, SceneObject, Siblings
from quilt_core.scene.tiles import LAST_TILE, TileSize, tile_number, usual_gaps
from quilt_core.scene.weights import HIGHEST_WEIGHT, LOWEST_WEIGHT

MAIN = "main"
"""Name of the atlas of all islands that are in no other."""


@dataclass(frozen=True)
class ReadSettings:
    """How mesh files are read."""

    unit: float = option(
        1.0,
        "length of a unit of OBJ files; glTF is always in metres",
        read=read_unit,
        shape="m|cm|mm|in|ft|METRES",
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class LayoutSettings(ReadSettings):
    """What the UVs of mesh files are."""

    channel: int = option(1, "UV channel, from 1", low=1, high=MOST_CHANNELS)
    size: Size = option((2048, 2048), "resolution of the tile", **SIZE)
    tiles: tuple[TileSize, ...] = option((), "tiles; without it one, 1001, of the size", **TILES)
    grid: Size | None = option(
        None, "columns x rows of tiles of the size; those that are named have their own", **GRID
    )
    proportion: float | None = option(
        None,
        "width / height of the textures that the UVs were laid out for; without it that of each object's own",
        read=read_proportion,
        shape="W:H",
    )
    uv_tolerance: float = option(
        UV_TOLERANCE, "largest difference of UVs that are one point", unit="tiles", low=0, high=0.01
    )
    atlas: tuple[str, ...] = option(
        (),
        "of mesh files: an atlas of its own for these, all others lie in “main”; of a project file: the atlas that is meant",
        shape="NAME=OBJECT,OBJECT|NAME",
    )


@dataclass(frozen=True)
class ControlSettings:
    """What is said about single islands and tiles of mesh files."""

    frozen: tuple[int, ...] = option(
        (), "numbers of tiles that are not touched", low=1001, high=LAST_TILE
    )
    lock_place: tuple[str, ...] = option((), "islands that keep their place", **SELECTORS)
    lock_rotation: tuple[str, ...] = option((), "islands that keep their rotation", **SELECTORS)
    lock_size: tuple[str, ...] = option((), "islands that keep their size", **SELECTORS)
    may_flip: tuple[str, ...] = option((), "islands that may be flipped", **SELECTORS)
    leave_out: tuple[str, ...] = option((), "islands that are not packed", **SELECTORS)
    send: dict[str, int] = option(
        {}, "islands that lie in one tile only", shape="NAME=TILE", low=1001, high=LAST_TILE
    )
    weight: dict[str, float] = option(
        {},
        "more or less density for islands than for others, as a factor",
        shape="NAME=FACTOR",
        low=LOWEST_WEIGHT,
        high=HIGHEST_WEIGHT,
    )
    weights: Weights | None = option(
        None, "weights of islands: a file that “detail --json” or “visibility --json” wrote", read=read_weights,
        show=Weights.to_json, shape="FILE", names="file", load=load_weights,
        json={"type": "array", "items": {"type": "object", "additionalProperties": True}},
    )  # fmt: skip
    bundle: tuple[str, ...] = option(
        (), "islands that stay together, a bundle each", shape="NAME,NAME"
    )
    bundle_by: str | None = option(
        None, "one bundle for each object or material", choices=("object", "material")
    )
    stack: float | None = option(
        None,
        "islands of one shape share their texels; the tolerance is a part of the root of the area",
        low=0, high=1, bare=0.002,
    )  # fmt: skip
    stacks: tuple[str, ...] = option(
        (), "islands that share their texels, a stack each", shape="NAME,NAME"
    )
    no_mirrored_stacks: bool = option(False, "mirror images are not stacked")

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True, eq=False)
class FileSource:
    """A mesh file on disk."""

    key: int
    path: Path
    unit: float
    uv_tolerance: float = UV_TOLERANCE
    to_images: str = ""
    changes: tuple[Any, ...] = ()

    @property
    def name(self) -> str:
        """Its path, as it was given."""
        return str(self.path)

    @property
    def path_in_group(self) -> str:
        """The same."""
        return self.path.as_posix()

    @cached_property
    def data(self) -> bytes:
        """What it holds.

        Raises
        ------
        QuiltError
            When it cannot be read.
        """
        try:
            return self.path.read_bytes()
        except OSError as error:
            raise QuiltError(
                f"It cannot be read ({error.strerror}).", str(self.path), "Check the path."
            ) from None

    def siblings(self) -> Siblings:
        """Reader of the files beside it."""
        return folder_siblings(self.path.parent)

    @cached_property
    def _scene(self) -> Scene:
        try:
            return read_scene(self.path.name, self.data, self.siblings(), self.unit)
        except QuiltError as error:
            # Whoever gives many files wants to know which one it is.
            place = error.where or str(self.path)
            if place.startswith(self.path.name):
                place = f"{self.path}{place.removeprefix(self.path.name)}"
            raise type(error)(error.what, place, error.fix) from None

    def scene(self) -> Scene:
        """What it holds, as objects."""
        return self._scene


@dataclass(frozen=True, eq=False)
class FileMember:
    """An object of a mesh file."""

    row: MemberRow
    obj: SceneObject
    of: FileSource
    number: int
    channel: int
    base: Base
    made: bool = False
    """Whether its base layout is not the file's."""
    weld: float = 0.0

    @property
    def name(self) -> str:
        """Of the object."""
        return self.obj.name

    @property
    def file(self) -> str:
        """Path of its file."""
        return self.of.name

    @property
    def source(self) -> int:
        """Key of its file."""
        return self.of.key

    @property
    def colour(self) -> int:
        """Number of its colour, from 0."""
        return self.row.object - 1

    @property
    def useless(self) -> bool:
        """Whether it has no UVs, or such as are of no use."""
        from quilt_core.unwrap.useless import UVState, uv_state

        return uv_state(self.obj.mesh, self.channel) is not UVState.USABLE

    def base_layout(self) -> Base:
        """Its base layout."""
        return self.base

    def with_base(self, made: Made) -> FileMember:
        """The member with another base layout."""
        count = made.base.islands.count
        row = replace(
            self.row, base=-1 - self.row.object, islands=count, part=None, whole=0, proportion=None
        )
        return replace(self, row=row, base=made.base, made=True, weld=made.weld)


def read_sources(
    paths: Sequence[Path], unit: float, progress: Progress, uv_tolerance: float = UV_TOLERANCE
) -> dict[int, FileSource]:
    """Mesh files by their places among those that were given.

    Raises
    ------
    QuiltError
    """
    out = {}
    for key, path in enumerate(paths):
        progress.report(key / len(paths), f"reading {path}")
        progress.check()
        out[key] = FileSource(key, path, unit, uv_tolerance)
        out[key].scene()
    return out


def file_document(
    paths: Sequence[Path],
    settings: LayoutSettings,
    controls: ControlSettings | None,
    progress: Progress,
    all_tiles: bool = False,
) -> Document:
    """A document of mesh files: one atlas of all objects, or several where that is asked for. With `all_tiles` its tiles are
    those that islands lie in, where none are named.

    Raises
    ------
    QuiltError
    """
    sources = read_sources(paths, settings.unit, progress, settings.uv_tolerance)
    members: list[FileMember] = []
    for source in sources.values():
        for number, obj in enumerate(source.scene().objects):
            channel = settings.channel - 1
            base = read_base(obj, channel, source.scene(), settings.uv_tolerance)
            if settings.proportion is not None:
                base = replace(base, islands=in_proportion(base.islands, settings.proportion))
            row = MemberRow(len(members), len(members), base.islands.count, channel)
            members.append(FileMember(row, obj, source, number, channel, base))
    sizes = asked_tiles(settings)
    if all_tiles and not settings.tiles and not settings.grid:
        sizes = _tiles_of(members, settings.size)
    frozen = controls.frozen if controls else ()
    unknown = [number for number in frozen if number not in [tile.number for tile in sizes]]
    if unknown:
        raise LayoutError(f"There is no tile {unknown[0]}.", "frozen", "Give numbers of tiles.")
    tiles = sorted(
        (TileRow(t.number, t.width, t.height, frozen=t.number in frozen) for t in sizes),
        key=lambda tile: tile.number,
    )
    if len({tile.number for tile in tiles}) < len(tiles):
        raise LayoutError("Two tiles have the same number.", "tiles", "Give each number once.")
    rows = tuple(member.row for member in members)
    count = sum(row.islands for row in rows)
    # What files come with is judged by what is usual for their tiles, where that is less.
    usual = usual_gaps([tile.size for tile in tiles], None, None)
    padding, margin = np.minimum((PADDING, MARGIN), usual).tolist()
    state = State(MAIN, rows, tuple(tiles), padding, margin, fresh_islands(count))
    layout = Layout(state, members)
    if controls:
        layout = controlled(layout, controls)
    return Document(_atlases(layout, settings.atlas), sources)


def asked_tiles(settings: LayoutSettings) -> tuple[TileSize, ...]:
    """Tiles that are named, or in the grid that is asked for; else one."""
    named = {tile.number for tile in settings.tiles}
    columns, rows = settings.grid or (0, 0)
    numbers = [tile_number(column, row) for row in range(rows) for column in range(columns)]
    rest = tuple(TileSize(n, *settings.size) for n in numbers if n not in named)
    return (*settings.tiles, *rest) or (TileSize(1001, *settings.size),)


def _tiles_of(members: Sequence[FileMember], size: Size) -> tuple[TileSize, ...]:
    """Tiles that the middles of islands lie in; the first one where there is none."""
    box = np.concatenate([np.zeros((0, 4)), *(m.base.islands.bounds() for m in members)])
    middle = np.floor(0.5 * (box[:, :2] + box[:, 2:]))
    inside = np.isfinite(middle).all(axis=1)
    middle = middle[inside]
    middle = middle[(middle >= 0).all(axis=1) & (middle[:, 0] < 10)]
    numbers = np.unique(1001 + middle[:, 0] + 10 * middle[:, 1]).astype(np.int64).tolist()
    return tuple(TileSize(n, *size) for n in numbers if n <= LAST_TILE) or (TileSize(1001, *size),)


def controlled(layout: Layout, settings: ControlSettings) -> Layout:
    """The layout with what settings say about single islands.

    Raises
    ------
    LayoutError
    """
    rows = layout.state.controls
    for setting, bit in CONTROLS.items():
        names = getattr(settings, setting)
        if names:
            rows["flags"][select(layout, names, setting)] |= bit
    for name, tile in settings.send.items():
        rows["tile"][select(layout, (name,), "send")] = tile
    if settings.weights is not None:
        give_weights(layout, settings.weights, rows)
    for name, weight in settings.weight.items():
        rows["weight"][select(layout, (name,), "weight")] = weight
    for number, text in enumerate(settings.bundle):
        rows["bundle"][select(layout, text.split(","), "bundle")] = number
    if settings.bundle_by:
        by = layout.islands.object_index
        if settings.bundle_by == "material":
            by = layout.surface.island_material
        loose = rows["bundle"] < 0
        rows["bundle"][loose] = bundles_of(by[loose], len(settings.bundle))
    for number, text in enumerate(settings.stacks):
        rows["stack"][select(layout, text.split(","), "stacks")] = number
    if settings.stack is not None:
        from quilt_core.pack.stacks import find_stacks

        found = find_stacks(
            layout.islands, settings.stack, mirrored=not settings.no_mirrored_stacks
        )
        for number, candidate in enumerate(found, start=len(settings.stacks)):
            free = candidate.islands[rows["stack"][candidate.islands] < 0]
            if len(free) > 1:
                rows["stack"][free] = number
    return layout.having(layout.state.having(controls=rows))


def _atlases(layout: Layout, asked: Sequence[str]) -> list[Layout]:
    """Atlases that are asked for, in order; what none of them names is the first one."""
    parts: dict[str, Any] = {}
    taken = np.zeros(layout.islands.count, bool)
    for text in asked:
        name, mark, which = text.partition("=")
        if not (mark and name.strip() and which):
            raise LayoutError(
                f"“{text}” is not NAME=OBJECT.", "atlas", "Give for example trim=rail*."
            )
        for part in which.split(","):
            own = select(layout, (part,), "atlas")
            here = parts.get(name, np.zeros(len(own), bool))
            if (taken & own & ~here).any():
                raise LayoutError(
                    f"“{part}” lies in another atlas already.", "atlas", "Name each island once."
                )
            parts[name] = here | own
            taken |= own
    if not parts:
        return [layout]
    if not taken.all():
        rest = MAIN
        while rest in parts:
            rest += "-2"
        parts = {rest: ~taken, **parts}
    return [_part(layout, name, own) for name, own in parts.items()]


def _part(layout: Layout, name: str, own: Any) -> Layout:
    _, state = split_islands(layout.state, np.flatnonzero(own))
    of = {member.row.object: member for member in layout.members}
    members = [replace(of[row.object], row=row) for row in state.members]  # type: ignore[type-var]
    return Layout(replace(state, name=name), members)
