"""The proof as a page that stands by itself and prints well, and as plain values for JSON."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from dataclasses import asdict, dataclass, fields
from html import escape
from typing import Any

import numpy as np

from quilt_core.check.check import CheckResult
from quilt_core.check.drawings import density_strip, tile_picture
from quilt_core.check.findings import KINDS, Finding
from quilt_core.check.rules import plain
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.tiles import TileSize

MOST_ROWS = 400
"""Findings that the page lists; the JSON has all of them."""


@dataclass(frozen=True, eq=False)
class Subject:
    """What a proof is about.

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
    settings : dict
        What else the layout was made with, in words.
    """

    title: str
    made: str
    islands: IslandSet
    tiles: Sequence[TileSize]
    names: Sequence[str]
    settings: dict[str, str]


def report_values(subject: Subject, proof: CheckResult, pictures: bool = True) -> dict[str, Any]:
    """The proof as plain values.

    Parameters
    ----------
    subject : Subject
    proof : CheckResult
    pictures : bool
        With PNG pictures of the tiles as data URIs.
    """
    figures = proof.figures
    return {
        "title": subject.title,
        "made": subject.made,
        "ready": proof.ready,
        "against": proof.against,
        "errors": proof.errors,
        "warnings": proof.warnings,
        "totals": proof.totals,
        "coverage": number(figures.coverage, 6),
        "min_gap_px": number(figures.gap.pixels, 6),
        "min_margin_px": number(figures.margin_px, 6),
        "gaps_open_to_mip": proof.open_level,
        "density": clean(proof.density),
        "stretch": {k: number(v, 6) for k, v in proof.stretch.items() if k != "island_l2"},
        "tiles": [
            {
                **asdict(tile),
                "coverage": number(figures.tile_coverage[k], 6),
                "density": number(figures.tile_density[k], 3),
                "islands": int((figures.tile == k).sum()),
                **({"picture": _data_uri(_picture(subject, proof, k))} if pictures else {}),
            }
            for k, tile in enumerate(subject.tiles)
        ],
        "settings": subject.settings,
        "rules": plain(proof.rules),
        "findings": [finding_values(f) for f in proof.findings],
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


def report_page(subject: Subject, proof: CheckResult) -> str:
    """The proof as one HTML page: no script, nothing to load."""
    verdict = "Ready to bake" if proof.ready else "Not ready to bake"
    against = "".join(f"<li>{escape(text)}</li>" for text in proof.against)
    pictures = "".join(_tile_figure(subject, proof, k) for k in range(len(subject.tiles)))
    return f"""<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Report: {escape(subject.title)}</title><style>{STYLE}</style></head>
