"""``untold-quilt bake``: a rehearsal of the bake."""

from __future__ import annotations

import argparse
import time
from pathlib import Path
from typing import Any

import numpy as np

from quilt_cli.gather import read_path, say, teller
from quilt_cli.pack_write import write_all
from quilt_core.bake.bake import BakedTile, bake
from quilt_core.bake.difference import Difference, as_colours, difference
from quilt_core.bake.findings import Limits, find_faults
from quilt_core.bake.make_ready import make_ready
from quilt_core.bake.reach import grey_of, painted_reach
from quilt_core.bake.rehearsal import Rehearsal
from quilt_core.bake.report import map_figures, pairs_told
from quilt_core.bake.seams import seam_looks
from quilt_core.bake.settings import BakeSettings
from quilt_core.bake.surface import surface_of
from quilt_core.bake.write import encode_map
from quilt_core.errors import LayoutError
from quilt_core.formats.load import folder_siblings
from quilt_core.formats.merge_settings import check_naming, named
from quilt_core.pictures.decode import encode_png
from quilt_core.prove.report import finding_values
from quilt_core.scene.model import Scene
from quilt_core.scene.tiles import LAST_TILE, TileSize

USUAL_DISTANCE = 0.02
"""Part of the coarse mesh's size that rays look outward and inward."""


