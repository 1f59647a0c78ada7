"""The run sheet of a project as a file that the command line runs on its project file, out and in."""

from __future__ import annotations

import re

from django.db import transaction

from quilt_core.document.project.file import SUFFIX
from quilt_core.errors import QuiltError
from quilt_core.operations.steps import checked_steps
from quilt_core.run.sheet import Line, Step, Target, read_sheet
from quilt_core.run.write_sheet import sheet_text
from studio.actions.access import EDITOR, require
from studio.actions.errors import Refused
from studio.actions.run.lines import MOST_LINES, add_target
from studio.actions.run.targets import check_target
from studio.models import Atlas, Project, RunLine

MOST_BYTES = 1_000_000


def file_name(project: Project) -> str:
    """What a project is called as a file, without its ending."""
    return re.sub(r"[^\w .-]+", "-", project.name).strip(" .-") or "project"


def as_toml(project: Project) -> str:
    """The lines as a file. What the layouts say by themselves is in the project file, which lies beside it."""
    beside = f"{file_name(project)}{SUFFIX}"
    lines: list[Line] = []
    for row in project.run_lines.prefetch_related("atlases__head"):
        atlases = [atlas for atlas in row.atlases.all() if atlas.head is not None]
        if row.atlases.all() and not atlases:
            continue
        target = Target(tuple(row.objects_named), row.channel)
        title = re.sub(r"[^\w .,-]+", "-", row.name).strip(" .,-")[:70] or f"line {row.pk}"
        while title in [line.name for line in lines]:
            title += "-"
        steps = tuple(
            Step(step["do"], {k: v for k, v in step["settings"].items() if v is not None})
            for step in row.steps
        )
        out = f"build/{title.replace(' ', '-')}"
        names = tuple(atlas.name for atlas in atlases)
        lines.append(Line(title, (beside,), (), out, row.hold, steps, names, target))
    about = f"Run sheet of “{' '.join(project.name.split())}”. Save the project as “{beside}” beside it, and run: untold-quilt run SHEET"  # fmt: skip
    return sheet_text(lines, about)


@transaction.atomic
def read_lines(project: Project, name: str, data: bytes) -> list[RunLine]:
    """Bring lines in from a file: all of them or none; a line of a name that is there already takes its place.

    Raises
    ------
    Refused
        With the line that cannot be one of this project.
    """
    require(project.pk, EDITOR)
    if len(data) > MOST_BYTES:
        raise Refused("It is too large for a run sheet.", name, "Give a run sheet.")
    try:
        sheet = read_sheet(name, data)
    except QuiltError as error:
        raise Refused(error.what, error.where, error.fix) from None
    atlases = [one for one in project.atlases.select_related("head") if one.head is not None]
    out = []
    for line in sheet.lines:
        where = f"{name}, “{line.name}”"
        meant = _atlases_of(line, atlases, where)
        given = [
            {"do": s.do, "settings": {k: v for k, v in s.settings.items() if k != "atlas"}}
            for s in line.steps
        ]
        try:
            steps = checked_steps(given)
        except QuiltError as error:
            raise Refused(error.what, f"{where}, {error.where}", error.fix) from None
        row = project.run_lines.filter(name=line.name).first()
        row = row or RunLine(project=project, name=line.name)
        row.steps, row.hold = steps, line.hold
        row.save()
        if line.target:
            check_target(project, line.target.objects, line.target.channel)
        add_target(row, meant, line.target.objects, line.target.channel)
        out.append(row)
    if project.run_lines.count() > MOST_LINES:
        raise Refused(f"There would be more than {MOST_LINES} lines.", name, "Take some out first.")
    return out


def _atlases_of(line: Line, atlases: list[Atlas], where: str) -> list[Atlas]:
    """The atlases of the project that a line names; all where it says nothing."""
    if line.sources or not all(file.lower().endswith(SUFFIX) for file in line.files):
        raise Refused(
            "It is about mesh files.", where, f"Here lines are about atlases of a {SUFFIX} file: run it from the command line."
        )  # fmt: skip
    known = {one.name for one in atlases}
    for name in line.atlases:
        if name not in known:
            raise Refused(
                f"It is about an atlas that is not there: {name}.", f"{where}, atlas",
                f"Name some of {', '.join(sorted(known))}.",
            )  # fmt: skip
    if line.target:
        return []
    return [one for one in atlases if not line.atlases or one.name in line.atlases]
