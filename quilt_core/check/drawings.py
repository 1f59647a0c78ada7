"""Images of a report: the tiles with what was found, and the density strip."""

from __future__ import annotations

import io
from collections.abc import Sequence
from html import escape

import numpy as np
from PIL import Image, ImageColor, ImageDraw

from quilt_core.check.check import CheckResult
from quilt_core.check.rules import Rules
from quilt_core.measure.figures import Figures
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.lengths import DENSITY_UNITS
from quilt_core.scene.tiles import TileSize
from quilt_core.scene.types import FloatArray

LONGER_EDGE = 1024
MOST_TRIANGLES = 200_000
"""With more triangles only the outlines are drawn."""
MOST_MARKS = 300
INK, ROSE, AMBER = "#1f2a44", "#a63d4f", "#8a5a00"
ROW, WIDTH, LABEL = 20, 940, 220
MOST_DOTS = 300


def tile_image(
    islands: IslandSet, colours: Sequence[str], tile: TileSize, checked: CheckResult
) -> bytes:
    """PNG of a tile: islands in their object's colour, a ring around each spot of an error or
    warning.

    Parameters
    ----------
    islands : IslandSet
        Placed.
    tile : TileSize
    report : CheckResult
    """
    factor = min(1.0, LONGER_EDGE / max(tile.width, tile.height))
    size = max(1, round(tile.width * factor)), max(1, round(tile.height * factor))
    image = Image.new("RGB", size, "#ffffff")
    draw = ImageDraw.Draw(image)
    box = islands.bounds() - np.tile(np.array(tile.corner, np.float64), 2)
    shown = np.asarray((box[:, :2] < 1).all(axis=1) & (box[:, 2:] > 0).all(axis=1))

    def pixels(points: FloatArray) -> FloatArray:
        local = (points - tile.corner) * np.array([1.0, -1.0]) + np.array([0.0, 1.0])
        return np.asarray(local * np.array(size, np.float64))

    triangles = shown[islands.triangle_island]
    if triangles.sum() <= MOST_TRIANGLES:
        fills = [ImageColor.getrgb(c) for c in colours]
        owner = islands.object_index[islands.triangle_island[triangles]]
        for corners, which in zip(pixels(islands.triangles[triangles]), owner, strict=True):
            draw.polygon([tuple(p) for p in corners], fill=fills[which])
    for a, b in pixels(islands.edges[shown[islands.edge_island]]):
        draw.line([tuple(a), tuple(b)], fill=INK)
    marks = [
        (f.severity, spot)
        for f in checked.findings
        if not f.ignored and f.severity != "hint"
        for spot in f.spots
    ]
    for severity, spot in marks[:MOST_MARKS][::-1]:
        x, y = pixels(np.array(spot))
        if np.isfinite([x, y]).all() and 0 <= x <= size[0] and 0 <= y <= size[1]:
            draw.ellipse(
                (x - 7, y - 7, x + 7, y + 7),
                outline=ROSE if severity == "error" else AMBER,
                width=2,
            )
    out = io.BytesIO()
    image.save(out, "PNG", optimize=True)
    return out.getvalue()


def density_strip(
    islands: IslandSet, figures: Figures, names: Sequence[str], colours: Sequence[str], rules: Rules
) -> str:
    """SVG: a row per object with its islands as dots on one log scale, and the house band through
    all rows.

    Parameters
    ----------
    islands : IslandSet
    figures : Figures
    names : sequence of str
    rules : Rules
    """
    density = figures.density
    known = np.isfinite(density)
    if not known.any():
        return "<p>No island has a density.</p>"
    band = [end for end in rules.band or () if 0 < end < np.inf]
    ends = [
        density[known].min(),
        density[known].max(),
        *(end * step for end in band for step in (0.8, 1.25)),
    ]
    low, high = np.log(min(ends) / 1.1), np.log(max(ends) * 1.1)

    def x(value: float) -> float:
        return float(LABEL + (np.log(value) - low) / (high - low) * (WIDTH - LABEL - 10))

    height = ROW * len(names) + 26
    parts = [
        f'<svg viewBox="0 0 {WIDTH} {height}" font-size="12" role="img" aria-label="Density of every island">'
    ]
    if rules.band:
        least, most = np.clip(rules.band, np.exp(low), np.exp(high))
        left, right = x(least), x(most)
        parts.append(
            f'<rect x="{left:.1f}" y="0" width="{max(right - left, 1):.1f}" height="{height - 20}" fill="#e8c27a" opacity=".55"/>'
        )
    largest = float(np.sqrt(np.nanmax(islands.world_area)))
    for row, name in enumerate(names):
        y = ROW * row + 12
        parts.append(f'<text x="0" y="{y + 4}" fill="{INK}">{escape(name[:34])}</text>')
        mine = np.flatnonzero(known & (islands.object_index == row))
        if len(mine) > MOST_DOTS:
            mine = mine[np.linspace(0, len(mine) - 1, MOST_DOTS).astype(int)]
        for i in mine:
            r = 1.5 + 4.5 * float(np.sqrt(islands.world_area[i])) / largest
            parts.append(
                f'<circle cx="{x(density[i]):.1f}" cy="{y}" r="{r:.1f}" fill="{colours[row]}" stroke="{INK}" stroke-width=".5"/>'
            )
    factor = DENSITY_UNITS[rules.density_unit]
    for value in _ticks(float(np.exp(low)) * factor, float(np.exp(high)) * factor):
        parts.append(
            f'<text x="{x(value / factor):.1f}" y="{height - 4}" text-anchor="middle" fill="{INK}">{value:,.6g}</text>'
        )
    parts.append(f'<text x="0" y="{height - 4}" fill="{INK}">{rules.density_unit}</text></svg>')
    return "".join(parts)


def _ticks(low: float, high: float) -> list[float]:
    """1, 2 and 5 times powers of ten between two values; every one where there are few."""
    powers = range(int(np.floor(np.log10(low))), int(np.ceil(np.log10(high))) + 1)
    found = [m * 10.0**p for p in powers for m in (1, 2, 5) if low <= m * 10.0**p <= high]
    return found if len(found) <= 10 else [v for v in found if np.isclose(np.log10(v) % 1, 0)]
