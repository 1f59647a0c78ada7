"""Islands named on the command line: ``object``, ``obj*`` or ``object:3``."""

from __future__ import annotations

import argparse
from dataclasses import dataclass
from fnmatch import fnmatchcase
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import QuiltError
from quilt_core.pack import Controls, find_stacks, no_controls
from quilt_core.pack.controls import FLAGS, bundles_of
from quilt_core.scene import IslandSet, Surface, TileSize

OPTIONS = {key: "leave_out" if key == "left_out" else key for key in FLAGS}
"""Name of the option of each flag."""


def select(text: str, islands: IslandSet, names: list[str], option: str) -> NDArray[np.bool_]:
    """(I,) islands that a selector names: objects by name or pattern, an island by its number from
    1.

    Raises
    ------
    QuiltError
        When it names nothing.
    """
    pattern, colon, number = text.rpartition(":")
    if not (colon and number.isdigit()):
        pattern, number = text, ""
    objects = [k for k, name in enumerate(names) if fnmatchcase(name, pattern)]
    out = np.isin(islands.object_index, objects)
    if number:
        first = np.searchsorted(islands.object_index, islands.object_index)
        out &= np.arange(islands.count) - first == int(number) - 1
    if not out.any():
        raise QuiltError(
            f"“{text}” names no island.", option, f"There are the objects {', '.join(names[:8])}."
        )
    return out


def controls_from(
    options: argparse.Namespace,
    islands: IslandSet,
    names: list[str],
    surface: Surface | None = None,
) -> Controls:
    """What the options say about single islands; `surface` is there when materials are asked
    for."""
    controls = no_controls(islands.count)
    for key, flag in FLAGS.items():
        option = OPTIONS[key]
        for text in getattr(options, option):
            controls.flags[select(text, islands, names, f"--{option.replace('_', '-')}")] |= flag
    for text in options.send:
        which, _, number = text.rpartition("=")
        if not which or not number.isdigit():
            raise QuiltError(
                f"“{text}” is not NAME=TILE.", "--send", "Give for example crate=1002."
            )
        controls.tile[select(which, islands, names, "--send")] = int(number)
    for k, text in enumerate(options.bundle):
        for part in text.split(","):
            controls.bundle[select(part, islands, names, "--bundle")] = k
    if options.bundle_by:
        by = (
            surface.island_material
            if surface and options.bundle_by == "material"
            else islands.object_index
        )
        free = controls.bundle < 0
        controls.bundle[free] = bundles_of(by[free], len(options.bundle))
    if options.only:
        controls.chosen[:] = False
        for text in options.only:
            controls.chosen[select(text, islands, names, "--only")] = True
    if options.stack is not None:
        for k, candidate in enumerate(
            find_stacks(islands, options.stack, mirrored=not options.no_mirrored_stacks)
        ):
            controls.stack[candidate.islands] = k
    return controls


@dataclass(frozen=True, eq=False)
class Atlas:
    """A name, and the islands (I,) that lie in it."""

    name: str
    islands: NDArray[np.bool_]


def atlases_from(options: argparse.Namespace, islands: IslandSet, names: list[str]) -> list[Atlas]:
    """Atlases of the options, in order; what none of them names is the first one, “main”."""
    out: dict[str, NDArray[np.bool_]] = {}
    taken = np.zeros(islands.count, bool)
    for text in options.atlas:
        name, mark, which = text.partition("=")
        if not (mark and name.strip() and which):
            raise QuiltError(
                f"“{text}” is not NAME=OBJECT.", "--atlas", "Give for example --atlas trim=rail*."
            )
        for part in which.split(","):
            own = select(part, islands, names, "--atlas")
            if (taken & own & ~out.get(name, np.zeros(islands.count, bool))).any():
                raise QuiltError(
                    f"“{part}” lies in another atlas already.", "--atlas", "Name each island once."
                )
            out[name] = out.get(name, np.zeros(islands.count, bool)) | own
            taken |= own
    if not taken.all():
        rest = "main"
        while rest in out:
            rest += "-2"
        out = {rest: ~taken, **out}
    return [Atlas(name, own) for name, own in out.items()]


def part_of_controls(controls: Controls, which: NDArray[np.bool_]) -> Controls:
    """The controls of some islands."""
    c = controls
    return Controls(c.flags[which], c.tile[which], c.bundle[which], c.stack[which], c.chosen[which])


def tiles_from(options: argparse.Namespace) -> tuple[TileSize, ...]:
    """Tiles of the options: --tiles, or one tile 1001 of --size."""
    width, height = options.size
    return tuple(options.tiles) or (TileSize(1001, width, height),)


def tile(text: str) -> TileSize:
    """``1002``, ``1002:1024`` or ``1002:1024x512`` to a tile."""
    number, _, size = text.partition(":")
    try:
        parts = [int(part) for part in (size or "2048").lower().split("x")]
        return TileSize(int(number), parts[0], parts[-1])
    except (ValueError, QuiltError):
        raise argparse.ArgumentTypeError(
            f"“{text}” is no tile; give 1002, 1002:1024 or 1002:1024x512 (px)"
        ) from None


def add_control(parser: Any) -> None:
    """Options of `pack` about tiles and single islands."""
    tiles = parser.add_argument_group("tiles")
    tiles.add_argument(
        "--tiles",
        type=tile,
        nargs="+",
        default=[],
        metavar="TILE",
        help="1001:2048 1002:1024x512 …; without it one tile of --size",
    )
    tiles.add_argument(
        "--frozen",
        type=int,
        nargs="+",
        default=[],
        metavar="NUMBER",
        help="tiles that are not touched",
    )
    each = parser.add_argument_group(
        "single islands", "NAME is an object, a pattern like post*, or one island as post:3"
    )
    for option in OPTIONS.values():
        each.add_argument(
            f"--{option.replace('_', '-')}", action="append", default=[], metavar="NAME"
        )
    each.add_argument(
        "--send", action="append", default=[], metavar="NAME=TILE", help="lie in this tile only"
    )
    each.add_argument(
        "--bundle",
        action="append",
        default=[],
        metavar="NAME,NAME",
        help="stay together as one cluster",
    )
    each.add_argument("--bundle-by", choices=("object", "material"), help="one bundle for each")
    each.add_argument(
        "--only",
        action="append",
        default=[],
        metavar="NAME",
        help="pack these into free space; the others stay",
    )
    each.add_argument(
        "--stack",
        type=float,
        nargs="?",
        const=0.002,
        default=None,
        metavar="TOLERANCE",
        help="islands of one shape share their texels",
    )
    each.add_argument(
        "--atlas",
        action="append",
        default=[],
        metavar="NAME=OBJECT,OBJECT",
        help="an atlas of its own for these, with tiles like the others; what is not named is “main”",
    )
    each.add_argument(
        "--no-mirrored-stacks", action="store_true", help="do not stack mirror images"
    )
