"""Options of the command line. Pipelines rely on them: add, never rename."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path

from quilt_cli.bake_arguments import add_bake, add_seen
from quilt_cli.picture_arguments import add_merge, add_pictures
from quilt_cli.run.arguments import add_run
from quilt_cli.selectors import add_control, tile
from quilt_cli.values import density, length, proportion, size, uv_tolerance, wanted_density
from quilt_core.flatten.options import KINDS, FlattenSettings
from quilt_core.formats.channels import ChannelEdit
from quilt_core.pack.options import Option
from quilt_core.pack.problem import RECIPE_OPTIONS
from quilt_core.scene.islands import UV_TOLERANCE

BY_DENSITY = ("fixed_scale", "even")
"""Options that `--density` stands for: a number of px per metre, keep or equal."""


def _add_option(parser: argparse.ArgumentParser, option: Option) -> None:
    """An option of the core as an argument; its bounds are checked where it is used."""
    name = "--" + option.name.replace("_", "-")
    usual = (
        ""
        if option.default is None
        else f" ({option.default:g})"
        if option.kind in ("whole", "number")
        else ""
    )
    said = f"{option.help}{f', {option.unit}' if option.unit else ''}{usual}".replace("%", "%%")
    if option.kind == "flag":
        parser.add_argument(name, action="store_true", help=said)
    elif option.kind == "choice":
        parser.add_argument(name, choices=option.choices, default=option.default, help=said)
    else:
        kind = int if option.kind == "whole" else float
        parser.add_argument(name, type=kind, default=option.default, help=said)


def channel_edit(kind: str) -> Callable[[str], ChannelEdit]:
    """``1=2``, ``1,2``, ``3`` or ``1=Name`` to an edit of that kind."""

    def read(text: str) -> ChannelEdit:
        first, joint, second = text.partition("," if kind == "swap" else "=")
        try:
            if kind == "rename" and joint and second.strip():
                return ChannelEdit(kind, int(first), name=second.strip())
            if kind == "delete" and not joint:
                return ChannelEdit(kind, int(first))
            if kind in ("copy", "move", "swap") and joint:
                return ChannelEdit(kind, int(first), int(second))
        except ValueError:
            pass
        form = {"swap": "1,2", "delete": "3", "rename": "1=Light"}.get(kind, "1=2")
        raise argparse.ArgumentTypeError(f"“{text}” cannot be used; give {form}, channels from 1")

    return read


def _add_channel_edits(parser: argparse.ArgumentParser) -> None:
    """Edits of channels, made in the order in which they are given."""
    for kind, form, said in (
        ("copy", "A=B", "copy channel A to B: a new one, or in place of what is there"),
        ("move", "A=B", "give channel A the number B; those from B on move up"),
        ("swap", "A,B", "exchange two channels"),
        ("delete", "A", "delete channel A; those behind it move down"),
        ("rename", "A=NAME", "name a channel, where the format has names"),
    ):
        parser.add_argument(
            f"--{kind}",
            dest="edits",
            action="append",
            default=[],
            type=channel_edit(kind),
            metavar=form,
            help=said,
        )
    parser.add_argument(
        "--out", type=Path, default=None, help="a folder, or a file when there is one input"
    )


def _add_flatten(parser: argparse.ArgumentParser) -> None:
    usual = FlattenSettings()
    parser.add_argument(
        "--out", type=Path, required=True, help="a folder, or a file when there is one input"
    )
    parser.add_argument(
        "--which",
        choices=("missing", "useless", "all"),
        default="useless",
        help="objects without UVs; those too whose UVs are of no use (all in a point, all on one another); or all",
    )
    parser.add_argument(
        "--only", action="append", default=[], metavar="NAME", help="objects by name or pattern"
    )
    parser.add_argument(
        "--charts",
        choices=KINDS,
        default=usual.charts,
        help="few seams (shape), seams at edges by angle, at hard edges, between materials, between groups of the file, or one piece",
    )
    parser.add_argument(
        "--angle", type=float, default=usual.angle, help="of edges that become seams, degrees (45)"
    )
    parser.add_argument(
        "--stretch", type=float, default=usual.stretch, help="largest L2 stretch of a chart (1.05)"
    )
    parser.add_argument(
        "--balance",
        type=float,
        default=usual.balance,
        help="what charts keep once they are cut: 0 angles, 1 areas (0.5: both alike)",
    )
    parser.add_argument(
        "--symmetric",
        action="store_true",
        help="charts of the two sides of a symmetric object are mirror images",
    )
    parser.add_argument(
        "--seconds",
        type=float,
        default=None,
        help="time for each object to look for fewer seams; without it what its size suggests",
    )
    parser.add_argument(
        "--weld",
        type=float,
        default=usual.weld,
        help="vertices nearer than this part of an object's size count as one, for the layout only (0)",
    )
    parser.add_argument("--seed", type=int, default=usual.seed, help="of the order of tries (0)")
    parser.add_argument("--padding", type=float, default=8.0, help="gap between charts in px (8)")
    parser.add_argument(
        "--margin", type=float, default=4.0, help="gap to the tile's edge in px (4)"
    )
    parser.set_defaults(to_channel=None)


def _add_copy(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--from", dest="source", required=True, metavar="OBJECT", help="whose layout is copied"
    )
    parser.add_argument(
        "--to",
        nargs="+",
        default=[],
        metavar="NAME",
        help="objects by name or pattern; all look-alikes",
    )
    parser.add_argument(
        "--out", type=Path, required=True, help="a folder, or a file when there is one input"
    )
    parser.add_argument(
        "--stack", action="store_true", help="all share the same texels, instead of lying apart"
    )
    parser.add_argument("--padding", type=float, default=8.0, help="gap between islands in px (8)")
    parser.add_argument(
        "--margin", type=float, default=4.0, help="gap to the tile's edge in px (4)"
    )
    parser.set_defaults(to_channel=None)


def build() -> argparse.ArgumentParser:
    """The parser of all commands."""
    parser = argparse.ArgumentParser(
        prog="untold-quilt", description="Even, tight, bake-safe UV layouts."
    )
    commands = parser.add_subparsers(dest="command", required=True)

    inspect = commands.add_parser("inspect", help="what is in the files: islands, density, faults")
    pack = commands.add_parser("pack", help="pack the islands of all files into one shared tile")
    plan = commands.add_parser(
        "plan", help="which tiles reach a density, and what they cost in memory"
    )
    check = commands.add_parser(
        "check", help="find faults of the layout; exit code 1 when there are any errors"
    )

    channels = commands.add_parser(
        "channels", help="list the UV channels; copy, move, swap or delete them on many files"
    )
    _add_channel_edits(channels)

    flatten = commands.add_parser(
        "flatten", help="cut objects without usable UVs into charts, flatten and pack them"
    )
    _add_flatten(flatten)
    copy = commands.add_parser(
        "copy-layout", help="give objects of equal topology the layout of one of them"
    )
    _add_copy(copy)

    merge = commands.add_parser(
        "merge", help="painted files to one shared layout and one set of pictures"
    )
    add_merge(merge)

    sets = commands.add_parser("pictures", help="picture sets: blank, checker, ids, layout, layers")
    add_pictures(sets)

    rehearsal = commands.add_parser(
        "bake",
        help="a rehearsal of the bake: maps of fine meshes on coarse ones, and what is wrong",
    )
    add_bake(rehearsal)
    newer = commands.add_parser(
        "again", help="give newer versions of files the layout of older ones, where it still fits"
    )
    newer.add_argument(
        "--layout",
        nargs="+",
        type=Path,
        required=True,
        metavar="OLD",
        help="the older files, with their layout",
    )
    newer.add_argument(
        "--out", type=Path, required=True, help="a folder, or a file when there is one input"
    )
    newer.add_argument("--channel", type=int, default=1, help="UV channel, from 1")
    add_run(
        commands.add_parser(
            "run", help="bring a run sheet up to date: what is not needed is not done"
        )
    )
    looked = commands.add_parser(
        "seen", help="how much of each island is ever seen, and weights that follow from it"
    )
    add_seen(looked)

    for command in (
        inspect, pack, plan, check, channels, flatten, copy, merge, sets, rehearsal, looked, newer,
    ):  # fmt: skip
        command.add_argument(
            "files", nargs="+", type=Path, metavar="FILE", help=".obj, .gltf or .glb"
        )
        command.add_argument("--json", action="store_true", help="answer as JSON on stdout")
        command.add_argument(
            "--unit",
            type=length,
            default=1.0,
            help="unit of OBJ files: m, cm, mm, in, ft or metres",
        )
    for command in (inspect, pack, plan, check, flatten, copy, sets, looked):
        command.add_argument(
            "--size", type=size, default=(2048, 2048), help="tile in px, 2048 or 2048x1024"
        )
        command.add_argument("--channel", type=int, default=1, help="UV channel, from 1")
        command.add_argument(
            "--proportion",
            type=proportion,
            default=None,
            metavar="W:H",
            help="of the pictures that the UVs were laid out for, e.g. 853:1461; without it that of each object's pictures",
        )
        command.add_argument(
            "--uv-tolerance",
            type=uv_tolerance,
            default=UV_TOLERANCE,
            metavar="T",
            help="largest difference of UVs that are one point, in tiles (0.00001)",
        )

    pack.add_argument(
        "--out", type=Path, required=True, help="a folder, or a file when there is one input"
    )
    pack.add_argument(
        "--to-channel",
        type=int,
        default=None,
        help="write the layout to this UV channel instead, a new one for example; from 1",
    )
    for option in RECIPE_OPTIONS:
        if option.name not in BY_DENSITY:
            _add_option(pack, option)
    pack.add_argument(
        "--density", type=density, default="equal", help="equal, keep, or px per metre"
    )
    pack.add_argument(
        "--sheet", type=Path, default=None, help="layout sheet, .png or .svg; one per tile"
    )
    pack.add_argument(
        "--why",
        action="store_true",
        help="also try what would let the islands be larger (some seconds more)",
    )
    add_control(pack)

    plan.add_argument("--padding", type=float, default=8.0, help="gap between islands in px")
    plan.add_argument(
        "--density", type=wanted_density, default=512.0, help="px per metre to be reached"
    )
    plan.add_argument(
        "--coverage",
        type=float,
        default=None,
        help="share of the tiles that is filled; without it quick packs tell",
    )

    check.add_argument(
        "--tiles",
        type=tile,
        nargs="+",
        default=[],
        metavar="TILE",
        help="1001:2048 1002:1024x512 …",
    )
    check.add_argument(
        "--padding", type=float, default=None, help="wanted gap between islands in px (8)"
    )
    check.add_argument(
        "--margin", type=float, default=None, help="wanted gap to the tile's edge in px (0)"
    )
    check.add_argument(
        "--house-density",
        type=wanted_density,
        default=None,
        help="px per metre; without it not judged",
    )
    check.add_argument(
        "--tolerance",
        type=float,
        default=None,
        help="half-width of the house band as a part of it (0.05)",
    )
    check.add_argument(
        "--rules", type=Path, default=None, help="JSON file of thresholds and severities"
    )
    check.add_argument("--report", type=Path, default=None, help="write the proof, .html or .json")
    return parser
