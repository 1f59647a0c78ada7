"""Check: findings of a layout, and whether it is safe to bake."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import TYPE_CHECKING, Any

from quilt_core.check.findings import FINDING_KINDS, Finding
from quilt_core.check.rules import Rules, house_rules, make_rules, read_rules
from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.measure.density import house_band
from quilt_core.operations.operation import Progress, figure
from quilt_core.operations.values import check_ending, read_density
from quilt_core.options import check_options, option
from quilt_core.scene.lengths import DENSITY_UNITS

if TYPE_CHECKING:
    from quilt_core.check.check import CheckResult
    from quilt_core.measure.measured import Measured

KIND_NAMES = tuple(FINDING_KINDS)
MATERIALS, NORMAL_BAKE, HARD_EDGE = "materials", "normal-bake", "hard edge"


def load_rules(name: str, data: bytes) -> Mapping[str, Any]:
    """Rules of a JSON file.

    Raises
    ------
    QuiltError
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise QuiltError("It is not UTF-8.", name, "Save it as UTF-8.") from None
    read_rules(text, name)
    found: Mapping[str, Any] = json.loads(text)
    return found


def read_rule_table(given: Any) -> Mapping[str, Any]:
    """Rules as a table; raises ValueError."""
    if not isinstance(given, Mapping):
        raise ValueError("Give a JSON file that is there, or a table of rules.")
    try:
        make_rules(given, "rules", Rules())
    except QuiltError as error:
        raise ValueError(f"{error.what} {error.fix}") from None
    return given


@dataclass(frozen=True)
class Check:
    """Settings of checking; those that are given go before the document's rules."""

    padding: float | None = option(None, "wanted gap between islands", unit="px", low=0, high=1024)
    margin: float | None = option(
        None, "wanted gap to the edge of a tile", unit="px", low=0, high=1024
    )
    house_density: float | None = option(
        None, "px per metre; without it, and without one in the document, density is not judged",
        read=read_density, json={"type": "number"}, shape="PX_PER_METRE",
    )  # fmt: skip
    tolerance: float | None = option(
        None, "half-width of the house band as a part of it", low=0, high=10
    )
    least_density: float | None = option(
        None, "lower end of the band in px per metre, where the house density does not say it",
        read=read_density, json={"type": "number"}, shape="PX_PER_METRE",
    )  # fmt: skip
    most_density: float | None = option(
        None, "upper end of the band in px per metre, where the house density does not say it",
        read=read_density, json={"type": "number"}, shape="PX_PER_METRE",
    )  # fmt: skip
    block: int | None = option(
        None, "edge of the blocks of compressed textures, in which no two islands may have texels: 4 for BC, 4 to 12 for ASTC; 0 does not look",
        unit="px", low=0, high=12,
    )  # fmt: skip
    density_unit: str | None = option(
        None, "unit that densities are told in; without it as the document has it, px/m for files",
        choices=tuple(DENSITY_UNITS),
    )  # fmt: skip
    kinds: tuple[str, ...] = option(
        (), "kinds of findings that are looked for; all without it", choices=KIND_NAMES
    )
    for_: str = option(
        MATERIALS,
        "hard edges within islands count where materials read a normal map or no texture at all (materials), or always, as for a "
        "normal map that is still to be baked (normal-bake)",
        choices=(MATERIALS, NORMAL_BAKE),
    )
    ignore: tuple[str, ...] = option((), "kinds of findings that are left out", choices=KIND_NAMES)
    rules: Mapping[str, Any] | None = option(
        None, "thresholds and severities: a JSON file, or a table", read=read_rule_table, show=dict, shape="FILE",
        names="file", load=load_rules, json={"type": "object", "additionalProperties": True},
    )  # fmt: skip

    def __post_init__(self) -> None:
        check_options(self)
        house_band(None, 0.0, self.least_density, self.most_density)


@dataclass(frozen=True, eq=False)
class CheckedAtlas:
    """What was found about the layout of an atlas."""

    layout: Layout
    checked: CheckResult
    atlas: str = figure("its name")
    ok: bool = figure("whether nothing stands against a bake")
    errors: int = figure("errors that count")
    warnings: int = figure("warnings that count")
    totals: dict[str, int] = figure("findings of each kind, without the ignored")
    gap_px: float = figure("smallest gap between two islands", "px")
    margin_px: float = figure("smallest gap to the edge of a tile", "px")
    open_level: int | None = figure("last mip level at which every gap is open; -1 for none")
    coverage: float = figure("sum of the areas of islands / area of tiles")
    stretch: dict[str, float] = figure("l2, linf, angle and area of all islands; 1 is none")
    findings: list[dict[str, Any]] = figure(
        "key, kind, severity, object, island (from 1), amount, unit, text, other_object, other_island, spots (UV), faces and "
        "other_faces (from 0), tile, fix, ignored; at most 1,000 of a kind, the worst first"
    )