<body>
<header><p class="kind">Report on a texture layout</p><h1>{escape(subject.title)}</h1><p>{escape(subject.made)}</p></header>
<section class="verdict {"ready" if proof.ready else "not"}"><h2>{verdict}</h2>
{f"<ul>{against}</ul>" if against else "<p>Nothing stands against it.</p>"}
<p>{proof.errors:,} errors, {proof.warnings:,} warnings, {sum(bool(f.ignored) for f in proof.findings):,} ignored with a reason.</p></section>
<section><h2>Figures</h2><table class="figures">{_figures(proof)}</table></section>
<section><h2>Layout</h2><div class="sheets">{pictures}</div></section>
<section><h2>Density</h2>{density_strip(subject.islands, proof.figures, subject.names, proof.rules)}</section>
<section><h2>Findings</h2>{_findings(proof)}</section>
<section><h2>Settings and rules</h2><table class="figures">{_settings(subject, proof)}</table></section>
</body></html>
"""


def _figures(proof: CheckResult) -> str:
    figures, density = proof.figures, proof.density["all"]
    rows = [
        ("Coverage", f"{figures.coverage:.1%}"),
        ("Smallest gap", _px(figures.gap.pixels)),
        ("Smallest distance to an edge", _px(figures.margin_px)),
        (
            "Gaps open down to",
            "–"
            if proof.open_level is None
            else f"mip level {proof.open_level}"
            if proof.open_level >= 0
            else "not even full size",
        ),
    ]
    if density["mean"] is not None:
        spread = f"{density['min']:,.1f} – {density['max']:,.1f} px/m, mean {density['mean']:,.1f} px/m ({density['mean'] / 100:,.2f} px/cm)"
        rows.append(("Density", spread))
    if proof.stretch:
        s = proof.stretch
        rows.append(
            (
                "Stretch (1 = none)",
                f"L2 {s['l2']:.3f}, worst {s['linf']:.3f}, angles {s['angle']:.3f}, areas {s['area']:.3f}",
            )
        )
    return "".join(f"<tr><th>{escape(a)}</th><td>{escape(b)}</td></tr>" for a, b in rows)


def _px(value: float) -> str:
    return f"{value:.2f} px" if np.isfinite(value) else "–"


def _settings(subject: Subject, proof: CheckResult) -> str:
    rules = proof.rules
    house = rules.house_density
    rows = {
        **subject.settings,
        "Wanted gap": f"{rules.padding:g} px"
        + (f", open to mip level {rules.mip_level}" if rules.mip_level else ""),
        "Wanted distance to the edge": f"{rules.margin:g} px",
        "House band": "not judged"
        if house is None
        else f"{house:,.4g} px/m ± {rules.tolerance:.0%}",
        "Stretch": f"L2 up to {rules.stretch:g}, angles up to {rules.angle:g}",
        "Gap between materials": f"{rules.material_gap:g} px"
        if rules.material_gap
        else "not judged",
    }
    changed = [f"{kind}: {severity}" for kind, severity in rules.severity.items()]
    if changed:
        rows["Changed severities"] = ", ".join(changed)
    return "".join(f"<tr><th>{escape(a)}</th><td>{escape(b)}</td></tr>" for a, b in rows.items())


def _findings(proof: CheckResult) -> str:
    if not proof.findings:
        return "<p>Nothing was found.</p>"
    parts: list[str] = []
    shown = 0
    for severity in ("error", "warning", "hint"):
        for kind, about in KINDS.items():
            mine = [f for f in proof.findings if f.kind == kind and f.severity == severity]
            if not mine:
                continue
            room = max(MOST_ROWS - shown, 3)
            shown += min(room, len(mine))
            rows = "".join(
                f"<tr{' class=ignored' if f.ignored else ''}><td>{escape(_place(f))}</td><td>{escape(f.text)}"
                + (f"<br><em>ignored: {escape(f.ignored)}</em>" if f.ignored else "")
                + "</td></tr>"
                for f in mine[:room]
            )
            total = proof.totals.get(kind, 0)
            more = f"<p>… and {total - room:,} more.</p>" if total > room else ""
            parts.append(
                f'<h3 class="{severity}">{escape(about.title)} <span>{severity}, {total:,}</span></h3>'
                f"<p>{escape(about.why)} {escape(about.advice)}</p><table>{rows}</table>{more}"
            )
    return "".join(parts)


def _place(finding: Finding) -> str:
    one = finding.object + (f", island {finding.island}" if finding.island else "")
    two = (
        f" and {finding.other_object}, island {finding.other_island}"
        if finding.other_object
        else ""
    )
    return one + two


def _tile_figure(subject: Subject, proof: CheckResult, k: int) -> str:
    tile, figures = subject.tiles[k], proof.figures
    density = figures.tile_density[k]
    caption = f"Tile {tile.number}, {tile.width} × {tile.height} px, coverage {figures.tile_coverage[k]:.1%}"
    if np.isfinite(density):
        caption += f", {density:,.1f} px/m"
    image = _data_uri(_picture(subject, proof, k))
    return f'<figure><img src="{image}" alt="{escape(caption)}"><figcaption>{escape(caption)}</figcaption></figure>'


def _picture(subject: Subject, proof: CheckResult, k: int) -> bytes:
    return tile_picture(subject.islands, subject.tiles[k], proof)


def _data_uri(png: bytes) -> str:
    return "data:image/png;base64," + base64.b64encode(png).decode()


STYLE = """
:root{--ink:#1f2a44;--paper:#fbf8f1;--line:#d9d2c2;--petrol:#2e5e62;--rose:#a63d4f;--amber:#8a5a00}
body{margin:2.5rem auto;max-width:60rem;padding:0 1.5rem;background:var(--paper);color:var(--ink);
font:15px/1.5 "Atkinson Hyperlegible Next","Atkinson Hyperlegible",Verdana,sans-serif;font-variant-numeric:tabular-nums}
h1,h2{font-family:Fraunces,Georgia,serif;font-weight:600;line-height:1.2;margin:.2rem 0 .4rem}h2{margin-top:1.6rem}
.kind{color:var(--petrol);margin:0}.verdict{border-left:6px solid var(--petrol);padding:.2rem 1rem}.verdict h2{margin-top:0}
.verdict.not{border-color:var(--rose)}.verdict.not h2,h3.error{color:var(--rose)}h3.warning{color:var(--amber)}
h3 span{font-weight:400;font-size:.85em}table{border-collapse:collapse;width:100%}
td,th{text-align:left;vertical-align:top;padding:.25rem .6rem .25rem 0;border-bottom:1px solid var(--line)}
th{font-weight:400;width:16rem}td:first-child{width:20rem}table.figures td{width:auto}
.ignored td{color:#6b6f7c}.sheets{display:flex;flex-wrap:wrap;gap:1rem}figure{margin:0;flex:1 1 22rem;max-width:34rem}
figure img{width:100%;border:1px solid var(--line);background:#fff}svg{max-width:100%;height:auto}
@media print{body{margin:0;background:#fff;max-width:none}h3,figure,tr{break-inside:avoid}h2{break-after:avoid}}
"""
