"""``untold-quilt seen``: what nobody sees, and the weights that follow from it."""

from __future__ import annotations

import argparse
import time
from typing import Any

import numpy as np

from quilt_cli.bake_arguments import UPS
from quilt_cli.gather import read_path, say
from quilt_core.bake.seen import Views, freed, look_at, proposals, screen_px
from quilt_core.bake.surface import BakeSurface, surface_of

AWAY = 2.0
"""Distance of views from afar, as a multiple of the set's size."""
LISTED = 40


def seen_command(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Say how much of each island is seen, and propose weights; nothing is changed."""
    scenes = [read_path(path, options.unit) for path in options.files]
    surface = surface_of(scenes)
    kind = "cameras" if options.camera else "band" if options.band else options.views
    views = Views(
        kind, tuple(options.camera), UPS[options.up], options.alone, options.both_sides,
        *(options.band or (0.0, 0.0)),
    )  # fmt: skip
    began = time.monotonic()
    found = look_at(surface, views)
    seconds = time.monotonic() - began
    told = {one.island: one for one in proposals(found)}
    px = screen_px(
        found, _density(surface, options), options.distance or AWAY * surface.size, options.screen
    )
    rows = []
    for k, (name, number) in enumerate(_names(surface)):
        if not found.points[k]:
            continue
        one = told.get(k)
        rows.append({
            "object": name, "island": number, "area_m2": round(float(found.area[k]), 8),
            "share": round(float(found.share[k]), 4), "above": round(float(found.above[k]), 4),
            "often": round(float(found.often[k]), 4), "screen_px_per_texel": round(float(px[k]), 4),
            "weight": one.weight if one else 1.0, "why": one.text if one else "",
        })  # fmt: skip
    part = freed(found, list(told.values()))
    say(f"{int(found.points.sum()):,} points, {seconds:.1f} s")
    json = {"islands": rows, "freed": round(part, 4), "seconds": round(seconds, 3)}
    return {"json": json, "text": _text(rows, part)}, 0


def _density(surface: BakeSurface, options: argparse.Namespace) -> np.ndarray:
    """(I,) px per metre of the layout as it is."""
    width, height = options.size
    known = surface.island >= 0
    count = int(surface.island.max(initial=-1)) + 1
    uv, points = surface.uv[known], surface.points[known]
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    texels = 0.5 * np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) * width * height
    metres = 0.5 * np.linalg.norm(
        np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]), axis=1
    )
    island = surface.island[known]
    sums = [np.bincount(island, np.nan_to_num(v), minlength=count) for v in (texels, metres)]
    return np.sqrt(np.divide(sums[0], sums[1], out=np.zeros(count), where=sums[1] > 0))


def _names(surface: BakeSurface) -> list[tuple[str, int]]:
    """Object and number, from 1, of each island."""
    count = int(surface.island.max(initial=-1)) + 1
    owner = np.zeros(count, np.int64)
    known = surface.island >= 0
    owner[surface.island[known]] = surface.obj[known]
    first = np.searchsorted(owner, owner)
    return [
        (surface.names[k], int(n - f) + 1)
        for n, (k, f) in enumerate(zip(owner, first, strict=True))
    ]


def _text(rows: list[dict[str, Any]], part: float) -> str:
    least = sorted((r for r in rows if r["why"]), key=lambda r: r["share"])
    if not least:
        return f"{len(rows)} islands, all of them are seen"
    lines = [
        f"{len(rows)} islands; {len(least)} of them are little seen, {part:.1%} of the texels could go elsewhere"
    ]
    lines += [
        f"{r['object']} island {r['island']}: {r['why']} Weight {r['weight']:g}? ({r['area_m2']:.4g} m²)"
        for r in least[:LISTED]
    ]
    if len(least) > LISTED:
        lines.append(f"… and {len(least) - LISTED} more")
    return "\n".join(lines)
