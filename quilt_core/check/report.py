"""The report as a page that stands by itself and prints well, and as plain values for JSON."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from dataclasses import asdict, dataclass, fields
from functools import cache
from typing import Any

import numpy as np
from jinja2 import Environment, PackageLoader
from markupsafe import Markup

from quilt_core.check.check import CheckResult
from quilt_core.check.drawings import density_strip, tile_image
from quilt_core.check.findings import FINDING_KINDS, Finding
from quilt_core.check.rules import plain
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.lengths import density_words
from quilt_core.scene.tiles import TileSize

MOST_ROWS = 400
"""Findings that the page lists; the JSON has all of them."""


@dataclass(frozen=True, eq=False)
class Subject:
    """What a report is about.

    Parameters
    ----------
    title : str
    made : str
        When, in words.
    islands : IslandSet
        Placed.
    tiles : sequence of TileSize
    names : sequence of str
        Object names.
    colours : sequence of str
        Of each object.
    settings : dict
        What else the layout was made with, in words.
    """

    title: str
    made: str
    islands: IslandSet
    tiles: Sequence[TileSize]
    names: Sequence[str]
    colours: Sequence[str]
    settings: dict[str, str]


def report_values(subject: Subject, checked: CheckResult, images: bool = True) -> dict[str, Any]:
    """The report as plain values.

    Parameters
    ----------
    subject : Subject
    checked : CheckResult
    images : bool
        With PNG images of the tiles as data URIs.
    """
    figures = checked.figures
    return {
        "title": subject.title,
        "made": subject.made,
        "ready": checked.ready,
        "against": checked.against,
        "errors": checked.errors,
        "warnings": checked.warnings,
        "totals": checked.totals,
        "coverage": number(figures.coverage, 6),
        "min_gap_px": number(figures.gap.pixels, 6),
        "min_margin_px": number(figures.margin_px, 6),
        "gaps_open_to_mip": checked.open_level,
        "density": clean(checked.density),
        "stretch": {k: number(v, 6) for k, v in checked.stretch.items() if k != "island_l2"},
        "tiles": [
            {
                **asdict(tile),
                "coverage": number(figures.tile_coverage[k], 6),
                "density": number(figures.tile_density[k], 3),
                "islands": int((figures.tile == k).sum()),
                **({"image": _data_uri(_image(subject, checked, k))} if images else {}),
            }
            for k, tile in enumerate(subject.tiles)
        ],
        "settings": subject.settings,
        "rules": plain(checked.rules),
        "findings": [finding_values(f) for f in checked.findings],
    }


SHOWN = tuple(field.name for field in fields(Finding) if field.name != "known_as")


def finding_values(finding: Finding) -> dict[str, Any]:
    """A finding as plain values, with its key."""
    values = {name: getattr(finding, name) for name in SHOWN}
    return {**values, "amount": number(finding.amount, 6), "key": finding.key}


def number(value: float, digits: int) -> float | None:
    """A number for JSON; None where there is none."""
    return round(float(value), digits) if np.isfinite(value) else None


def clean(value: Any) -> Any:
    """Plain values without NaN."""
    if isinstance(value, dict):
        return {k: clean(v) for k, v in value.items()}
    if isinstance(value, list):
        return [clean(v) for v in value]
    return number(value, 6) if isinstance(value, float) else value


def report_page(subject: Subject, checked: CheckResult) -> str:
    """The report as one HTML page: no script, nothing to load."""
    tiles = [
        (_data_uri(_image(subject, checked, k)), _caption(subject, checked, k))
        for k in range(len(subject.tiles))
    ]
    strip = density_strip(
        subject.islands, checked.figures, subject.names, subject.colours, checked.rules
    )
    return str(
        pages().get_template("report.html").render(
            title=subject.title, made=subject.made, ready=checked.ready, against=checked.against,
            errors=checked.errors, warnings=checked.warnings,
            ignored=sum(bool(f.ignored) for f in checked.findings), figures=_figures(checked), tiles=tiles,
            density_strip=Markup(strip), findings=_findings(checked), place=_place, settings=_settings(subject, checked),
        )
    )  # fmt: skip


@cache
def pages() -> Environment:
    """Templates of pages."""
    return Environment(loader=PackageLoader("quilt_core.check"), autoescape=True)


def _figures(checked: CheckResult) -> list[tuple[str, str]]:
    figures, density = checked.figures, checked.density["all"]
    rows = [
        ("Coverage", f"{figures.coverage:.1%}"),
        ("Smallest gap", _px(figures.gap.pixels)),
        ("Smallest distance to an edge", _px(figures.margin_px)),
        (
            "Gaps open down to",
            "–"
            if checked.open_level is None
            else f"mip level {checked.open_level}"
            if checked.open_level >= 0
            else "not even full size",
        ),
    ]
    if density["mean"] is not None:
        unit = checked.rules.density_unit
        least, most, mean = (density_words(density[k], unit) for k in ("min", "max", "mean"))
        spread = f"{least} – {most}, mean {mean}"
        rows.append(("Density", spread))
    if checked.stretch:
        s = checked.stretch
        rows.append(
            (
                "Stretch (1 = none)",
                f"L2 {s['l2']:.3f}, worst {s['linf']:.3f}, angles {s['angle']:.3f}, areas {s['area']:.3f}",
            )
        )
    return rows


def _px(value: float) -> str:
    return f"{value:.2f} px" if np.isfinite(value) else "–"


def _settings(subject: Subject, checked: CheckResult) -> list[tuple[str, str]]:
    rules = checked.rules
    unit = rules.density_unit
    house, (low, high) = rules.house_density, rules.band or (0.0, 0.0)
    rows = {
        **subject.settings,
        "Wanted gap": f"{rules.padding:g} px"
        + (f", open to mip level {rules.mip_level}" if rules.mip_level else ""),
        "Wanted distance to the edge": f"{rules.margin:g} px",
        "House band": "not judged"
        if rules.band is None
        else f"{density_words(low, unit)} to {density_words(high, unit)}"
        + (f", around {density_words(house, unit)}" if house is not None else ""),
        "Stretch": f"L2 up to {rules.stretch:g}, angles up to {rules.angle:g}",
        "Gap between materials": f"{rules.material_gap:g} px"
        if rules.material_gap
        else "not judged",
    }
    changed = [f"{kind}: {severity}" for kind, severity in rules.severity.items()]
    if changed:
        rows["Changed severities"] = ", ".join(changed)
    return list(rows.items())


def _findings(checked: CheckResult) -> list[dict[str, Any]]:
    """Of each kind that was found: what it is, the rows that are listed, and how many more there are."""
    parts: list[dict[str, Any]] = []
    shown = 0
    for severity in ("error", "warning", "hint"):
        for kind, about in FINDING_KINDS.items():
            mine = [f for f in checked.findings if f.kind == kind and f.severity == severity]
            if not mine:
                continue
            room = max(MOST_ROWS - shown, 3)
            shown += min(room, len(mine))
            total = checked.totals.get(kind, 0)
            parts.append(
                {"severity": severity, "about": about, "rows": mine[:room], "total": total, "more": max(total - room, 0)}
            )  # fmt: skip
    return parts


def _place(finding: Finding) -> str:
    one = finding.object + (f", island {finding.island}" if finding.island else "")
    two = (
        f" and {finding.other_object}, island {finding.other_island}"
        if finding.other_object
        else ""
    )
    return one + two


def _caption(subject: Subject, checked: CheckResult, k: int) -> str:
    tile, figures = subject.tiles[k], checked.figures
    density = figures.tile_density[k]
    caption = f"Tile {tile.number}, {tile.width} × {tile.height} px, coverage {figures.tile_coverage[k]:.1%}"
    if np.isfinite(density):
        caption += f", {density_words(density, checked.rules.density_unit)}"
    return caption


def _image(subject: Subject, checked: CheckResult, k: int) -> bytes:
    return tile_image(subject.islands, subject.colours, subject.tiles[k], checked)


def _data_uri(png: bytes) -> str:
    return "data:image/png;base64," + base64.b64encode(png).decode()
