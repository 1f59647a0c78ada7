"""Diff: what differs between two layouts of the same objects."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from quilt_core.document.document import Document
from quilt_core.errors import LayoutError
from quilt_core.operations.diff_rows import SAME, ObjectDiff, object_row
from quilt_core.operations.laid_objects import laid_objects
from quilt_core.operations.operation import AGAINST, Progress, figure
from quilt_core.operations.values import check_ending
from quilt_core.options import check_options, option


@dataclass(frozen=True)
class Diff:
    """Settings of comparing."""

    tolerance: float = option(
        0.05, "px by which corners may differ untold", unit="px", low=0, high=1024
    )
    step: int | None = option(
        None,
        "of a project: the step of its history that it is compared with; without it the step before",
        low=0,
        high=2**31 - 1,
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True, eq=False)
class Differences:
    """What differs."""

    older: Document
    newer: Document
    equal: bool = figure("whether nothing differs")
    settings: list[str] = figure("what differs about tiles, padding and the house band, in words")
    objects: list[ObjectDiff] = figure("each object, those that differ first")

    @property
    def ok(self) -> bool:
        """Whether nothing differs."""
        return self.equal


def run(document: Document, settings: Diff, progress: Progress) -> Differences:
    """Compare a document with another one.

    Raises
    ------
    LayoutError
        When there is nothing to compare it with.
    """
    older = document.others.get(AGAINST)
    if older is None:
        raise LayoutError(
            "There is nothing to compare it with.", AGAINST, "Name the older files, or a step."
        )
    before, now = laid_objects(older), laid_objects(document)
    rows = []
    for k, key in enumerate(dict.fromkeys([*now, *before])):
        progress.report(k / max(len(now), 1), "comparing")
        progress.check()
        rows.append(
            object_row(key, before.get(key), now.get(key), settings.tolerance, older, document)
        )
    rows.sort(key=lambda row: row.state == SAME)
    said = _settings(older, document)
    return Differences(older, document, not said and all(r.state == SAME for r in rows), said, rows)


def _settings(older: Document, newer: Document) -> list[str]:
    """What differs about tiles, distances and the house band."""
    if not (older.arranged and newer.arranged):
        return []
    out = []
    one, two = ({layout.state.name: layout for layout in d.layouts} for d in (older, newer))
    out += [f"atlas {name} is new" for name in two if name not in one]
    out += [f"atlas {name} is gone" for name in one if name not in two]
    for name in [name for name in two if name in one]:
        a, b = one[name], two[name]
        tiles, tiles_now = ({t.number: t for t in layout.tiles} for layout in (a, b))
        out += [f"{name}: tile {n} is new" for n in tiles_now if n not in tiles]
        out += [f"{name}: tile {n} is gone" for n in tiles if n not in tiles_now]
        for n in [n for n in tiles_now if n in tiles]:
            x, y = tiles[n], tiles_now[n]
            if (x.width, x.height) != (y.width, y.height):
                out.append(f"{name}: tile {n} {x.width} x {x.height} → {y.width} x {y.height} px")
            if x.label != y.label:
                out.append(f"{name}: tile {n} “{x.label}” → “{y.label}”")
        for what in ("padding", "margin"):
            x, y = getattr(a.state, what), getattr(b.state, what)
            if x != y:
                out.append(f"{name}: {what} {x:g} → {y:g} px")
    for what in ("house_density", "tolerance", "least_density", "most_density"):
        x, y = getattr(older, what), getattr(newer, what)
        if x != y:
            words = ["none" if v is None else f"{v:g}" for v in (x, y)]
            out.append(f"{what.replace('_', ' ')} {' → '.join(words)}")
    return out


def tell(result: Differences) -> list[str]:
    """The result in words."""
    out = list(result.settings)
    for row in result.objects:
        if row.state == SAME:
            continue
        place = f"{row.atlas}, {row.object}" if row.atlas else row.object
        out.append(f"{place}: {'; '.join(row.changes)}")
        out += [
            f"  island {one.island or f'{one.was[0]} before'}: {', '.join(one.changes)}"
            for one in row.different[:MOST_TOLD]
        ]
        if len(row.different) > MOST_TOLD:
            out.append(f"  and {len(row.different) - MOST_TOLD:,} more islands")
    return out or ["nothing differs"]


MOST_TOLD = 20
"""Islands of an object that are told in words; JSON has all."""


@dataclass(frozen=True)
class DiffFiles:
    """Files that comparing reads and writes."""

    against: tuple[str, ...] = option(
        (),
        "the older files, or an older project file; without it the first of two that are named is the older one",
        shape="FILE",
        names="document",
    )
    report: str | None = option(
        None, "write a page with both layouts laid over one another, .html", shape="FILE",
        names="output",
    )  # fmt: skip

    def __post_init__(self) -> None:
        check_ending(self.report, "report", "report", (".html",))


def also(
    document: Document, result: Differences, settings: Diff, more: DiffFiles, progress: Progress
) -> tuple[dict[str, bytes], list[str], dict[str, Any]]:
    """The page of what differs."""
    if not more.report:
        return {}, [], {}
    from quilt_core.check.diff_page import diff_page

    return {more.report: diff_page(result.older, result.newer, tell(result)).encode()}, [], {}
