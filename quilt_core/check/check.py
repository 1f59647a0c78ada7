"""All checks of a layout, and the verdict."""

from __future__ import annotations

import warnings
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.check import block_checks, layout_checks, mesh_checks, quality_checks
from quilt_core.check.case import Case
from quilt_core.check.findings import ADDED, FINDING_KINDS, SEVERITIES, Finding
from quilt_core.check.mips import last_open_level
from quilt_core.check.rules import Rules
from quilt_core.measure.figures import Figures
from quilt_core.measure.measured import Measured, measure_layout
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.surface import Surface
from quilt_core.scene.tiles import TileSize
from quilt_core.scene.types import FloatArray, IntArray

CHECKS: tuple[Callable[[Case], None], ...] = (
    layout_checks.check_overlaps,
    layout_checks.check_stacks,
    layout_checks.check_gaps,
    layout_checks.check_edges,
    layout_checks.check_whereabouts,
    mesh_checks.check_facing,
    mesh_checks.check_collapsed,
    mesh_checks.check_near_seams,
    mesh_checks.check_meshes,
    mesh_checks.check_joins,
    mesh_checks.check_sizes,
    mesh_checks.check_without_uvs,
    quality_checks.check_stretch,
    quality_checks.check_density,
    mesh_checks.check_shading,
    layout_checks.check_materials,
    block_checks.check_blocks,
)


@dataclass(frozen=True, eq=False)
class CheckResult:
    """What was found about a layout.

    Parameters
    ----------
    findings : tuple of Finding
        Errors first, then in the order of `FINDING_KINDS`; at most 1,000 of a kind.
    totals : dict
        Number of findings of each kind, listed or not, without the ignored ones.
    figures : Figures
    stretch : dict
        L2, Linf, angle and area of the whole set, and L2 per island.
    density : dict
        Per object and tile, in px per metre, and a histogram.
    rules : Rules
    """

    findings: tuple[Finding, ...]
    totals: dict[str, int]
    figures: Figures
    stretch: dict[str, Any]
    density: dict[str, Any]
    rules: Rules

    @property
    def errors(self) -> int:
        """Number of errors that count."""
        return self._of("error")

    @property
    def warnings(self) -> int:
        """Number of warnings that count."""
        return self._of("warning")

    def _of(self, severity: str) -> int:
        return sum(n for kind, n in self.totals.items() if self.rules.severity_of(kind) == severity)

    @property
    def ready(self) -> bool:
        """Whether nothing stands against a bake."""
        return self.errors == 0

    @property
    def against(self) -> list[str]:
        """What stands against a bake, in words."""
        return [
            f"{FINDING_KINDS[kind].title[0].lower()}{FINDING_KINDS[kind].title[1:]} ({n:,})"
            for kind, n in self.totals.items()
            if self.rules.severity_of(kind) == "error"
        ]

    @property
    def open_level(self) -> int | None:
        """Last mip level at which every gap is open; -1 for none, None without two islands."""
        pixels = self.figures.gap.pixels
        return last_open_level(pixels) if np.isfinite(pixels) else None


def check_layout(
    islands: IslandSet,
    surface: Surface | None,
    placements: FloatArray,
    tiles: Sequence[TileSize],
    names: Sequence[str],
    rules: Rules | None = None,
    unplaced: NDArray[np.bool_] | None = None,
    stack: IntArray | None = None,
    weight: FloatArray | None = None,
    measured: Measured | None = None,
    ids: Sequence[str] | None = None,
    numbers: IntArray | None = None,
) -> CheckResult:
    """Check a layout.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    surface : Surface, optional
        Behind these islands; without it nothing is said of stretch, shading, materials and
        duplicates.
    placements : (I, 2, 3) float64
    tiles : sequence of TileSize
    names : sequence of str
        Object names.
    rules : Rules, optional
    unplaced : (I,) bool, optional
        Islands on the side table.
    stack : (I,) int64, optional
        Islands with the same number share texels on purpose; -1 for none.
    weight : (I,) float64, optional
        Deliberate exceptions from the house density.
    measured : Measured, optional
        This layout at the padding of the rules (`Rules.wanted_gap`), when it was measured already.
    ids : sequence of str, optional
        Of the objects. Findings are then ignored by them and by the first face of an island, and
        not by names.
    numbers : (I,) int64, optional
        What to call each island in its object, from 1, where a set does not have all of them.
    """
    rules = rules or Rules()
    unplaced = np.zeros(islands.count, bool) if unplaced is None else unplaced
    stack = np.full(islands.count, -1) if stack is None else stack
    weight = np.ones(islands.count) if weight is None else weight
    measured = measured or measure_layout(islands, placements, tiles, rules.wanted_gap, stack)
    figures = measured.figures
    if numbers is None:
        first = np.searchsorted(islands.object_index, islands.object_index)
        numbers = np.arange(islands.count) - first + 1
    case = Case(
        islands,
        measured.on_tiles.placed,
        surface,
        tiles,
        names,
        rules,
        figures,
        unplaced,
        stack,
        weight,
        placements,
        numbers,
    )
    for check in CHECKS:
        check(case)
    for added in ADDED.values():
        try:
            added.run(case)
        except Exception as error:  # somebody else's code: the other checks stand
            warnings.warn(
                f"The check “{added.name}” failed and is left out: {error!r}.", stacklevel=2
            )
    if ids is not None:
        case.findings = [replace(f, known_as=_key(case, ids, f)) for f in case.findings]
    findings, totals = _judged(case)
    return CheckResult(
        findings, totals, figures, _stretch_table(case), quality_checks.density_table(case), rules
    )


def _key(case: Case, ids: Sequence[str], finding: Finding) -> str:
    """What a finding is known as: its kind, and the ids of its objects with the first face of its
    islands."""
    ends = [finding.kind]
    for k, name in enumerate((finding.object, finding.other_object)):
        if name:
            # What is told of an object and not of its islands names none.
            number = (finding.island, finding.other_island)[k]
            island = finding.islands[k] if number else -1
            owner = case.islands.object_index[island] if number else case.names.index(name)
            ends.append(f"{ids[owner]}" + (f" : {case.first_face[island]}" if number else ""))
    return " / ".join(ends)


def _judged(case: Case) -> tuple[tuple[Finding, ...], dict[str, int]]:
    """Findings in order with those ignored marked, and how many of each kind count."""
    reasons = {row.finding: row.reason for row in case.rules.ignored}
    findings = [
        replace(f, ignored=reasons[f.key]) if f.key in reasons else f for f in case.findings
    ]
    order = {kind: k for k, kind in enumerate(FINDING_KINDS)}
    findings.sort(key=lambda f: (SEVERITIES.index(f.severity), order[f.kind]))
    totals = {
        kind: case.totals[kind] - sum(f.kind == kind and bool(f.ignored) for f in findings)
        for kind in FINDING_KINDS
        if kind in case.totals
    }
    return tuple(findings), {kind: n for kind, n in totals.items() if n > 0}


def _stretch_table(case: Case) -> dict[str, Any]:
    if case.stretch is None or case.triangles is None:
        return {}
    area = np.where(np.isfinite(case.stretch.l2), case.islands.world_area, 0.0)
    known = area > 0
    if not known.any():
        return {}

    def mean(values: FloatArray) -> float:
        return float(np.average(values[known], weights=area[known]))

    return {
        "l2": float(np.sqrt(np.average(case.stretch.l2[known] ** 2, weights=area[known]))),
        "linf": float(np.nanmax(case.stretch.linf[known])),
        "angle": mean(case.stretch.angle),
        "area": mean(case.stretch.area),
        "island_l2": case.stretch.l2,
    }
