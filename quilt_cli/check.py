"""``untold-quilt check``."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from typing import Any

from quilt_cli.gather import gather
from quilt_cli.inspect import finite
from quilt_cli.selectors import tiles_from
from quilt_core.measure import find_faults, measure_tiles
from quilt_core.scene.placement import identity


def check(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Findings with object, island, kind and amount; exit code 1 when one is an error."""
    gathered = gather(options.files, options.channel, options.unit)
    width, height = options.size
    tiles = tiles_from(options)
    figures = measure_tiles(gathered.islands, identity(gathered.islands.count), tiles, options.padding)
    findings = find_faults(gathered.islands, figures, gathered.names, options.padding, options.margin)
    errors = sum(finding.severity == "error" for finding in findings)
    answer = {
        "size": [width, height],
        "tiles": [asdict(tile) for tile in tiles],
        "padding": options.padding,
        "ok": errors == 0,
        "errors": errors,
        "warnings": len(findings) - errors,
        "min_gap_px": finite(figures.gap.pixels, 6),
        "min_margin_px": finite(figures.margin_px, 6),
        "coverage": finite(figures.coverage, 6),
        "findings": [asdict(finding) for finding in findings],
    }
    lines = [
        f"{f.severity:7} {f.kind:11} {f.object}{f' island {f.island}' if f.island else ''}"
        + (f" with {f.other_object} island {f.other_island}" if f.other_object else "")
        + f": {f.amount:g} {f.unit}"
        for f in findings
    ]
    lines.append("ready to bake" if not errors else f"{errors} errors, {len(findings) - errors} warnings")
    return {"json": answer, "text": "\n".join(lines)}, 1 if errors else 0
