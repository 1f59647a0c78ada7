"""``untold-quilt check``."""

from __future__ import annotations

import argparse
import json
from dataclasses import asdict, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from quilt_cli.gather import Gathered, gather
from quilt_cli.selectors import tiles_from
from quilt_core.errors import QuiltError
from quilt_core.prove import Finding, Proof, Rules, prove, read_rules
from quilt_core.prove.report import Subject, finding_values, number, report_page, report_values
from quilt_core.scene.placement import identity


def check(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Findings with object, island, kind and amount; exit code 1 when one is an error."""
    rules = rules_from(options)
    if options.report and options.report.suffix.lower() not in (".html", ".json"):
        raise QuiltError(
            f"“{options.report.name}” is no report.",
            "--report",
            "Give a name that ends in .html or .json.",
        )
    gathered = gather(options, surfaces=True)
    width, height = options.size
    tiles = tiles_from(options)
    proof = prove(
        gathered.islands,
        gathered.surface,
        identity(gathered.islands.count),
        tiles,
        gathered.names,
        rules,
    )
    if options.report:
        _write_report(options.report, gathered, proof, options)
    figures = proof.figures
    answer = {
        "size": [width, height],
        "tiles": [asdict(tile) for tile in tiles],
        "padding": rules.padding,
        "ok": proof.ready,
        "errors": proof.errors,
        "warnings": proof.warnings,
        "totals": proof.totals,
        "min_gap_px": number(figures.gap.pixels, 6),
        "min_margin_px": number(figures.margin_px, 6),
        "gaps_open_to_mip": proof.open_level,
        "coverage": number(figures.coverage, 6),
        "stretch": {k: number(v, 6) for k, v in proof.stretch.items() if k != "island_l2"},
        "findings": [finding_values(finding) for finding in proof.findings],
    }
    lines = [_line(finding) for finding in proof.findings]
    hidden = sum(proof.totals.values()) - sum(not f.ignored for f in proof.findings)
    if hidden:
        lines.append(f"and {hidden:,} more of the same kinds")
    lines.append(
        "ready to bake"
        if proof.ready
        else f"{proof.errors} errors, {proof.warnings} warnings: {'; '.join(proof.against)}"
    )
    return {"json": answer, "text": "\n".join(lines)}, 0 if proof.ready else 1


def rules_from(options: argparse.Namespace) -> Rules:
    """Rules of the file, and what the options say instead."""
    rules = Rules()
    if options.rules:
        try:
            text = options.rules.read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise QuiltError(
                f"It cannot be read ({error}).", str(options.rules), "Check the path."
            ) from None
        rules = read_rules(text, options.rules.name)
    given = {
        "padding": options.padding,
        "margin": options.margin,
        "house_density": options.house_density,
        "tolerance": options.tolerance,
    }
    return replace(rules, **{name: value for name, value in given.items() if value is not None})


def _line(finding: Finding) -> str:
    place = f"{finding.object}{f' island {finding.island}' if finding.island else ''}"
    if finding.other_object:
        place += f" with {finding.other_object} island {finding.other_island}"
    ignored = f" (ignored: {finding.ignored})" if finding.ignored else ""
    return f"{finding.severity:7} {finding.kind:18} {place}: {finding.text}{ignored}"


def _write_report(
    path: Path, gathered: Gathered, proof: Proof, options: argparse.Namespace
) -> None:
    subject = Subject(
        ", ".join(file.name for file in gathered.paths),
        datetime.now().strftime("%Y-%m-%d %H:%M"),
        gathered.islands,
        tiles_from(options),
        gathered.names,
        {
            "Files": ", ".join(str(file) for file in gathered.paths),
            "UV channel": str(options.channel),
        },
    )
    if path.suffix.lower() == ".json":
        text = json.dumps(
            report_values(subject, proof), indent=1, ensure_ascii=False, allow_nan=False
        )
    else:
        text = report_page(subject, proof)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, encoding="utf-8")