@dataclass(frozen=True, eq=False)
class Checked:
    """What was found."""

    atlases: list[CheckedAtlas] = figure("each atlas")

    @property
    def ok(self) -> bool:
        """Whether nothing stands against a bake."""
        return all(one.ok for one in self.atlases)


def rules_for(document: Document, layout: Layout, settings: Check) -> Rules:
    """Rules that a layout is judged by: the document's and the distances it was packed with, and what the settings say
    instead."""
    margin = layout.state.margin if document.arranged else 0.0
    base = house_rules(document, layout.state.padding, margin)
    rules = make_rules({**document.rules, **(settings.rules or {})}, "rules", base)
    given = {
        name: getattr(settings, name)
        for name in (
            "padding",
            "margin",
            "house_density",
            "tolerance",
            "least_density",
            "most_density",
            "block",
            "density_unit",
        )
    }
    given = {name: value for name, value in given.items() if value is not None}
    rules = make_rules(given, "the settings", rules)
    off = [
        k
        for k in FINDING_KINDS
        if k in settings.ignore or (settings.kinds and k not in settings.kinds)
    ]
    if (
        settings.for_ == MATERIALS
        and HARD_EDGE not in settings.kinds
        and not reads_normals(document)
    ):
        off.append(HARD_EDGE)
    return (
        replace(rules, severity={**rules.severity, **dict.fromkeys(off, "off")}) if off else rules
    )


def run(document: Document, settings: Check, progress: Progress) -> Checked:
    """Check the layout of each atlas.

    Raises
    ------
    LayoutError
        For a rule that cannot be.
    """
    before = document.others.get("against")
    known: Counter[Where] = Counter()
    for layout in before.layouts if before else ():
        found = prove_layout(layout, rules_for(document, layout, settings))
        known += Counter(map(_where, found.findings))
    out = []
    for k, layout in enumerate(document.layouts):
        progress.report(k / len(document.layouts), "checking")
        progress.check()
        checked = prove_layout(layout, rules_for(document, layout, settings))
        out.append(checked_atlas(layout, without_known(checked, known) if before else checked))
    return Checked(out)


Where = tuple[str, str, str]


def _where(finding: Finding) -> Where:
    return finding.kind, finding.object, finding.other_object


def without_known(checked: CheckResult, known: Counter[Where]) -> CheckResult:
    """What was found, without as many findings of a kind about an object as were known before."""
    left = known.copy()
    kept, gone = [], Counter[str]()
    for finding in checked.findings:
        if left[_where(finding)] > 0:
            left[_where(finding)] -= 1
            gone[finding.kind] += not finding.ignored
        else:
            kept.append(finding)
    totals = {kind: n - gone[kind] for kind, n in checked.totals.items() if n > gone[kind]}
    return replace(checked, findings=tuple(kept), totals=totals)


def prove_layout(
    layout: Layout, rules: Rules, measured: Measured | None = None, ids: list[str] | None = None
) -> CheckResult:
    """All that is found about one layout.

    Parameters
    ----------
    layout : Layout
    rules : Rules
    measured : Measured, optional
        This layout at the padding of the rules, when it was measured already.
    ids : list of str, optional
        Of the objects: findings are then known by them, and not by names.
    """
    from quilt_core.check.check import check_layout

    return check_layout(
        layout.islands, layout.surface, layout.placements, [tile.size for tile in layout.tiles],
        layout.object_names(), rules, layout.unplaced, layout.stack, layout.weights, measured, ids,
        layout.numbers,
    )  # fmt: skip


def checked_atlas(layout: Layout, checked: CheckResult) -> CheckedAtlas:
    """What was found about a layout, as a result."""
    from quilt_core.check.report import finding_values

    figures = checked.figures
    return CheckedAtlas(
        layout=layout,
        checked=checked,
        atlas=layout.state.name,
        ok=checked.ready,
        errors=checked.errors,
        warnings=checked.warnings,
        totals=checked.totals,
        gap_px=figures.gap.pixels,
        margin_px=figures.margin_px,
        open_level=checked.open_level,
        coverage=figures.coverage,
        stretch={key: value for key, value in checked.stretch.items() if key != "island_l2"},
        findings=[finding_values(finding) for finding in checked.findings],
    )


