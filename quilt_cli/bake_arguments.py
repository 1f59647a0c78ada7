"""Options of ``bake`` and ``seen``."""

from __future__ import annotations

import argparse
from pathlib import Path

from quilt_cli.selectors import tile
from quilt_cli.values import size
from quilt_core.bake.settings import BITS, IDS, MAPS, MATCHES, RAYS_ALONG, SAMPLES

UPS = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
"""Directions that point up, by the name of the axis."""


def maps(text: str) -> tuple[str, ...]:
    """``normal,occlusion`` to names of maps."""
    found = tuple(dict.fromkeys(word.strip() for word in text.split(",") if word.strip()))
    unknown = [word for word in found if word not in MAPS]
    if unknown or not found:
        raise argparse.ArgumentTypeError(f"“{text}” cannot be used; give some of {', '.join(MAPS)}")
    return found


def distance_of(text: str) -> tuple[str, float]:
    """``NAME=0.05`` to an object's name and metres."""
    name, joint, value = text.rpartition("=")
    try:
        metres = float(value)
    except ValueError:
        metres = -1.0
    if not joint or not 0 < metres < 1e9:
        raise argparse.ArgumentTypeError(f"“{text}” cannot be used; give NAME=0.05 (metres)")
    return name, metres


def add_bake(parser: argparse.ArgumentParser) -> None:
    """Options of ``bake``."""
    parser.add_argument(
        "--high", nargs="+", type=Path, default=[], metavar="FILE",
        help="files with the fine meshes; without it objects named so in the same files, else the mesh itself",
    )  # fmt: skip
    parser.add_argument("--out", type=Path, required=True, help="a folder")
    parser.add_argument(
        "--maps", type=maps, default=("normal",), metavar="A,B",
        help=f"some of {', '.join(MAPS)} (normal)",
    )  # fmt: skip
    parser.add_argument(
        "--size", type=size, default=(2048, 2048), help="tile in px, 2048 or 2048x1024"
    )
    parser.add_argument(
        "--tiles", type=tile, nargs="+", default=[], metavar="TILE",
        help="1001:2048 1002:1024x512 …; without it all that islands lie in, at --size",
    )  # fmt: skip
    parser.add_argument(
        "--distance", type=float, default=None,
        help="how far rays look outward and inward, metres (2 %% of the mesh's size)",
    )  # fmt: skip
    parser.add_argument("--outward", type=float, default=None, help="outward only, metres")
    parser.add_argument("--inward", type=float, default=None, help="inward only, metres")
    parser.add_argument(
        "--distance-of", action="append", type=distance_of, default=[], metavar="NAME=METRES",
        help="another distance for one object",
    )  # fmt: skip
    parser.add_argument(
        "--reach", type=Path, default=None, metavar="PICTURE",
        help="painted distances: a grey picture on the coarse layout, white for the whole distance, black for none; "
        "{tile} in its name stands for the number of the tile",
    )  # fmt: skip
    parser.add_argument(
        "--difference", action="store_true",
        help="a picture of the angles between the normal map and the fine mesh, too",
    )  # fmt: skip
    parser.add_argument(
        "--along", choices=RAYS_ALONG, default="smooth",
        help="rays along smooth normals, normals of the faces, or from a --shell",
    )  # fmt: skip
    parser.add_argument("--shell", type=Path, default=None, help="the coarse mesh once more, grown")
    parser.add_argument(
        "--match", choices=MATCHES, default="names",
        help="pairs by their names, or everything with everything",
    )  # fmt: skip
    parser.add_argument("--low-ending", default="_low", help="of names of coarse objects (_low)")
    parser.add_argument("--high-ending", default="_high", help="of names of fine objects (_high)")
    parser.add_argument(
        "--together", action="store_true", help="pairs see one another, also in occlusion"
    )
    parser.add_argument("--samples", type=int, choices=SAMPLES, default=1, help="of each texel (1)")
    parser.add_argument("--rays", type=int, default=64, help="of occlusion and thickness (64)")
    parser.add_argument(
        "--occlusion-distance", type=float, default=0.0,
        help="what is farther away hides nothing, metres; 0 for no limit (0)",
    )  # fmt: skip
    parser.add_argument(
        "--thickness-distance", type=float, default=0.0,
        help="way through the solid that is white, metres (half of the mesh's size)",
    )  # fmt: skip
    parser.add_argument(
        "--curvature", type=float, default=0.0, metavar="RADIUS",
        help="radius that is black or white, metres (the one that clips 2 %% of the surface)",
    )  # fmt: skip
    parser.add_argument("--ids", choices=IDS, default="material", help="what ids tell apart")
    parser.add_argument("--bits", type=int, choices=BITS, default=8, help="32 is OpenEXR (8)")
    parser.add_argument(
        "--smooth", type=float, default=45.0, metavar="DEGREES",
        help="fine meshes without normals are smooth over edges that are bent by less (45); 0 for none",
    )  # fmt: skip
    parser.add_argument("--green-down", action="store_true", help="of tangent normals")
    parser.add_argument("--name", default="rehearsal", help="of the pictures (rehearsal)")
    parser.add_argument(
        "--naming", default="{name}_{role}", metavar="PATTERN",
        help="names of pictures, with {name}, {role} and {tile} ({name}_{role})",
    )  # fmt: skip
    parser.add_argument(
        "--mip-level", type=int, default=2, help="texels must not mix down to this level (2)"
    )


def add_seen(parser: argparse.ArgumentParser) -> None:
    """Options of ``seen``."""
    parser.add_argument(
        "--from", dest="views", choices=("around", "above"), default="around",
        help="all directions, or those over the horizon (around)",
    )  # fmt: skip
    parser.add_argument(
        "--camera", action="append", type=place, default=[], metavar="X,Y,Z",
        help="places in the world, metres, instead of all directions",
    )  # fmt: skip
    parser.add_argument(
        "--band", type=float, nargs=2, default=None, metavar=("NEAR", "FAR"),
        help="from so many metres away of each spot, all around it: from within rooms, too",
    )  # fmt: skip
    parser.add_argument("--alone", action="store_true", help="each object without the others")
    parser.add_argument("--both-sides", action="store_true", help="faces are seen from behind, too")
    parser.add_argument("--up", choices=tuple(UPS), default="y", help="axis that points up (y)")
    parser.add_argument(
        "--distance", type=float, default=None,
        help="of views from afar, metres, for texels on screen (twice the set's size)",
    )  # fmt: skip
    parser.add_argument(
        "--screen", type=int, default=1080, help="height of the screen, px (1080), at 50 degrees"
    )


def place(text: str) -> tuple[float, float, float]:
    """``1,2,0.5`` to a place."""
    try:
        x, y, z = (float(part) for part in text.split(","))
    except ValueError:
        raise argparse.ArgumentTypeError(f"“{text}” is no place; give 1,2,0.5 (metres)") from None
    return x, y, z
