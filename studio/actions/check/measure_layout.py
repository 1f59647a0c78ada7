"""Measure a revision and keep the figures with it."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any

import numpy as np
from django.db import transaction

from quilt_core.measure.density import flat_faces
from quilt_core.scene import Surface
from quilt_core.scene.flags import COLLAPSED, MIRRORED, OUTSIDE, OVERLAPPING, SIDE_TABLE
from studio.actions.check.examine import checked_values, examine
from studio.actions.check.rules import digest_of, is_checked, rules_of
from studio.actions.history.change import keep_measurement
from studio.arrays import Layout, load_layout
from studio.models import Measurement, Revision

if TYPE_CHECKING:
    from quilt_core.measure import Figures


def number(value: float, digits: int = 6) -> float | None:
    """A number for JSON; None where there is none."""
    return round(float(value), digits) if np.isfinite(value) else None


def figures_of(layout: Layout, f: Figures, surface: Surface) -> dict[str, Any]:
    """All figures of a layout, for JSON."""
    tiles = layout.tiles
    overlapping = np.zeros(layout.islands.count, bool)
    # An island that only folds over itself is a finding of its own, no overlap.
    between = f.overlaps.pairs[:, 0] != f.overlaps.pairs[:, 1]
    overlapping[f.overlaps.pairs[between]] = True
    flags = (
        MIRRORED * f.mirrored + OVERLAPPING * overlapping + OUTSIDE * (f.outside & ~layout.unplaced)
        + COLLAPSED * f.collapsed + SIDE_TABLE * layout.unplaced
    )  # fmt: skip
    known = f.density[~f.collapsed]
    return {
        "density": {
            "min": number(known.min(), 3) if len(known) else None,
            "max": number(known.max(), 3) if len(known) else None,
            "mean": number(f.density_all, 3),
        },
        "coverage": number(f.coverage),
        "tiles": [
            {
                "number": tile.number,
                "coverage": number(f.tile_coverage[k]),
                "density": number(f.tile_density[k], 3),
                "islands": int((f.tile == k).sum()),
            }
            for k, tile in enumerate(tiles)
        ],
        "overlapping": int(overlapping.sum()),
        "overlap_pairs": int(between.sum()),
        "overlap_texels": number(float(f.overlaps.texels[between].sum()), 3),
        "gap_px": number(f.gap.pixels),
        "gap_islands": list(f.gap.islands),
        "margin_px": number(f.margin_px),
        "outside": int((f.outside & ~layout.unplaced).sum()),
        "side_table": int(layout.unplaced.sum()),
        "mirrored": int(f.mirrored.sum()),
        "collapsed": int(f.collapsed.sum()),
        "flat_faces": flat_faces(layout.islands.triangles, surface.points, surface.triangle_face),
        "unflattened": sum(faces > 0 for faces in layout.islands.unflattened),
        "island_density": [number(d, 3) for d in f.density],
        "island_flags": [int(flag) for flag in flags],
    }


def measure_revision(revision: Revision) -> dict[str, Any]:
    """Figures of a revision and its report by the rules of the day, from one measurement; kept with
    it."""
    if is_checked(revision):
        return dict(revision.figures or {})
    started = time.monotonic()
    rules = rules_of(revision)
    layout = load_layout(revision)
    checked, surface = examine(layout, rules)
    figures, digest = figures_of(layout, checked.figures, surface), digest_of(revision, rules)
    found = checked_values(checked, surface) | {"seconds": round(time.monotonic() - started, 3)}
    revision.summary = {
        "coverage": figures["coverage"],
        "density": figures["density"]["mean"],
        "left_over": figures["side_table"],
        "ready": checked.ready,
    }
    with transaction.atomic():
        rows = Revision.objects.select_related("atlas__project__head", "keyframe")
        now = rows.select_for_update(of=("self",)).get(pk=revision.pk)
        # The rules may have been changed meanwhile, and another worker, which began later, have found what holds by them.
        if digest == digest_of(now, rules_of(now)) or not is_checked(now):
            revision.save(update_fields=["summary"])
            keep_measurement(
                revision, Measurement.packed(figures), Measurement.packed(found), digest
            )
    return figures