def reads_normals(document: Document) -> bool:
    """Whether a normal map counts: materials read one, or there is no texture yet and one may be baked."""
    from quilt_core.formats.file_materials import facts_of, materials_from

    painted = False
    for source in document.sources.values():
        for material in materials_from(facts_of(source.scene(), source.siblings())):
            if "normal" in material.bindings:
                return True
            painted = painted or bool(material.bindings)
    return not painted


def tell(result: Checked) -> list[str]:
    """The result in words."""
    out: list[str] = []
    for one in result.atlases:
        out += [_line(row) for row in one.findings]
        hidden = sum(one.totals.values()) - sum(not row["ignored"] for row in one.findings)
        if hidden:
            out.append(f"and {hidden:,} more of the same kinds")
        name = f"{one.atlas}: " if len(result.atlases) > 1 else ""
        bad = f"{one.errors} errors, {one.warnings} warnings: {'; '.join(one.checked.against)}"
        out.append(f"{name}{'ready to bake' if one.ok else bad}")
    return out


def _line(row: dict[str, Any]) -> str:
    island = f" island {row['island']}" if row["island"] else ""
    place = f"{row['object']}{island}"
    if row["other_object"]:
        place += f" with {row['other_object']} island {row['other_island']}"
    ignored = f" (ignored: {row['ignored']})" if row["ignored"] else ""
    return f"{row['severity']:7} {row['kind']:18} {place}: {row['text']}{ignored}"


@dataclass(frozen=True)
class Against:
    """Files that are compared."""

    against: tuple[str, ...] = option(
        (),
        "the sources: findings that they have, too, are left out",
        shape="FILE",
        names="document",
    )


@dataclass(frozen=True)
class CheckFiles(Against):
    """Files that checking reads and writes."""

    report: str | None = option(
        None, "write a report, .html or .json", shape="FILE", names="output"
    )

    def __post_init__(self) -> None:
        check_ending(self.report, "report", "report", (".html", ".json"))


def also(
    document: Document, result: Checked, settings: Check, more: CheckFiles, progress: Progress
) -> tuple[dict[str, bytes], list[str], dict[str, Any]]:
    """The report of what was found."""
    if not more.report:
        return {}, [], {}
    format = more.report.lower().rpartition(".")[2]
    if len(result.atlases) > 1:
        names = ", ".join(one.atlas for one in result.atlases)
        raise LayoutError(
            "This file would be about several atlases.", "report",
            f"Name one of {names}, or write a report of each with “report”.",
        )  # fmt: skip
    (one,) = result.atlases
    return {more.report: report_text(document, one, format).encode("utf-8")}, [], {}


@dataclass(frozen=True)
class Report(Check):
    """Settings of a report."""

    format: str = option(
        "html", "a page that stands by itself, or values", choices=("html", "json")
    )


@dataclass(frozen=True)
class ReportResult:
    """Reports, by atlas."""

    images: dict[str, bytes]
    atlases: list[str] = figure("names of the atlases that reports are about")
    ok: bool = figure("whether nothing stands against a bake")


def run_report(document: Document, settings: Report, progress: Progress) -> ReportResult:
    """Check the layout of each atlas, and write it down as a page or as JSON."""
    found = run(document, settings, progress)
    texts = {
        f"{one.atlas}.{settings.format}": report_text(document, one, settings.format).encode(
            "utf-8"
        )
        for one in found.atlases
    }
    return ReportResult(texts, [one.atlas for one in found.atlases], found.ok)


def report_text(document: Document, found: CheckedAtlas, format: str) -> str:
    """What was found about an atlas, as html or json.

    Raises
    ------
    LayoutError
    """
    from quilt_core.check.report import Subject, report_page, report_values
    from quilt_core.sheet.colours import object_colours

    if format not in ("html", "json"):
        raise LayoutError(f"A report as {format}.", "format", "Give html or json.")
    layout = found.layout
    title = f"{document.name}: {found.atlas}" if document.name else found.atlas
    subject = Subject(
        title,
        datetime.now().strftime("%Y-%m-%d %H:%M"),
        layout.islands.placed(layout.placements),
        [tile.size for tile in layout.tiles],
        layout.object_names(),
        object_colours(layout.colours),
        dict(document.about),
    )
    if format == "html":
        return report_page(subject, found.checked)
    values = report_values(subject, found.checked)
    return json.dumps(values, indent=1, ensure_ascii=False, allow_nan=False)


def tell_report(result: ReportResult) -> list[str]:
    """The result in words."""
    return [f"{name}: {'ready to bake' if result.ok else 'findings'}" for name in result.atlases]