def bake_command(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Bake maps of fine meshes onto the layout of coarse ones; exit code 1 when there are errors among the findings."""
    check_naming(options.naming)
    started = time.monotonic()
    low = [read_path(path, options.unit) for path in options.files]
    high = [read_path(path, options.unit) for path in options.high]
    for scene in [*low, *high]:
        for warning in scene.warnings:
            say(f"note: {warning}")
    shell = read_path(options.shell, options.unit) if options.shell else None
    settings = _settings(options, low)
    siblings = [folder_siblings(path.parent) for path in options.high or options.files]
    beside = [folder_siblings(path.parent) for path in options.files]
    case = make_ready(low, high, settings, siblings, shell=shell, low_siblings=beside)
    tiles = _tiles(options, case)
    if options.reach:
        case.reach = painted_reach(_painted(options.reach, tiles))
    phases = {"read": time.monotonic() - started}
    began = time.monotonic()
    baked = list(bake(case, tiles, teller()))
    phases["bake"] = time.monotonic() - began
    began = time.monotonic()
    seams = seam_looks(case, baked)
    findings = find_faults(case, baked, seams, Limits(mip_level=options.mip_level))
    off = [difference(case, one) for one in baked] if options.difference else []
    phases["look"] = time.monotonic() - began
    began = time.monotonic()
    rows = _written(options, case, baked, off)
    phases["write"] = time.monotonic() - began
    json = {
        "pictures": rows,
        "pairs": pairs_told(case),
        "findings": [finding_values(f) for f in findings],
        "seams": [
            {"map": s.name, "islands": list(s.islands), "median": round(s.median, 4), "high": round(s.high, 4), "unit": s.unit,
             "length_m": round(s.length, 6)}
            for s in seams
        ],
        "difference": [
            {"tile": one.tile.number, "median": round(found.median, 3), "at_99": round(found.high, 3), "most": round(found.most, 3), "darkest": found.scale, "unit": "°"}
            for one, found in zip(baked, off, strict=False) if found
        ],
        "distance": {"outward": case.settings.outward, "inward": case.settings.inward},
        "notes": case.notes,
        "seconds": {name: round(value, 3) for name, value in phases.items()},
    }  # fmt: skip
    for note in case.notes:
        say(f"note: {note}")
    bad = any(f.severity == "error" for f in findings)
    return {"json": json, "text": _text(json)}, int(bad)


def _settings(options: argparse.Namespace, low: list[Scene]) -> BakeSettings:
    usual = options.distance
    if usual is None and (options.outward is None or options.inward is None):
        usual = USUAL_DISTANCE * surface_of(low, False).size
    return BakeSettings(
        maps=options.maps,
        outward=usual if options.outward is None else options.outward,
        inward=usual if options.inward is None else options.inward,
        distances={name: (metres, metres) for name, metres in options.distance_of},
        along=options.along,
        match=options.match,
        low_ending=options.low_ending,
        high_ending=options.high_ending,
        apart=not options.together,
        samples=options.samples,
        occlusion_rays=options.rays,
        occlusion_distance=options.occlusion_distance,
        thickness_distance=options.thickness_distance,
        curvature=options.curvature,
        ids=options.ids,
        bits=options.bits,
        green_down=options.green_down,
        smooth=options.smooth,
    )


def _tiles(options: argparse.Namespace, case: Rehearsal) -> list[TileSize]:
    if options.tiles:
        return sorted(options.tiles, key=lambda tile: tile.number)
    width, height = options.size
    middle = np.floor(case.low.uv.mean(axis=1))
    known = np.isfinite(middle).all(axis=1)
    middle = middle[known]
    inside = (middle >= 0).all(axis=1) & (middle[:, 0] < 10)
    numbers = np.unique(1001 + middle[inside, 0] + 10 * middle[inside, 1]).astype(np.int64)
    found = [TileSize(int(n), width, height) for n in numbers if n <= LAST_TILE]
    if not found:
        raise LayoutError(
            "No face lies in a tile.",
            ", ".join(case.low.names[:3]),
            "Flatten and pack the coarse meshes first.",
        )
    return found


def _painted(path: Path, tiles: list[TileSize]) -> dict[int, Any]:
    """Grey pictures of weights by tile."""
    out = {}
    for tile in tiles:
        one = Path(str(path).replace("{tile}", str(tile.number)))
        if not one.is_file():
            if "{tile}" in str(path):
                continue
            raise LayoutError("There is no such picture.", str(one), "Give a file that is there.")
        out[tile.number] = grey_of(one.read_bytes(), one.name)
    if not out:
        raise LayoutError("No tile has a picture of distances.", str(path), "Check its name.")
    return out


def _written(
    options: argparse.Namespace,
    case: Rehearsal,
    baked: list[BakedTile],
    off: list[Difference | None],
) -> list[dict[str, Any]]:
    ready: list[tuple[Path, bytes]] = []
    rows: list[dict[str, Any]] = []
    for one in baked:
        number = one.tile.number if len(baked) > 1 else 0
        for name in case.settings.maps:
            data, ending, bits = encode_map(case, one, name)
            path = options.out / f"{named(options.naming, options.name, name, number)}.{ending}"
            ready.append((path, data))
            rows.append({
                "file": str(path), "map": name, "tile": one.tile.number, "width": one.tile.width,
                "height": one.tile.height, "bits": bits, **map_figures(case, one, name),
            })  # fmt: skip
    for one, found in zip(baked, off, strict=False):
        if found is not None:
            number = one.tile.number if len(baked) > 1 else 0
            path = options.out / f"{named(options.naming, options.name, 'difference', number)}.png"
            ready.append((path, encode_png(as_colours(found))))
    write_all(ready)
    return rows


def _text(json: dict[str, Any]) -> str:
    lines = [
        f"{row['file']}: {row['width']} x {row['height']} px, {row['bits']} bit"
        for row in json["pictures"]
    ]
    lines += [
        f"{f['severity']}: {f['kind']}, {f['object']} island {f['island']}: {f['text']}"
        for f in json["findings"][:40]
    ]
    lines += [
        f"tile {row['tile']}: off by {row['median']} ° in the middle, {row['at_99']} ° at 99 %, {row['most']} ° at most"
        for row in json["difference"]
    ]
    if not json["findings"]:
        lines.append("nothing found to be wrong")
    lines.append("a rehearsal: to look at, not for production")
    return "\n".join(lines)
