"""Options of the commands that make pictures."""

from __future__ import annotations

import argparse
from pathlib import Path

from quilt_cli.selectors import tile
from quilt_cli.values import density, size
from quilt_core.pack.problem import EFFORTS


def add_merge(parser: argparse.ArgumentParser) -> None:
    """Options of ``merge``."""
    parser.add_argument(
        "--out", type=Path, required=True, help="a folder, or a file when there is one input"
    )
    parser.add_argument(
        "--size", type=size, default=(2048, 2048), help="pictures in px, 2048 or 2048x1024"
    )
    parser.add_argument(
        "--tiles", type=int, choices=range(1, 101), default=1, metavar="COUNT",
        help="UDIM tiles of that size, each with its set of pictures (1); unused ones are left out",
    )  # fmt: skip
    parser.add_argument("--padding", type=float, default=8.0, help="gap between islands in px (8)")
    parser.add_argument("--margin", type=float, default=4.0, help="gap to the edge in px (4)")
    parser.add_argument(
        "--density",
        type=density,
        default="keep",
        help="keep (each island its painted texels, all smaller where they must), equal (by size in the world), or px per metre",
    )
    parser.add_argument(
        "--roles", action="append", default=[], metavar="ROLE=PX",
        help="another width for one role, e.g. normal=4096",
    )  # fmt: skip
    parser.add_argument(
        "--keep-channel", action="store_true", help="the shared layout goes to a free UV channel"
    )
    parser.add_argument("--name", default="atlas", help="of materials and pictures (atlas)")
    parser.add_argument(
        "--embed", action="store_true", help="pictures inside the files, not beside them"
    )
    parser.add_argument(
        "--filter", choices=("bilinear", "mitchell", "lanczos"), default="bilinear",
        help="for what grows; what shrinks is averaged",
    )  # fmt: skip
    parser.add_argument("--effort", choices=EFFORTS, default="standard", help="of the packing")
    parser.add_argument("--seed", type=int, default=1, help="other seeds, other layouts (1)")
    parser.add_argument("--preview", action="store_true", help="pictures of 512 px, for a look")
    parser.add_argument(
        "--naming", default="{name}_{role}", metavar="PATTERN",
        help="names of pictures, with {name}, {role} and {tile} ({name}_{role})",
    )  # fmt: skip
    parser.add_argument(
        "--format", choices=("png", "jpeg", "webp"), default="png",
        help="of colours and emission; all else is PNG (png)",
    )  # fmt: skip
    parser.add_argument(
        "--bits", type=int, choices=(8, 16), default=0,
        help="for each channel; without it as many as the old pictures have",
    )  # fmt: skip
    parser.add_argument(
        "--profile", metavar="FILE",
        help="further pictures as an engine wants them: a TOML file, or one of packed, packed green down, separate, smooth in alpha",
    )  # fmt: skip
    parser.add_argument(
        "--most-repeats", type=float, default=None, metavar="TIMES",
        help="objects that cover their pictures more often stay out; without it all repeats are laid out",
    )  # fmt: skip
    parser.add_argument(
        "--joint", metavar="NAME", default=None, help="all files in one GLB of this name, too"
    )


def add_pictures(parser: argparse.ArgumentParser) -> None:
    """Options of ``pictures``."""
    parser.add_argument(
        "--kind", nargs="+", choices=("blank", "checker", "id", "layout", "layers"),
        default=["layout"], help="what is drawn; layers are one OpenRaster file a tile",
    )  # fmt: skip
    parser.add_argument("--out", type=Path, required=True, help="a folder")
    parser.add_argument("--name", default="set", help="what names of pictures begin with (set)")
    parser.add_argument(
        "--naming", default="{name}_{role}", metavar="PATTERN",
        help="names of pictures, with {name}, {role} and {tile} ({name}_{role})",
    )  # fmt: skip
    parser.add_argument(
        "--tiles", type=tile, nargs="+", default=[], metavar="TILE",
        help="1001:2048 1002:1024x512 …; without it all that islands lie in, at --size",
    )  # fmt: skip
    parser.add_argument(
        "--numbered", action="store_true", help="the tile's number in the name of a single one, too"
    )
    parser.add_argument("--by", choices=("object", "island", "material"), default="object",
        help="what ids and layers tell apart",
    )  # fmt: skip
    parser.add_argument("--colour", default="#808080", help="of blank pictures (#808080)")
    parser.add_argument(
        "--channels", choices=("grey", "rgb", "rgba"), default="rgb", help="of blank pictures"
    )
    parser.add_argument(
        "--bits", type=int, choices=(8, 16), default=8, help="of blank pictures (8)"
    )
    parser.add_argument(
        "--padding",
        type=float,
        default=8.0,
        help="gap between islands in px; ids are spread over half of it (8)",
    )
    parser.add_argument(
        "--background", metavar="PATTERN",
        help="picture below the layers, with {tile} in its name where there are several",
    )  # fmt: skip
